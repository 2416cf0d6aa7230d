import type { CoverLack, CoverTask, CoverWhy, LeftOut, PlanProgress } from "../cover/result";
import { dayText } from "./dates";
import { changeText, reasonText } from "./reasons";

/** Why no plan can give something, in a sentence: what is to be mended, whichever release comes nearest. */
function reasonOf(why: CoverWhy): string {
  switch (why.code) {
    case "no-purchase":
      return `No purchases for ${why.site}, by your constraint.`;
    case "image-too-old":
      return `Newest image from ${dayText(why.on)}; the limit is ${why.mostDays} days. Take a new one.`;
    case "nearest":
      return [why.reason && reasonText(why.reason), why.change && `${changeText(why.change)}.`]
        .filter(Boolean)
        .join(" ");
    case "nothing-gives-it-back":
      return "No release in the library restores that.";
    case "told-in-words":
      return why.text;
  }
}

/** All that is not given for the same reasons. */
interface LacksOfReason {
  reasons: string[];
  /** Different ones; where not all of them are named, those of the need that most of them have. */
  computers: number;
  lacks: { lack: CoverLack; nearest: string[] }[];
}

/** What no plan can give by what stands against it, told once for all whom it concerns; the most computers first. */
export function lacksByReason(lacks: readonly CoverLack[]): LacksOfReason[] {
  const groups = new Map<string, LacksOfReason>();
  for (const lack of lacks) {
    const reasons = [...new Set(lack.why.map(reasonOf))].sort();
    const key = reasons.join("\n");
    const group = groups.get(key) ?? { reasons, computers: 0, lacks: [] };
    const nearest = lack.why.flatMap((why) => (why.code === "nearest" ? [why.release] : []));
    groups.set(key, { ...group, lacks: [...group.lacks, { lack, nearest }] });
  }
  return [...groups.values()]
    .map((group) => ({ ...group, computers: computersOf(group.lacks.map(({ lack }) => lack)) }))
    .sort((a, b) => b.computers - a.computers);
}

/** One computer may lack several things; for one need it is named once. */
function computersOf(lacks: readonly CoverLack[]): number {
  const isAllNamed = lacks.every(({ computers }) => computers.tags.length === computers.count);
  if (isAllNamed) return new Set(lacks.flatMap(({ computers }) => computers.tags)).size;
  const byNeed = new Map<string, number>();
  for (const { need, computers } of lacks) byNeed.set(need, (byNeed.get(need) ?? 0) + computers.count);
  return Math.max(...byNeed.values());
}

/** Why a file was left out of a plan, in a sentence. */
export function leftOutText({ file, why }: LeftOut): string {
  return why ?? `Its file ${file ?? ""} is not in this server's library.`;
}

const PROGRESS: Record<
  Exclude<PlanProgress, { text: string } | { done: number } | { demands: number }>["code"],
  string
> = {
  waiting: "Queued.",
  looking: "Checking what can be made and whom it serves.",
  "looking-together": "Checking which releases fit on one medium.",
  cancelled: "Cancelled.",
  interrupted: "Interrupted: the server stopped. Compute again.",
  failed: "Not computed. The server log has the details.",
};

/** How far a plan is, or how it ended. */
export function progressText(progress: PlanProgress): string {
  const of = (count: number, what: string) => `${count.toLocaleString("en-GB")} ${what}`;
  switch (progress.code) {
    case "computing":
      return `Computing: ${of(progress.demands, "demands")}, ${of(progress.media, "media")}, ${of(progress.contents, "things that can stand on them")}.`;
    case "parts":
      return `${progress.done} of ${progress.of} parts of the sites are planned.`;
    case "told-in-words":
      return progress.text;
    default:
      return PROGRESS[progress.code];
  }
}

/** A task of an accepted plan, as something to do. */
export function taskText(task: CoverTask): string {
  if (task.text !== undefined) return task.text;
  const { kind, site, from, size, computer, lentTo, holds = null } = task;
  const medium = task.medium ?? `the new medium of ${holds}`;
  switch (kind) {
    case "ask-back":
      return `Ask ${lentTo} for ${medium} back.`;
    case "buy":
      return `Buy ${size === "disc" ? "a blank disc" : `a stick of ${size}`} for ${site}${holds ? "" : ", as a spare"}.`;
    case "write":
      return `Make a medium of ${holds} for ${site}.`;
    case "rewrite":
      return holds ? `Write ${holds} to ${medium}.` : `Wipe ${medium}: it serves nobody and becomes a blank spare.`;
    case "move":
      return from === null ? `Bring ${medium} to ${site}.` : `Bring ${medium} from ${from} to ${site}.`;
    case "drill":
      return `Run a drill of ${medium} on ${computer}.`;
  }
}
