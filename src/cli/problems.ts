import { readFile } from "node:fs/promises";
import { type Facts, readFacts } from "@/core/facts/schema";
import { type InspectResult, inspect } from "@/core/inspection/inspect";
import { visible } from "@/core/words/visible";
import { FileSource, fileProblem } from "@/server/files/file-source";

/** Wrong usage, or a file that cannot be read: one line on standard error, exit code 2. */
export class UsageError extends Error {
  override readonly name = "UsageError";
}

export async function readFactsFile(path: string): Promise<Facts> {
  let content: string;
  try {
    content = await readFile(path, "utf8");
  } catch (error) {
    throw new UsageError(`${visible(path)}: ${fileProblem(error)}`);
  }
  const reading = readFacts(content);
  if (!reading.ok) throw new UsageError(`${visible(path)}: ${visible(reading.problem)}`);
  return reading.facts;
}

export async function inspectFile(path: string, options: { hash?: boolean } = {}): Promise<InspectResult> {
  let source: FileSource;
  try {
    source = await FileSource.open(path);
  } catch (error) {
    throw new UsageError(`${visible(path)}: ${fileProblem(error)}`);
  }
  try {
    const sha256 = options.hash ? await source.sha256() : null;
    return await inspect(source, { name: source.name, sha256 });
  } catch (error) {
    throw new UsageError(`${visible(path)}: ${fileProblem(error)}`);
  } finally {
    await source.close();
  }
}
