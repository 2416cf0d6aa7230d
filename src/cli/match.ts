import { readFile } from "node:fs/promises";
import { dirname, resolve } from "node:path";
import { z } from "zod";
import { matchFiles } from "@/core/chain/match";
import { LINK_NAMES, type Match } from "@/core/chain/schema";
import type { Facts } from "@/core/facts/schema";
import { type Attachment, attachmentSchema, type Inspection } from "@/core/inspection/schema";
import { changeText, linkTitle, verdictText } from "@/core/words/reasons";
import { visible } from "@/core/words/visible";
import { fileProblem } from "@/server/files/file-source";
import { inspectFile, readFactsFile, UsageError } from "./problems";

interface MatchOptions {
  computer?: string;
  as?: string;
  jobs?: string;
  json?: boolean;
  check?: boolean;
}

export async function runMatch(file: string | undefined, options: MatchOptions): Promise<number> {
  if (options.jobs !== undefined) {
    if (file !== undefined || options.computer !== undefined || options.as !== undefined)
      throw new UsageError("--jobs takes media and computers from its file: leave out FILE, --computer and --as");
    return runJobs(options.jobs, options);
  }
  if (file === undefined || options.computer === undefined)
    throw new UsageError("match needs a medium FILE and --computer FACTS.json, or --jobs JOBS.jsonl");
  const as = readAttachment(options.as);
  const facts = await readFactsFile(options.computer);
  const { inspection } = await inspectFile(file);
  const match = matchFiles(inspection, facts, as);
  process.stdout.write(options.json ? `${JSON.stringify(match)}\n` : describe(match));
  return options.check && !starts(match) ? 1 : 0;
}

function readAttachment(value: string | undefined): Attachment | null {
  if (value === undefined) return null;
  const parsed = attachmentSchema.safeParse(value);
  if (!parsed.success) throw new UsageError(`--as is "${visible(value)}", where usb or optical is needed`);
  return parsed.data;
}

function starts(match: Match): boolean {
  return match.links.starts.verdict === "holds";
}

const jobSchema = z.object({
  id: z.union([z.string(), z.number()]).transform(String),
  medium: z.string(),
  computer: z.string(),
  as: attachmentSchema.nullish(),
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
  const media = memoised((file) =>
    inspectFile(file).then(({ inspection }): Pick<Inspection, "views"> => ({ views: inspection.views })),
  );
  const computers = memoised(readFactsFile);
  let allStart = true;
  for (const [index, line] of content.split(/\r?\n/).entries()) {
    if (line.trim() === "") continue;
    const answer = await runJob(line, index + 1, folder, media, computers);
    if (!("links" in answer) || !starts(answer)) allStart = false;
    process.stdout.write(options.json ? `${JSON.stringify(answer)}\n` : describeJob(answer));
  }
  return options.check && !allStart ? 1 : 0;
}

type JobAnswer = Match | { id: string | null; error: string };

async function runJob(
  line: string,
  lineNumber: number,
  folder: string,
  media: (path: string) => Promise<Pick<Inspection, "views">>,
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
    const inspection = await media(resolve(folder, job.data.medium));
    const facts = await computers(resolve(folder, job.data.computer));
    const { schema, ...rest } = matchFiles(inspection, facts, job.data.as ?? null);
    return { schema, id: job.data.id, ...rest };
  } catch (error) {
    if (error instanceof UsageError) return { id, error: error.message };
    if (error instanceof SyntaxError) return { id, error: `line ${lineNumber}: it is not JSON` };
    throw error;
  }
}

/** Files kept at once; a jobs file may name more. */
const KEPT = 2000;

function memoised<T>(load: (path: string) => Promise<T>): (path: string) => Promise<T> {
  const kept = new Map<string, Promise<T>>();
  return (path) => {
    let value = kept.get(path);
    if (!value) {
      value = load(path);
      kept.set(path, value);
      if (kept.size > KEPT) kept.delete(kept.keys().next().value as string);
    }
    return value;
  };
}

function describeJob(answer: JobAnswer): string {
  if ("error" in answer) return `${visible(answer.id ?? "?")}: ${visible(answer.error, 400)}\n`;
  return `${visible(answer.id ?? "?")}: ${verdictText(answer.links.starts.verdict)}: ${answer.links.starts.reasons.map((each) => visible(each.text, 400)).join(" ")}\n`;
}

function describe(match: Match): string {
  const lines = [`as a ${match.as === "usb" ? "stick" : "disc"}`];
  for (const name of LINK_NAMES) {
    const link = match.links[name];
    lines.push(`${linkTitle(name).padEnd(10)}${verdictText(link.verdict)}`);
    for (const reason of link.reasons) lines.push(`          ${visible(reason.text, 400)}`);
    for (const change of link.changes) lines.push(`          → ${changeText(change)}`);
    for (const step of link.trace) lines.push(`          · ${visible(step, 400)}`);
  }
  return `${lines.join("\n")}\n`;
}
