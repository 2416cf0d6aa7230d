// Measures what Creel promises to be quick, beside plain tools. Not a test: figures are read by people.
import { spawnSync } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { matchFiles } from "@/core/chain/match";
import { factsSchema } from "@/core/facts/schema";
import { inspect } from "@/core/inspection/inspect";
import { FileSource } from "@/server/files/file-source";
import { IMAGES } from "./demo/images";
import { factsOf, MACHINES } from "./demo/skerry-line";
import { Workshop } from "./media/workshop";

const folder = mkdtempSync(join(tmpdir(), "creel-bench-"));
const median = (values: number[]) => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] as number;

async function timed(times: number, run: () => Promise<unknown> | unknown): Promise<number> {
  const taken: number[] = [];
  for (let i = 0; i < times; i++) {
    const start = performance.now();
    await run();
    taken.push(performance.now() - start);
  }
  return median(taken);
}

function show(what: string, milliseconds: number, note = ""): void {
  console.log(`${what.padEnd(64)} ${milliseconds.toFixed(1).padStart(9)} ms  ${note}`);
}

try {
  const workshop = new Workshop(folder);
  const large = IMAGES.bollard5.make(workshop);
  workshop.truncate(large, 6_000_000_000);
  const cli = (...args: string[]) => spawnSync(process.execPath, ["scripts/creel.mjs", ...args], { encoding: "utf8" });
  cli("inspect", large);
  show("inspect, 6 GB sparse image, whole process", await timed(5, () => cli("inspect", large)));
  show("node alone, whole process", await timed(5, () => spawnSync(process.execPath, ["-e", "0"])));
  let bytesRead = 0;
  const inspected = async () => {
    const source = await FileSource.open(large);
    const result = await inspect(source, { name: source.name });
    await source.close();
    bytesRead = result.bytesRead;
    return result.inspection;
  };
  show(
    "inspect, 6 GB sparse image, in process",
    await timed(9, inspected),
    `${bytesRead.toLocaleString("en-GB")} bytes read`,
  );
  const inspection = await inspected();
  const fleet = MACHINES.map((machine, index) => factsSchema.parse(factsOf(machine, index)));
  show(
    `judge ${fleet.length} computers, one medium, both ways of attaching`,
    await timed(9, () => fleet.map((facts) => matchFiles(inspection, facts, null))),
  );
  const small = IMAGES.lantern12.make(workshop);
  show("inspect --hash, 84 MB image, whole process", await timed(5, () => cli("inspect", small, "--hash")));
  show("sha256sum, the same image, whole process", await timed(5, () => spawnSync("sha256sum", [small])));
} finally {
  rmSync(folder, { recursive: true, force: true });
}
