import { and, asc, eq, getTableColumns, inArray, isNull, sql } from "drizzle-orm";
import type { CoverResult, CoverSettings, CoverTask, PlannedMedium } from "@/core/cover/result";
import { dayAfter, dayOf } from "@/core/kernel/days";
import { act } from "../act";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import type { CoverPlanId, CoverTaskId } from "../db/ids";
import { nameOf } from "../db/results";
import { coverPlans, coverTasks, media, sites } from "../db/schema";
import { recordEvent } from "../inventory/events";
import { saveVersioned } from "../inventory/versioned";
import { fail, ok, type Result } from "../problems";
import { planDrillIn } from "./planned-drills";

/** Days until a drill that a plan asks for is due. */
export const DRILL_WITHIN_DAYS = 30;

export type TaskRow = typeof coverTasks.$inferSelect;

/** What an earlier plan still asked for is asked for no more. */
export async function withdrawOpen(tx: Queries, planId: CoverPlanId): Promise<void> {
  const earlier = await tx
    .select({ id: coverPlans.id })
    .from(coverPlans)
    .where(and(eq(coverPlans.state, "accepted"), sql`${coverPlans.id} <> ${planId}`));
  if (earlier.length === 0) return;
  const ids = earlier.map(({ id }) => id);
  await tx.delete(coverTasks).where(and(inArray(coverTasks.planId, ids), isNull(coverTasks.doneAt)));
  await tx.update(coverPlans).set({ state: "done" }).where(inArray(coverPlans.id, ids));
}

/** What has to be done for a plan, in the order in which it is done: bought, written, brought, tried. */
export function tasksOf({ media: planned }: CoverResult): CoverTask[] {
  const task = (own: PlannedMedium, kind: CoverTask["kind"], more: Partial<CoverTask> = {}): CoverTask => ({
    ...{ kind, site: own.site, medium: own.medium, holds: own.holds, from: null, releaseId: own.releaseId },
    ...{ besideIds: own.besideIds ?? [], way: own.way, size: null, computer: null },
    ...more,
  });
  const asked: CoverTask[] = [];
  const bought: CoverTask[] = [];
  const written: CoverTask[] = [];
  const brought: CoverTask[] = [];
  const tried: CoverTask[] = [];
  for (const plannedTask of planned) {
    const { act, holds, site, from, size, drills, lentTo } = plannedTask;
    const forced = plannedTask.forcedBy.tags;
    if (lentTo) asked.push(task(plannedTask, "ask-back", { lentTo }));
    if (act === "buy") {
      bought.push(task(plannedTask, "buy", { size }));
      if (holds) written.push(task(plannedTask, "write", { forced }));
    }
    if (act === "rewrite") written.push(task(plannedTask, "rewrite", { forced }));
    if (from !== null && from !== site) brought.push(task(plannedTask, "move", { from }));
    if (act === "buy" && holds) brought.push(task(plannedTask, "move"));
    for (const computer of drills) tried.push(task(plannedTask, "drill", { computer }));
  }
  return [...asked, ...bought, ...written, ...brought, ...tried];
}

export function listTasks(context: Context, planId: CoverPlanId): Promise<(TaskRow & { doneBy: string | null })[]> {
  return context.db
    .select({ ...getTableColumns(coverTasks), doneBy: nameOf(coverTasks.doneById) })
    .from(coverTasks)
    .where(eq(coverTasks.planId, planId))
    .orderBy(asc(coverTasks.position));
}

/**
 * Says that a task is done, or not done after all. One that brings a medium elsewhere moves it in the inventory.
 * Problems: `not-found`.
 */
export async function tickTask(context: Context, taskId: CoverTaskId, isDone: boolean): Promise<Result<boolean>> {
  return act(context, null, async ({ db: tx }): Promise<Result<boolean>> => {
    const [row] = await tx.select().from(coverTasks).where(eq(coverTasks.id, taskId)).for("update");
    if (!row) return fail({ code: "not-found", what: "task" });
    if ((row.doneAt !== null) === isDone) return ok(isDone);
    await markTask(tx, context, row, isDone);
    const { kind, medium: tag, site } = row.body;
    if (isDone && kind === "move" && tag) await bringTo(tx, context, tag, site);
    return ok(isDone);
  });
}

async function markTask(tx: Queries, context: Context, row: TaskRow, isDone: boolean): Promise<void> {
  const version = row.version + 1;
  await tx
    .update(coverTasks)
    .set({
      ...{ doneAt: isDone ? context.now() : null, doneById: isDone ? context.person.id : null },
      ...{ version, updatedAt: context.now() },
    })
    .where(eq(coverTasks.id, row.id));
  await recordEvent(tx, context, {
    ...{
      entity: "cover plan",
      entityId: row.planId,
      entityTag: [row.body.kind, row.body.medium, row.body.site].filter(Boolean).join(" ").slice(0, 120),
      version,
    },
    ...{ action: "worked on", before: { done: !isDone }, after: { done: isDone } },
  });
}

