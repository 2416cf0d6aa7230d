import { and, asc, eq, isNull } from "drizzle-orm";
import { z } from "zod";
import type { CoverTask } from "@/core/cover/result";
import { dayOf } from "@/core/kernel/days";
import type { DueItem } from "@/core/upkeep/due";
import { RESULTS, type Visit, visitOf } from "@/core/upkeep/visit";
import { dueTitle } from "@/core/words/upkeep";
import { problemText } from "../../core/words/problems";
import type { Context } from "../context";
import type { CoverTaskId } from "../db/ids";
import { coverPlans, coverTasks } from "../db/schema";
import { tickTask } from "../drills/cover-tasks";
import { recordDrill } from "../drills/drills";
import { asked } from "../fleet/asked";
import { fleet } from "../fleet/fleet";
import { loadTravel } from "../inventory/policies";
import { dateVerification, type VerificationOutcome } from "../media/date-verification";
import { giveBack } from "../media/loans";
import { getMedium, retireMedium } from "../media/media";
import { checked, ok, type Result } from "../problems";
import { everythingDue } from "./due";
import { openSnoozes } from "./snoozes";

export interface VisitView extends Visit {
  /** What the accepted plan asks to be done there. */
  tasks: { id: CoverTaskId; body: CoverTask }[];
  /** Minutes from each place from which there is a way. */
  from: { place: string; minutes: number }[];
}

async function openDue(context: Context): Promise<DueItem[]> {
  const today = dayOf(context.now());
  const [due, snoozed] = await Promise.all([everythingDue(context), openSnoozes(context, today)]);
  const putOff = new Set(snoozed.map(({ dueKey }) => dueKey));
  return due.filter(({ key }) => !putOff.has(key));
}

/** Places at which something is due, those with most of it first. */
export async function visitPlaces(context: Context): Promise<{ site: string; count: number; minutes: number }[]> {
  const due = await openDue(context);
  const sites = [...new Set(due.flatMap(({ site }) => site ?? []))];
  return sites
    .map((site) => {
      const { jobs, minutes, left } = visitOf(site, due, () => undefined);
      return { site, count: jobs.length + left, minutes };
    })
    .sort((a, b) => b.count - a.count || a.site.localeCompare(b.site));
}

/** Everything that is due at a place as one trip: what to take, what to do, about how long. */
export const visitView = asked("visit", async (context: Context, site: string): Promise<VisitView> => {
  const [due, { media }, travel, tasks] = await Promise.all([
    openDue(context),
    fleet(context),
    loadTravel(context.db),
    context.db
      .select({ id: coverTasks.id, body: coverTasks.body })
      .from(coverTasks)
      .innerJoin(coverPlans, eq(coverPlans.id, coverTasks.planId))
      .where(and(eq(coverPlans.state, "accepted"), isNull(coverTasks.doneAt)))
      .orderBy(asc(coverTasks.position)),
  ]);
  const siteOf = new Map(media.map(({ part }) => [part.tag, part.site]));
  const at = travel.places.findIndex(({ name }) => name === site);
  return {
    ...visitOf(site, due, (medium) => siteOf.get(medium)),
    // Drills of the plan are planned drills already.
    tasks: tasks.filter(({ body }) => body.site === site && body.kind !== "drill"),
    from: travel.places.flatMap(({ name }, from) => {
      const minutes = travel.table[from]?.[at] ?? null;
      return minutes === null || name === site ? [] : [{ place: name, minutes }];
    }),
  };
});

const enteredSchema = z.object({
  site: z.string().min(1).max(120),
  results: z
    .array(z.object({ key: z.string().max(400), result: z.string().max(20), note: z.string().trim().max(300) }))
    .max(1000),
  tasks: z.array(z.number().int().positive()).max(1000),
});

export interface Entered {
  recorded: number;
  /** What could not be recorded, each with why. */
  left: string[];
}

/** Takes the results of a visit in one pass; each is recorded as if it were entered alone. Problems: `invalid`. */
export async function enterVisit(context: Context, input: unknown): Promise<Result<Entered>> {
  const parsed = checked(enteredSchema, input);
  if (!parsed.ok) return parsed;
  const { results, tasks, site } = parsed.value;
  const items = new Map((await openDue(context)).map((item) => [item.key, item]));
  const entered: Entered = { recorded: 0, left: [] };
  const note = (title: string, result: Result<unknown>) => {
    if (result.ok) entered.recorded++;
    else entered.left.push(`${title}: ${problemText(result.problem)}`);
  };
  for (const line of results.filter(({ result }) => result !== "")) {
    const item = items.get(line.key);
    if (!item || item.site !== site) {
      entered.left.push(`${line.key}: it is no longer due there.`);
      continue;
    }
    if (!RESULTS[item.kind]?.includes(line.result)) {
      entered.left.push(`${dueTitle(item)}: “${line.result}” says nothing of it.`);
      continue;
    }
    note(dueTitle(item), await entryOf(context, item, line.result, line.note));
  }
  for (const id of tasks) note(`Task ${id}`, await tickTask(context, id, true));
  return ok(entered);
}

async function entryOf(context: Context, { kind, medium, computer }: DueItem, result: string, note: string) {
  const tag = medium ?? "";
  if (kind === "verification") return dateVerification(context, tag, result as VerificationOutcome);
  if (kind === "loan") return giveBack(context, tag, null);
  if (kind === "wear") {
    const detail = await getMedium(context, tag);
    return detail ? retireMedium(context, detail.row.id, detail.row.version, true) : ok(0);
  }
  const on = dayOf(context.now());
  return recordDrill(context, { medium: tag, computer: computer ?? "", on, result, note: note || null });
}
