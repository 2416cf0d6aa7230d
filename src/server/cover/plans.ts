import { and, desc, eq, getTableColumns, isNotNull, isNull } from "drizzle-orm";
import { z } from "zod";
import { askCover, type CoverCandidate, type StockMedium } from "@/core/cover/ask";
import { NEED_OUTCOMES } from "@/core/cover/policy";
import {
  type CoverResult,
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
import { act } from "../act";
import { type Makeable, makeable, makeablePartsOf, makeableTogether } from "../bench/makeable";
import { bestMade } from "../bench/plans";
import type { Context } from "../context";
import type { CoverPlanId } from "../db/ids";
import { insertedId, nameOf } from "../db/results";
import { coverPlans, coverTasks, devices, media, stores } from "../db/schema";
import { DRILL_WITHIN_DAYS, tasksOf, withdrawOpen } from "../drills/cover-tasks";
import { planDrillIn } from "../drills/planned-drills";
import { releaseParts } from "../fleet/world";
import { recordEvent } from "../inventory/events";
import { saveVersioned } from "../inventory/versioned";
import type { JobKind } from "../jobs/engine";
import { cancelHolder } from "../jobs/hold";
import { enqueue, type Job } from "../jobs/jobs";
import { checked, fail, ok, type Result, refused } from "../problems";
import { Solver } from "./solver";
import { type Covered, covered } from "./standings";

export type PlanRow = typeof coverPlans.$inferSelect & { personName: string };

const planColumns = { ...getTableColumns(coverPlans), personName: nameOf(coverPlans.personId) };

const inputSchema = z.object({
  name: z.string().trim().max(120),
  settings: coverSettingsSchema,
});

const holdOf = (id: CoverPlanId) => `cover plan ${id}`;

/** Begins to compute a plan; it goes on by itself. Problems: `invalid`. Gives its id. */
export async function startPlan(context: Context, input: unknown): Promise<Result<number>> {
  const parsed = checked(inputSchema, input);
  if (!parsed.ok) return parsed;
  const { settings } = parsed.value;
  const name = parsed.value.name || `Plan of ${dayOf(context.now())}`;
  return act(context, null, async (acting): Promise<Result<number>> => {
    const { db: tx } = acting;
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
    const queued = await enqueue(acting, { kind: PLAN_KIND, payload: { plan: id }, holds: holdOf(id) });
    return queued.ok ? ok(id) : queued;
  });
}

export const PLAN_KIND = "cover-plan";

const planOf = ({ payload }: Job) => (payload as { plan: number }).plan;

/** Computes a plan. One at a time in a process, since it takes a whole core; another process begins it anew. */
export const planWork: JobKind = {
  isRepeatable: true,
  slots: 1,
  run: async (work) => {
    const { context } = work;
    const id = planOf(work.job);
    const tell = async (told: PlanProgress) => {
      work.check();
      work.tell(told.code, "done" in told ? told.done : 0, "of" in told ? told.of : 0);
      await work.act(async ({ db }) => {
        await db.update(coverPlans).set({ told, updatedAt: context.now() }).where(eq(coverPlans.id, id));
        return ok(null);
      });
    };
    const row = await getPlan(context, id);
    if (!row) return null;
    const startedAt = performance.now();
    const solver = new Solver();
    const end = () => void solver.close();
    work.signal.addEventListener("abort", end);
    try {
      await tell({ code: "looking" });
      const { meaning, leftOut, whyNot } = await askForPlan(context, row.settings, tell);
      const { demands, media: own, contents } = meaning.problem;
      await tell({ code: "computing", demands: demands.length, media: own.length, contents: contents.length });
      const plan = await solveCover(meaning.problem, {
        ...{ solve: solver.solve, seconds: row.settings.seconds },
        onPart: async (done, of) => {
          if (of > 1) await tell({ code: "parts", done, of });
        },
      });
      const seconds = Math.round((performance.now() - startedAt) / 100) / 10;
      return tellCover(meaning, plan, { seconds, leftOut, whyNot });
    } catch (error) {
      // A solver that was closed for it says that it ended.
      work.check();
      throw error;
    } finally {
      work.signal.removeEventListener("abort", end);
      await solver.close();
    }
  },
  ended: async ({ db, now }, job, end) => {
    const set =
      end.state === "done"
        ? { state: "done" as const, told: null, result: end.result as CoverResult }
        : end.state === "failed"
          ? { state: "failed" as const, told: { code: "failed" as const } }
          : { state: "cancelled" as const, told: { code: "cancelled" as const } };
    await db
      .update(coverPlans)
      .set({ ...set, updatedAt: now() })
      .where(and(eq(coverPlans.id, planOf(job)), eq(coverPlans.state, "running")));
  },
};

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

/** Asks a plan that waits or is computed to stop; it says so once it has. Gives whether there was anything to stop. */
export async function cancelPlan(context: Context, id: CoverPlanId): Promise<Result<boolean>> {
  const asked = await cancelHolder(context, holdOf(id), planWork);
  return ok(asked);
}

export async function getPlan(context: Context, id: CoverPlanId): Promise<PlanRow | null> {
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
export async function acceptPlan(context: Context, id: CoverPlanId, version: number): Promise<Result<number>> {
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