/** Something that was done and that a task may have asked for. */
export type Happened =
  | { what: "made"; medium: string; releaseIds: readonly number[] }
  | { what: "tried"; medium: string; releaseIds: readonly number[]; computer: string };

/** Ticks the open task of the accepted plan that asked for this, the first of several. */
export async function settleTask(tx: Queries, context: Context, happened: Happened): Promise<void> {
  const rows = await tx
    .select({ task: coverTasks })
    .from(coverTasks)
    .innerJoin(coverPlans, eq(coverPlans.id, coverTasks.planId))
    .where(and(eq(coverPlans.state, "accepted"), isNull(coverTasks.doneAt)))
    .orderBy(asc(coverTasks.position))
    .for("update");
  const asking = rows.map(({ task }) => task).filter(({ body }) => asksFor(body, happened));
  // What names the medium comes before what names only what is to stand on it.
  const row = asking.find(({ body }) => body.medium === happened.medium) ?? asking[0];
  if (!row) return;
  await markTask(tx, context, row, true);
  if (happened.what !== "made" || row.body.kind !== "write") return;
  const open = rows
    .map(({ task }) => task)
    .filter(({ planId, body }) => {
      return planId === row.planId && body.medium === null && body.kind !== "buy" && body.kind !== "write";
    });
  await nameNew(tx, context, happened.medium, row.body, open);
}

/** The new medium has a tag: what was to be done with it is to be done with that one from now on, once of each kind. */
async function nameNew(
  tx: Queries,
  context: Context,
  tag: string,
  made: CoverTask,
  open: readonly TaskRow[],
): Promise<void> {
  const dueOn = dayAfter(dayOf(context.now()), DRILL_WITHIN_DAYS);
  const done = new Set<string>();
  for (const { id, body, version } of open) {
    const what = `${body.kind} ${body.computer}`;
    if (body.site !== made.site || !isSame(idsOf(body), idsOf(made)) || done.has(what)) continue;
    done.add(what);
    await tx
      .update(coverTasks)
      .set({ body: { ...body, medium: tag, ...renamed(body, tag) }, version: version + 1, updatedAt: context.now() })
      .where(eq(coverTasks.id, id));
    if (body.kind === "drill" && body.computer)
      await planDrillIn(tx, context, { medium: tag, computer: body.computer, dueOn });
  }
}

/** The sentence of a task that was kept as one. */
function renamed({ text }: CoverTask, tag: string): Pick<CoverTask, "text"> {
  return text === undefined ? {} : { text: text.replace(/the new medium of .+?(?= on | to its place)/, tag) };
}

function idsOf({ releaseId, besideIds = [] }: CoverTask): number[] {
  return releaseId === null ? [] : [releaseId, ...besideIds];
}

function isSame(some: readonly number[], others: readonly number[]): boolean {
  return some.length === others.length && some.every((id) => others.includes(id));
}

function asksFor(task: CoverTask, happened: Happened): boolean {
  const { kind, medium, computer } = task;
  const isOfThese = isSame(idsOf(task), happened.releaseIds);
  if (happened.what === "made")
    return kind === "write" ? isOfThese : kind === "rewrite" && medium === happened.medium && isOfThese;
  if (kind !== "drill" || computer !== happened.computer) return false;
  return medium === null ? isOfThese : medium === happened.medium;
}

async function bringTo(tx: Queries, context: Context, tag: string, site: string): Promise<void> {
  const [[medium], [place]] = await Promise.all([
    tx
      .select()
      .from(media)
      .where(and(eq(media.tag, tag), isNull(media.retiredAt)))
      .for("update"),
    tx.select({ id: sites.id }).from(sites).where(eq(sites.name, site)),
  ]);
  if (!medium || !place || medium.siteId === place.id) return;
  await saveVersioned(tx, context, media, {
    ...{ entity: "medium", id: medium.id, version: medium.version, tag, action: "moved", set: { siteId: place.id } },
    ...{ before: { siteId: medium.siteId }, after: { siteId: place.id } },
  });
}

/** What has to be bought for a plan, a line for each size and place. */
export function shoppingList({ media: planned }: CoverResult, { prices }: CoverSettings) {
  const lines = new Map<string, { size: string; site: string; count: number; price: number }>();
  for (const { act, size, site } of planned) {
    if (act !== "buy" || size === null) continue;
    const line = lines.get(`${site} ${size}`) ?? { size, site, count: 0, price: prices[size] ?? 0 };
    line.count++;
    lines.set(`${site} ${size}`, line);
  }
  return [...lines.values()].sort((a, b) => a.site.localeCompare(b.site) || a.size.localeCompare(b.size));
}
