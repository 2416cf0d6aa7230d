import { readFile } from "node:fs/promises";
import { dirname, resolve } from "node:path";
import { LRUCache } from "lru-cache";
import { z } from "zod";
import type { Facts } from "@/core/computer/facts/schema";
import { releaseOfFile } from "@/core/judging/model/release-part";
import { LINK_NAMES } from "@/core/judging/model/schema";
import { type MediumFile, matchFiles } from "@/core/judging/pair/match";
import { dayOf } from "@/core/kernel/days";
import { entriesOf } from "@/core/medium/drivers/driver-set";
import { type Attachment, attachmentSchema } from "@/core/medium/inspection/schema";
import { type MatchDocument, matchDocument } from "@/core/words/documents/match";
import { changeWithKeyText, linkTitle, verdictText } from "@/core/words/reasons";
import { visible } from "@/core/words/visible";
import { fileProblem, inspectFile, readFactsFile, readSectorBytes, type SectorBytes, UsageError } from "./problems";

interface MatchOptions {
  computer?: string;
  as?: string;
  sectorBytes?: string;
  jobs?: string;
  json?: boolean;
  check?: boolean;
}

export async function runMatch(file: string | undefined, options: MatchOptions): Promise<number> {
  if (options.jobs !== undefined) {
    if (file !== undefined || options.computer !== undefined || options.as !== undefined || options.sectorBytes)
      throw new UsageError(
        "--jobs takes media and computers from its file: leave out FILE, --computer, --as and --sector-bytes",
      );
    return runJobs(options.jobs, options);
  }
  if (file === undefined || options.computer === undefined)
    throw new UsageError("match needs a medium FILE and --computer FACTS.json, or --jobs JOBS.jsonl");
  const as = readAttachment(options.as);
  const facts = await readFactsFile(options.computer);
  const sectorBytes = readSectorBytes(options.sectorBytes) ?? sectorsInFacts(facts);
  const medium = await readMedium({ path: file, sectorBytes }, facts.devices !== null);
  const match = matchDocument(matchFiles(medium, facts, as, today()));
  process.stdout.write(options.json ? `${JSON.stringify(match)}\n` : describe(match, facts.firmware.keys));
  return options.check && !starts(match) ? 1 : 0;
}

/** A medium's file, and what is said of the sectors of the stick that it is on. */
interface Named {
  path: string;
  sectorBytes: SectorBytes | null;
}

const keyOf = ({ path, sectorBytes }: Named) => `${sectorBytes} ${path}`;

function namedOf(key: string): Named {
  const [told, ...path] = key.split(" ");
  return { path: path.join(" "), sectorBytes: told === "null" ? null : readSectorBytes(told) };
}

/** What a computer says of the sticks that were in it when its facts were collected, where all of them are alike. */
function sectorsInFacts({ disks }: Facts): SectorBytes | null {
  const sticks = (disks ?? []).filter(({ removable, bus }) => removable === true && bus === "usb");
  return sticks.length > 0 && sticks.every(({ sectorBytes }) => sectorBytes === 4096) ? 4096 : null;
}

/** A medium; with all that it drives, which its initial file systems have to be unpacked for, where that is asked. */
async function readMedium({ path, sectorBytes }: Named, deep: boolean): Promise<MediumFile> {
  const { inspection, drivers } = await inspectFile(path, { deep, sectorBytes });
  return { views: inspection.views, release: releaseOfFile(inspection, drivers) };
}

/** Reads each medium once, and once more where a later job asks for what it drives. */
class MediaReader {
  private readonly quick = memoised(
    (key) => readMedium(namedOf(key), false),
    () => 1,
  );
  private readonly deep = memoised(
    (key) => readMedium(namedOf(key), true),
    ({ release }) => 1 + (release?.drivers ? entriesOf(release.drivers.sources) / ENTRIES_OF_ONE : 0),
  );
  private readonly seenDeep = new Set<string>();

  read(named: Named, withDrivers: boolean): Promise<MediumFile> {
    const key = keyOf(named);
    if (withDrivers) this.seenDeep.add(key);
    return withDrivers || this.seenDeep.has(key) ? this.deep(key) : this.quick(key);
  }
}

/** So many entries of driver lists take about as much room as what else is kept of a medium. */
const ENTRIES_OF_ONE = 500;

const today = () => dayOf(new Date());

