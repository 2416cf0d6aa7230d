import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { MemorySource } from "@/core/kernel/source";
import { Workshop } from "../../scripts/media/workshop";

/** A workshop in a folder of its own, for one test file; removed afterwards. */
export function tempWorkshop(): Workshop {
  const folder = mkdtempSync(join(tmpdir(), "creel-test-"));
  afterAll(() => rmSync(folder, { recursive: true, force: true }));
  return new Workshop(folder);
}

export function memory(path: string): MemorySource {
  return new MemorySource(new Uint8Array(readFileSync(path)));
}
