import { and, desc, eq, getTableColumns, isNotNull, isNull } from "drizzle-orm";
import { z } from "zod";
import { askCover, type CoverCandidate, type StockMedium } from "@/core/cover/ask";
import { NEED_OUTCOMES } from "@/core/cover/policy";
import {
  type CoverSettings,
  type CoverWhy,
  coverSettingsSchema,
  type PlanProgress,
  USUAL_SETTINGS,
} from "@/core/cover/result";
import { freshMedium, Serving } from "@/core/cover/serving";
import { solveCover } from "@/core/cover/solve";
import { tooOldImage } from "@/core/cover/standing";
import { tellCover, type WhyNot } from "@/core/cover/tell";
import { pairsWorthTrying } from "@/core/cover/together";
import { judgePair, surroundingsOf } from "@/core/fleet/judge";
import type { ComputerPart } from "@/core/judging/model/parts";
import type { Verdict } from "@/core/judging/model/schema";
import { dayAfter, dayOf } from "@/core/kernel/days";
import { type Makeable, makeable, makeablePartsOf, makeableTogether } from "../bench/makeable";
import { bestMade } from "../bench/plans";
import type { Context } from "../context";
import { act } from "../db/act";
import type { Database } from "../db/client";
import { affectedRows, insertedId, nameOf } from "../db/results";
import { coverPlans, coverTasks, devices, media, stores } from "../db/schema";
import { DRILL_WITHIN_DAYS, tasksOf, withdrawOpen } from "../drills/cover-tasks";
import { planDrillIn } from "../drills/planned-drills";
import { releaseParts } from "../fleet/world";
import { recordEvent } from "../inventory/events";
import { saveVersioned } from "../inventory/versioned";
import { log } from "../log";
import { checked, fail, ok, type Result, refused } from "../problems";
import { Solver } from "./solver";
import { type Covered, covered } from "./standings";

export type PlanRow = typeof coverPlans.$inferSelect & { personName: string };

const planColumns = { ...getTableColumns(coverPlans), personName: nameOf(coverPlans.personId) };

const inputSchema = z.object({
  name: z.string().trim().max(120),
  settings: coverSettingsSchema,
});

/** Begins to compute a plan; it goes on by itself. Problems: `invalid`. Gives its id. */
export async function startPlan(context: Context, input: unknown): Promise<Result<number>> {
  const begun = await beginPlan(context, input);
  if (begun.ok) void runPlan(context, begun.value);
  return begun;
}

export async function beginPlan(context: Context, input: unknown): Promise<Result<number>> {
  const parsed = checked(inputSchema, input);
  if (!parsed.ok) return parsed;
  const { settings } = parsed.value;
  const name = parsed.value.name || `Plan of ${dayOf(context.now())}`;
  return act(context, null, async ({ db: tx }): Promise<Result<number>> => {
    const times = { createdAt: context.now(), updatedAt: context.now() };
    const row = await tx
      .insert(coverPlans)
      .values({ name, settings, told: { code: "waiting" }, personId: context.person.id, ...times })
      .$returningId();
    const id = insertedId(row);
    await recordEvent(tx, context, {
      ...{ entity: "cover plan", entityId: id, entityTag: name, action: "added", version: 1 },
      ...{ before: null, after: settings },
    });
    return ok(id);
  });
}

/** One at a time: a plan takes a whole core. */
let turn: Promise<unknown> = Promise.resolve();
const running = new Map<number, Solver>();

/** Computes a plan that was begun, to its end, and says in the database how it ended. */
export function runPlan(context: Context, id: number): Promise<void> {
  const computing = turn.then(() => computePlan(context, id));
  turn = computing.catch(() => {});
  return computing;
}

async function computePlan(context: Context, id: number): Promise<void> {
  const isRunning = and(eq(coverPlans.id, id), eq(coverPlans.state, "running"));
  const tell = (set: Partial<PlanRow>) =>
    context.db
      .update(coverPlans)
      .set({ ...set, updatedAt: context.now() })
      .where(isRunning);
  const [row] = await context.db.select().from(coverPlans).where(isRunning);
  if (!row) return;
  const startedAt = performance.now();
  const solver = new Solver();
  running.set(id, solver);
  try {
    await tell({ told: { code: "looking" } });
    const { meaning, leftOut, whyNot } = await askForPlan(context, row.settings, (told) => tell({ told }));
    const { demands, media: own, contents } = meaning.problem;
    await tell({
      told: { code: "computing", demands: demands.length, media: own.length, contents: contents.length },
    });
    const plan = await solveCover(meaning.problem, {
      ...{ solve: solver.solve, seconds: row.settings.seconds },
      onPart: async (done, of) => {
        if (of > 1) await tell({ told: { code: "parts", done, of } });
      },
    });
    const seconds = Math.round((performance.now() - startedAt) / 100) / 10;
    await tell({ state: "done", told: null, result: tellCover(meaning, plan, { seconds, leftOut, whyNot }) });
  } catch (error) {
    log.error({ err: error, plan: id }, "a plan of cover broke off");
    await tell({ state: "failed", told: { code: "failed" } });
  } finally {
    running.delete(id);
    await solver.close();
  }
}