function readAttachment(value: string | undefined): Attachment | null {
  if (value === undefined) return null;
  const parsed = attachmentSchema.safeParse(value);
  if (!parsed.success) throw new UsageError(`--as is "${visible(value)}", where usb or optical is needed`);
  return parsed.data;
}

function starts(match: Pick<MatchDocument, "links">): boolean {
  return match.links.starts.verdict === "holds";
}

const jobSchema = z.object({
  id: z.union([z.string(), z.number()]).transform(String),
  medium: z.string(),
  computer: z.string(),
  as: attachmentSchema.nullish(),
  sectorBytes: z.union([z.literal(512), z.literal(4096)]).nullish(),
});

/** One `creel.match/1` a line, in order; a job that cannot be done gives its error and the rest goes on. */
async function runJobs(path: string, options: MatchOptions): Promise<number> {
  let content: string;
  try {
    content = await readFile(path, "utf8");
  } catch (error) {
    throw new UsageError(`${visible(path)}: ${fileProblem(error)}`);
  }
  const folder = dirname(resolve(path));
  const media = new MediaReader();
  const computers = memoised(readFactsFile, () => 1);
  let allStart = true;
  for (const [index, line] of content.split(/\r?\n/).entries()) {
    if (line.trim() === "") continue;
    const answer = await runJob(line, index + 1, folder, media, computers);
    if (!("links" in answer) || !starts(answer)) allStart = false;
    process.stdout.write(options.json ? `${JSON.stringify(answer)}\n` : describeJob(answer));
  }
  return options.check && !allStart ? 1 : 0;
}

type JobAnswer = MatchDocument | { id: string | null; error: string };

async function runJob(
  line: string,
  lineNumber: number,
  folder: string,
  media: MediaReader,
  computers: (path: string) => Promise<Facts>,
): Promise<JobAnswer> {
  let id: string | null = null;
  try {
    const value: unknown = JSON.parse(line);
    if (typeof value === "object" && value !== null && "id" in value) id = String(value.id);
    const job = jobSchema.safeParse(value);
    if (!job.success) {
      const issue = job.error.issues[0];
      return { id, error: `line ${lineNumber}: ${issue ? `${issue.path.join(".")}: ${issue.message}` : "not a job"}` };
    }
    const facts = await computers(resolve(folder, job.data.computer));
    const named = {
      path: resolve(folder, job.data.medium),
      sectorBytes: job.data.sectorBytes ?? sectorsInFacts(facts),
    };
    const medium = await media.read(named, facts.devices !== null);
    return matchDocument(matchFiles(medium, facts, job.data.as ?? null, today()), job.data.id);
  } catch (error) {
    if (error instanceof UsageError) return { id, error: error.message };
    if (error instanceof SyntaxError) return { id, error: `line ${lineNumber}: it is not JSON` };
    throw error;
  }
}

/** What is kept at once, by weight; a jobs file may name more. */
const KEPT = 2000;

function memoised<T>(load: (path: string) => Promise<T>, weigh: (value: T) => number): (path: string) => Promise<T> {
  const kept = new LRUCache<string, Promise<T>>({ maxSize: KEPT });
  return async (path) => {
    const keptReading = kept.get(path);
    if (keptReading) return keptReading;
    const loading = load(path);
    kept.set(path, loading, { size: 1 });
    const value = await loading;
    kept.set(path, loading, { size: Math.min(KEPT, Math.max(1, Math.round(weigh(value)))) });
    return value;
  };
}

function describeJob(answer: JobAnswer): string {
  if ("error" in answer) return `${visible(answer.id ?? "?")}: ${visible(answer.error, 400)}\n`;
  return `${visible(answer.id ?? "?")}: ${verdictText(answer.links.starts.verdict)}: ${answer.links.starts.reasons.map((each) => visible(each.text, 400)).join(" ")}\n`;
}

function describe(match: MatchDocument, keys: Facts["firmware"]["keys"]): string {
  const lines = [`as a ${match.as === "usb" ? "stick" : "disc"}`];
  for (const name of LINK_NAMES) {
    const link = match.links[name];
    lines.push(`${linkTitle(name).padEnd(10)}${verdictText(link.verdict)}`);
    for (const reason of link.reasons) lines.push(`          ${visible(reason.text, 400)}`);
    for (const change of link.changes) lines.push(`          → ${changeWithKeyText(change, keys)}`);
    for (const step of link.trace) lines.push(`          · ${visible(step, 400)}`);
  }
  return `${lines.join("\n")}\n`;
}
