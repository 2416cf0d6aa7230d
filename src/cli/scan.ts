import { join } from "node:path";
import { groupFiles } from "@/core/images/grouping";
import { compilePattern, readName, USUAL_PATTERN } from "@/core/images/names";
import { readStored } from "@/core/images/stored";
import { patternProblemText, storedFindingText, storedText } from "@/core/words/images";
import { bytesText } from "@/core/words/sizes";
import { visible } from "@/core/words/visible";
import { FileSource } from "@/server/host/file-source";
import { storeFiles } from "@/server/host/stores-walk";
import { fileProblem, UsageError } from "./problems";

/** Finds the images below a folder: grouped, read, and by what their names say; with `json`, one object a line. */
export async function runScan(folder: string, options: { names?: string; json?: boolean }): Promise<void> {
  const pattern = compilePattern(options.names ?? USUAL_PATTERN);
  if (!pattern.ok) throw new UsageError(`--names: ${pattern.problems.map(patternProblemText).join(" ")}`);
  const { files, isCut } = await storeFiles(folder).catch((error: unknown) => {
    throw new UsageError(`${visible(folder)}: ${fileProblem(error)}`);
  });
  for (const group of groupFiles(files)) {
    const opened: FileSource[] = [];
    const reading = await readStored(group, async (path) => {
      const source = await FileSource.open(join(folder, path), { waits: true }).catch(() => null);
      if (source) opened.push(source);
      return source;
    });
    for (const source of opened) await source.close();
    const { key, name, storedBytes, modified } = group;
    const named = readName(pattern.pattern, name)[0] ?? null;
    if (options.json) {
      const paths = group.members.flatMap((member) => member.files.map(({ path }) => path));
      process.stdout.write(
        `${JSON.stringify({ key, name, files: paths, storedBytes, modified, named, ...reading })}\n`,
      );
      continue;
    }
    const lines = [
      `${visible(key, 500)}  ${bytesText(storedBytes)}`,
      `  ${storedText(reading)}`,
      ...reading.findings.map((finding) => `  ${storedFindingText(finding)}`),
    ];
    process.stdout.write(`${lines.join("\n")}\n`);
  }
  if (isCut)
    throw new UsageError(`${visible(folder)}: it has more files, or lies deeper, than is looked through at once`);
}