/** More pairs than these are not tried: reading what two releases come to together takes a second. */
const PAIRS_MOST = 24;

/** The problem as the inventory has it now. */
async function askForPlan(context: Context, settings: CoverSettings, tell: (told: PlanProgress) => Promise<unknown>) {
  const cover = await covered(context);
  const { chains, policies, policyOf, ways } = cover;
  const [library, parts, stock] = await Promise.all([
    makeable(context),
    releaseParts(context),
    stockOf(context, cover),
  ]);
  const world = { ...chains.world, computers: chains.computers };
  const meaningOf = (candidates: CoverCandidate[]) =>
    askCover({
      ...{ computers: chains.computers, stock, candidates, ways, policies, policyOf, settings },
      serving: new Serving(world, [...stock, ...candidates.map(({ medium }) => medium)]),
    });
  const asCandidate = (made: Makeable) => candidateOf(made, parts, chains.world.today);
  const alone = library.found.map(asCandidate);
  const meaning = meaningOf(alone);
  const whyNot = whyNotOf(cover, alone);
  const { leftOut } = library;
  const pairs = pairsWorthTrying(meaning, PAIRS_MOST);
  if (pairs.length === 0) return { meaning, leftOut, whyNot };
  await tell({ code: "looking-together" });
  const together = (await makeableTogether(library, pairs)).map(asCandidate);
  return { meaning: together.length > 0 ? meaningOf([...alone, ...together]) : meaning, leftOut, whyNot };
}

function candidateOf(
  { releaseId, besideIds, releases, way, neededBytes, predicted, loads, key }: Makeable,
  parts: Awaited<ReturnType<typeof releaseParts>>,
  today: string,
): CoverCandidate {
  const as = way.way === "disc" ? "optical" : "usb";
  const carried = makeablePartsOf(parts, [releaseId, ...besideIds], loads);
  const medium = freshMedium({ key, views: predicted.views }, as, carried, today);
  return { releaseId, besideIds, releases, way: way.way, neededBytes, medium };
}

async function stockOf(context: Context, { chains }: Covered): Promise<StockMedium[]> {
  const [rows, itsStores, itsDevices] = await Promise.all([
    context.db.select({ id: media.id, capacityBytes: media.capacityBytes }).from(media).where(isNull(media.retiredAt)),
    context.db
      .select({ id: stores.mediumId })
      .from(stores)
      .where(and(isNotNull(stores.mediumId), isNull(stores.retiredAt))),
    context.db
      .select({ id: devices.mediumId })
      .from(devices)
      .where(and(isNotNull(devices.mediumId), eq(devices.isStore, true))),
  ]);
  const capacity = new Map(rows.map(({ id, capacityBytes }) => [id, capacityBytes]));
  const held = new Set([...itsStores, ...itsDevices].map(({ id }) => id));
  const withImages = new Set(
    chains.world.images.flatMap(({ places }) => places.flatMap((place) => (place.on === "medium" ? [place.tag] : []))),
  );
  return chains.media.map((medium): StockMedium => {
    const isStore = medium.kind === "disk" || held.has(medium.id) || withImages.has(medium.part.tag);
    return { ...medium, capacityBytes: capacity.get(medium.id) ?? null, isStore };
  });
}

const WHY_NOT = 3;
const VERDICTS: Verdict[] = ["holds", "holds-after-change", "unknown", "broken"];

