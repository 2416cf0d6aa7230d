import { rm } from "node:fs/promises";
import { parseSize } from "@/core/kernel/parse-size";
import { CachedSource } from "@/core/kernel/source";
import { planMedium, WAYS, type Way } from "@/core/making/planning/plan";
import { MemoryJournal } from "@/core/making/writing/memory-journal";
import { writeMedium } from "@/core/making/writing/write-medium";
import { inspect } from "@/core/medium/inspection/inspect";
import { startPathsOf } from "@/core/medium/inspection/start-paths";
import { alternativeText, planNoteText, planProblemText } from "@/core/words/bench";
import { bytesText } from "@/core/words/sizes";
import { visible } from "@/core/words/visible";
import { biosStart } from "@/server/host/bios-start";
import { FileSource } from "@/server/host/file-source";
import { openImageFile } from "@/server/host/image-file";
import { fileProblem, UsageError, withFile } from "./problems";

export interface PrepareOptions {
  to: string;
  size: string;
  way: string;
  table: string;
  store?: boolean;
  tag: string;
  /** ISO 8601; now where it is left out. */
  at?: string;
  json?: boolean;
}

/**
 * Makes the image of a medium for later: plans it, writes it to a new file, reads that back, and compares. Exit 1 where
 * it cannot be made that way. A file that was not verified is taken away again.
 */
export async function runPrepare(file: string, options: PrepareOptions): Promise<number> {
  const way = WAYS.find((each): each is Way => each === options.way && each !== "disc");
  if (!way) throw new UsageError(`--way is ${WAYS.filter((each) => each !== "disc").join(", ")}`);
  if (options.table !== "gpt" && options.table !== "mbr") throw new UsageError("--table is gpt or mbr");
  const bytes = parseSize(options.size);
  if (bytes === null || bytes < 1_048_576)
    throw new UsageError(`--size ${visible(options.size)}: a size such as 16GB is needed`);
  const madeAt = options.at ?? new Date().toISOString();
  if (Number.isNaN(Date.parse(madeAt)))
    throw new UsageError(`--at ${visible(madeAt)}: a day or time such as 2026-03-01 is needed`);
  const request = { way, table: options.table, store: options.store ?? false, tag: options.tag } as const;
  return withFile(file, async (image) => {
    const plan = await planMedium({
      request,
      image,
      name: image.name,
      device: { kind: "usb", bytes: Math.floor(bytes / 512) * 512, sectorBytes: 512 },
      bios: await biosStart(),
      pack: [],
      madeAt,
    });
    if (!plan.ok) {
      const problems = plan.problems.map(planProblemText);
      const others = plan.alternatives.map(alternativeText);
      if (options.json) print({ ok: false, problems: plan.problems, alternatives: plan.alternatives });
      else process.stdout.write(`${[...problems, ...others.map((other) => `would do: ${other}`)].join("\n")}\n`);
      return 1;
    }
    const result = await written(options.to, plan.layout);
    if (result.state !== "verified") {
      await rm(options.to, { force: true });
      throw new UsageError(
        `${visible(options.to)}: it could not be written and read back (${result.state}); nothing was left there`,
      );
    }
    const found = await startsOf(options.to);
    const { notes, parts, predicted, writtenBytes } = plan;
    const expected = startPathsOf(predicted).length;
    if (options.json) print({ ok: true, file: options.to, bytes, writtenBytes, parts, notes, starts: found, expected });
    else {
      const lines = [
        `${visible(options.to)}: ${bytesText(bytes)}, ${bytesText(writtenBytes)} of it written and read back`,
        ...parts.map(
          ({ role, filesystem, lengthBytes }) => `${role.padEnd(10)} ${filesystem ?? ""} ${bytesText(lengthBytes)}`,
        ),
        `starts     ${found} boot paths, ${expected} predicted`,
        ...notes.map((note) => `note       ${planNoteText(note)}`),
      ];
      process.stdout.write(`${lines.join("\n")}\n`);
    }
    return found === expected ? 0 : 1;
  });
}

function print(value: unknown): void {
  process.stdout.write(`${JSON.stringify(value)}\n`);
}

async function written(to: string, layout: Parameters<typeof writeMedium>[0]["layout"]) {
  try {
    const device = await openImageFile(to, layout.sizeBytes);
    return await writeMedium({ device, layout, journal: new MemoryJournal() });
  } catch (error) {
    throw new UsageError(`${visible(to)}: ${fileProblem(error)}`);
  }
}

async function startsOf(path: string): Promise<number> {
  const source = await FileSource.open(path);
  try {
    const { inspection } = await inspect(new CachedSource(source), { name: source.name });
    return startPathsOf(inspection).length;
  } finally {
    await source.close();
  }
}
