import { readdir, readFile } from "node:fs/promises";
import { basename, dirname, join } from "node:path";
import { type Facts, readFacts } from "@/core/computer/facts/schema";
import { ReadFailed } from "@/core/kernel/source";
import { type InspectResult, inspect } from "@/core/medium/inspection/inspect";
import { partsBeside } from "@/core/medium/volumes/within";
import { factsProblemText } from "@/core/words/collect";
import { fileFaultText } from "@/core/words/problems";
import { visible } from "@/core/words/visible";
import { deviceSectorBytes, FileSource, fileFault } from "@/server/host/file-source";

/** Wrong usage, or a file that cannot be read: one line on standard error, exit code 2. */
export class UsageError extends Error {
  override readonly name = "UsageError";
}

/** What went wrong with a file: words within a sentence. */
export function fileProblem(error: unknown): string {
  return fileFaultText(fileFault(error));
}

export type SectorBytes = 512 | 4096;

/** What `--sector-bytes` says; null where it is left out. */
export function readSectorBytes(value: string | undefined): SectorBytes | null {
  if (value === undefined) return null;
  if (value !== "512" && value !== "4096")
    throw new UsageError(`--sector-bytes is "${visible(value)}", where 512 or 4096 is needed`);
  return value === "512" ? 512 : 4096;
}

export async function readFactsFile(path: string): Promise<Facts> {
  let content: string;
  try {
    content = await readFile(path, "utf8");
  } catch (error) {
    throw new UsageError(`${visible(path)}: ${fileProblem(error)}`);
  }
  const reading = readFacts(content);
  if (!reading.ok) throw new UsageError(`${visible(path)}: ${visible(factsProblemText(reading.problem))}`);
  return reading.facts;
}

/** Opens a file for `use` and closes it; what the operating system says against it becomes one line. */
export async function withFile<T>(path: string, use: (source: FileSource) => Promise<T>): Promise<T> {
  let source: FileSource;
  try {
    source = await FileSource.open(path, { waits: true });
  } catch (error) {
    throw new UsageError(`${visible(path)}: ${fileProblem(error)}`);
  }
  try {
    return await use(source);
  } catch (error) {
    if (error instanceof ReadFailed) throw new UsageError(`${visible(path)}: ${fileProblem(error)}`);
    throw error;
  } finally {
    await source.close();
  }
}

/** As `withFile`, with the other parts of an archive that was split, which are in the same folder. */
export function withParts<T>(
  path: string,
  use: (source: FileSource, others: readonly FileSource[]) => Promise<T>,
): Promise<T> {
  return withFile(path, async (source) => {
    const names = path.toLowerCase().endsWith(".swm") ? await readdir(dirname(path)) : [];
    const others = await FileSource.openAll(
      partsBeside(basename(path), names).map((name) => join(dirname(path), name)),
    );
    try {
      return await use(source, others);
    } finally {
      await Promise.all(others.map((other) => other.close()));
    }
  });
}

interface InspectFileOptions {
  hash?: boolean;
  deep?: boolean;
  /** Of a stick's sectors; of a device what it says itself, of a file 512 where nothing is said. */
  sectorBytes?: SectorBytes | null;
}

export function inspectFile(path: string, options: InspectFileOptions = {}): Promise<InspectResult> {
  return withFile(path, async (source) => {
    const sha256 = options.hash ? await source.sha256() : null;
    const sectorBytes = options.sectorBytes ?? (await deviceSectorBytes(path)) ?? 512;
    return inspect(source, { name: source.name, sha256, depth: options.deep ? "deep" : "quick", sectorBytes });
  });
}