/** For a computer that nothing serves: of each release the way that comes nearest, and what stands against it. */
function whyNotOf({ chains, serving, policyOf }: Covered, candidates: readonly CoverCandidate[]): WhyNot {
  const around = surroundingsOf(chains.world);
  const rowOf = new Map(chains.computers.map(({ tag }, row) => [tag, row]));
  return (computer: ComputerPart, need) => {
    if (need === "spare") return [];
    const { values } = policyOf(computer);
    const row = rowOf.get(computer.tag) ?? -1;
    const on = NEED_OUTCOMES[need].includes("image") ? tooOldImage(serving, row, values) : null;
    const old: CoverWhy[] = on === null ? [] : [{ code: "image-too-old", on, mostDays: values.imageDays }];
    if (on !== null && need === "image") return old;
    const nearest = new Map<string, { why: CoverWhy; rank: number }>();
    for (const {
      releases: [release],
      medium,
    } of candidates) {
      const routes = judgePair(around, computer, medium).filter(
        ({ outcome }) => outcome !== null && NEED_OUTCOMES[need].includes(outcome.kind),
      );
      const best = bestMade(routes);
      if (!best) continue;
      const { verdict, reasons, changes } = best.link;
      const rank = VERDICTS.indexOf(verdict);
      const why: CoverWhy = { code: "nearest", release, reason: reasons[0] ?? null, change: changes[0] ?? null };
      if (rank < (nearest.get(release)?.rank ?? 9)) nearest.set(release, { why, rank });
    }
    const found = [...nearest.values()].sort((a, b) => a.rank - b.rank).slice(0, WHY_NOT);
    const told: CoverWhy[] = found.length > 0 ? found.map(({ why }) => why) : [{ code: "nothing-gives-it-back" }];
    return [...old, ...told];
  };
}

/** Asks a plan that is computed to stop. */
export async function cancelPlan(context: Context, id: number): Promise<Result<boolean>> {
  const result = await context.db
    .update(coverPlans)
    .set({ state: "cancelled", told: { code: "cancelled" }, updatedAt: context.now() })
    .where(and(eq(coverPlans.id, id), eq(coverPlans.state, "running")));
  await running.get(id)?.close();
  return ok(affectedRows(result) === 1);
}

/** Plans that a stopped server left in the middle; nothing follows from them. At start. */
export async function markInterruptedPlans(db: Database, now: Date): Promise<void> {
  await db
    .update(coverPlans)
    .set({ state: "interrupted", told: { code: "interrupted" }, updatedAt: now })
    .where(eq(coverPlans.state, "running"));
}

export async function getPlan(context: Context, id: number): Promise<PlanRow | null> {
  const [row] = await context.db.select(planColumns).from(coverPlans).where(eq(coverPlans.id, id));
  return row ?? null;
}

const LISTED = 60;

export function listPlans(context: Context): Promise<PlanRow[]> {
  return context.db.select(planColumns).from(coverPlans).orderBy(desc(coverPlans.id)).limit(LISTED);
}

/** What the next plan begins with: as the last one was asked for. */
export async function lastSettings(context: Context): Promise<CoverSettings> {
  const [row] = await context.db
    .select({ settings: coverPlans.settings })
    .from(coverPlans)
    .orderBy(desc(coverPlans.id))
    .limit(1);
  const parsed = coverSettingsSchema.safeParse(row?.settings);
  return parsed.success ? { ...parsed.data, keep: [], noPurchase: [], without: [] } : USUAL_SETTINGS;
}

/**
 * Takes a plan as what is to be done: its tasks, and its drills are planned. An earlier accepted plan's open tasks are
 * withdrawn. Problems: `invalid`, `not-found`, `stale`.
 */
export async function acceptPlan(context: Context, id: number, version: number): Promise<Result<number>> {
  const row = await getPlan(context, id);
  if (!row) return fail({ code: "not-found", what: "plan" });
  const { result } = row;
  if (row.state !== "done" || !result) return refused({ code: "plan-not-done" });
  const tasks = tasksOf(result);
  return act(context, null, async ({ db: tx }): Promise<Result<number>> => {
    const acceptedAt = context.now();
    const saved = await saveVersioned(tx, context, coverPlans, {
      ...{
        entity: "cover plan",
        id,
        version,
        tag: row.name,
        action: "changed",
        set: { state: "accepted", acceptedAt },
      },
      ...{ before: { state: row.state }, after: { state: "accepted", tasks: tasks.length } },
    });
    if (!saved.ok) return saved;
    await withdrawOpen(tx, id);
    const times = { createdAt: acceptedAt, updatedAt: acceptedAt };
    if (tasks.length > 0)
      await tx.insert(coverTasks).values(tasks.map((body, position) => ({ planId: id, position, body, ...times })));
    const dueOn = dayAfter(dayOf(acceptedAt), DRILL_WITHIN_DAYS);
    for (const { kind, medium, computer } of tasks)
      if (kind === "drill" && medium && computer) await planDrillIn(tx, context, { medium, computer, dueOn });
    return saved;
  });
}
