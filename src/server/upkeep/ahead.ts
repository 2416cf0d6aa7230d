import { and, asc, desc, eq, gte, inArray, isNull, sql } from "drizzle-orm";
import type { Need } from "@/core/cover/policy";
import type { CoverResult } from "@/core/cover/result";
import { isBlankSpare, isMet } from "@/core/cover/standing";
import type { ComputerPart, MediumPart } from "@/core/judging/model/parts";
import { dayAfter, dayOf } from "@/core/kernel/days";
import { LACK_CAUSES, type LackCause } from "@/core/upkeep/causes";
import { metThen, type Past } from "@/core/upkeep/past";
import { causeOf, endsOf, lacksOn, type ProofInput } from "@/core/upkeep/proof-due";
import { needTitle } from "@/core/words/policy";
import { removeWhatIsOver } from "../accounts/clean";
import { act } from "../act";
import type { Context } from "../context";
import { type Covered, covered } from "../cover/standings";
import { computers, coverDays, coverPlans, events, media } from "../db/schema";
import { asked } from "../fleet/asked";
import type { JobKind, Round } from "../jobs/engine";
import { ok } from "../problems";
import { proofInput } from "./due";

interface AheadPoint {
  /** ISO day. */
  on: string;
  /** Computers that have what is asked: if nothing is done, and once the accepted plan is done. */
  met: number;
  planned: number | null;
}

export interface AheadAsked {
  /** Who lacks something on that ISO day is told. */
  day: string | null;
  /** A place; null: all. */
  site: string | null;
  /** Of those who lack something, only whom this link fails; null: all. */
  cause: LackCause | null;
}

export interface AheadView {
  today: string;
  /** Computers at the place that is asked for, or everywhere. */
  total: number;
  ahead: AheadPoint[];
  /** By place, in the order of `ahead`. */
  bySite: { site: string | null; total: number; met: number[]; planned: number | null }[];
  /** How many lack something, by why, in the order of `ahead`. */
  byCause: { cause: LackCause; count: number[] }[];
  /** As it was: where a day was not looked at then, as the log, drills and verifications tell of it. */
  past: { on: string; met: number; total: number }[];
  /** Who lacks something on the day that is asked for. */
  chosen: {
    on: string;
    computers: { tag: string; name: string | null; site: string | null; from: string; why: string }[];
    total: number;
  } | null;
  stock: { spares: number; wanted: number; wornLastYear: number; lastsMonths: number | null };
}

const STEP_DAYS = 7;
const AHEAD_DAYS = 364;
/** Days until what a plan asks for is taken to be done. */
const PLAN_DONE_DAYS = 30;
const SHOWN = 100;

/** Cover by day for the next twelve months, everywhere or at a place, and who lacks something on a day. */
export const aheadView = asked("ahead", async (context: Context, asked: AheadAsked): Promise<AheadView> => {
  const cover = await covered(context);
  const { chains, policies, ways } = cover;
  const input = proofInput(cover);
  const { today } = input;
  const days = Array.from({ length: AHEAD_DAYS / STEP_DAYS + 1 }, (_, at) => dayAfter(today, at * STEP_DAYS));
  // For each computer the first day on which it lacks something; empty: it does now.
  const ends = input.standings.map(({ row, needs }) => (isMet(needs) ? (lacksOn(input, row, needs) ?? "9999") : ""));
  const causes = input.standings.map(({ row, needs }) => {
    const end = ends[row] as string;
    const { changesAllowed } = cover.policyOf(chains.computers[row] as ComputerPart).values;
    const failsAt = (need: Need) => cover.serving.failsAt(row, need, changesAllowed);
    return end === "9999" ? null : causeOf(input, row, needs, end === "" ? null : end, failsAt);
  });
  const sites = [...new Set(chains.computers.map(({ site }) => site))].sort((a, b) =>
    (a ?? "\uffff").localeCompare(b ?? "\uffff"),
  );
  const plan = await acceptedMet(context);
  const metOn = (on: string, rows: readonly number[]) => rows.filter((row) => (ends[row] as string) > on).length;
  const all = chains.computers.map((_, row) => row);
  const here = asked.site === null ? all : all.filter((row) => chains.computers[row]?.site === asked.site);
  const isHere = new Set(here);
  const plannedAt = (site: string | null) => (plan && site !== null ? (plan.bySite?.[site] ?? null) : null);
  const planned = asked.site === null ? (plan?.planned ?? null) : plannedAt(asked.site);
  const [kept, told, worn] = await Promise.all([
    pastDays(context, today, asked.site),
    pastByLog(context, cover, { ...input, standings: input.standings.filter(({ row }) => isHere.has(row)) }),
    wornLastYear(context, today),
  ]);
  const looked = new Set(kept.map(({ on }) => on));
  const past = [...kept, ...told.filter(({ on }) => !looked.has(on))].sort((a, b) => a.on.localeCompare(b.on));
  const spares = chains.media.filter(isBlankSpare).length;
  return {
    ...{ today, total: here.length },
    ahead: days.map((on) => {
      const met = metOn(on, here);
      const isDone = on >= dayAfter(today, PLAN_DONE_DAYS);
      return { on, met, planned: planned === null ? null : isDone ? Math.max(planned, met) : met };
    }),
    bySite: sites.map((site) => {
      const rows = all.filter((row) => chains.computers[row]?.site === site);
      return { site, total: rows.length, met: days.map((on) => metOn(on, rows)), planned: plannedAt(site) };
    }),
    byCause: LACK_CAUSES.flatMap((cause) => {
      const rows = here.filter((row) => causes[row] === cause);
      const count = days.map((on) => rows.filter((row) => (ends[row] as string) <= on).length);
      return rows.length > 0 ? [{ cause, count }] : [];
    }),
    past,
    chosen:
      asked.day === null
        ? null
        : chosenOn(
            input,
            ends,
            asked.day,
            here.filter((row) => asked.cause === null || causes[row] === asked.cause),
          ),
    stock: {
      spares,
      wanted: ways.places.reduce((sum, place) => sum + policies.ofSite(place).values.spares, 0),
      wornLastYear: worn,
      lastsMonths: worn === 0 ? null : Math.round((spares / worn) * 12),
    },
  };
});

function chosenOn(
  { computers: fleet, media: stock, standings, lapses }: ProofInput,
  ends: readonly string[],
  on: string,
  among: readonly number[],
): AheadView["chosen"] {
  const rows = among.filter((row) => (ends[row] as string) <= on);
  return {
    ...{ on, total: rows.length },
    computers: rows.slice(0, SHOWN).flatMap((row) => {
      const computer = fleet[row];
      const needs = standings[row]?.needs ?? [];
      if (!computer) return [];
      const lacking = needs.filter((each) => {
        const left = endsOf(lapses, computer, stock, each).filter((end) => end.on === null || end.on > on);
        return left.length < each.wanted;
      });
      const { tag, site: own } = computer;
      const why = lacking.map(({ need }) => needTitle(need)).join(", ");
      return [
        {
          ...{ tag, name: (computer as { name?: string | null }).name ?? null, site: own },
          from: ends[row] as string,
          why,
        },
      ];
    }),
  };
}

/** How many the accepted plan covers; null: none is accepted. */
async function acceptedMet(context: Context): Promise<CoverResult["met"] | null> {
  const [row] = await context.db
    .select({ result: coverPlans.result })
    .from(coverPlans)
    .where(eq(coverPlans.state, "accepted"))
    .limit(1);
  return row?.result?.met ?? null;
}

/** The weeks of the last year as the log of events tells of them. */
async function pastByLog(context: Context, { chains }: Covered, input: ProofInput): Promise<AheadView["past"]> {
  const ids = chains.media.map(({ id }) => id);
  const [itsComputers, itsMedia, changes] = await Promise.all([
    context.db.select({ id: computers.id, at: computers.createdAt }).from(computers).where(isNull(computers.retiredAt)),
    context.db.select({ id: media.id, at: media.createdAt }).from(media).where(isNull(media.retiredAt)),
    ids.length === 0
      ? []
      : context.db
          .select({ id: events.entityId, at: events.at, before: events.before })
          .from(events)
          .where(
            and(
              eq(events.entity, "medium"),
              inArray(events.entityId, ids),
              sql`JSON_EXISTS(${events.before}, '$.verified')`,
            ),
          )
          .orderBy(desc(events.id)),
  ]);
  const day = (at: Date) => dayOf(at);
  const computerSince = new Map(itsComputers.map(({ id, at }) => [id, day(at)]));
  const mediumSince = new Map(itsMedia.map(({ id, at }) => [id, day(at)]));
  const changesOf = new Map<number, { on: string; before: Partial<NonNullable<MediumPart["verified"]>> | null }[]>();
  for (const { id, at, before } of changes) {
    const verified = (before as { verified?: Partial<NonNullable<MediumPart["verified"]>> | null } | null)?.verified;
    changesOf.set(id, [...(changesOf.get(id) ?? []), { on: day(at), before: verified ?? null }]);
  }
  const past: Past = {
    computerSince: (row) => computerSince.get(chains.computers[row]?.id ?? 0) ?? input.today,
    mediumSince: (at) => mediumSince.get(chains.media[at]?.id ?? 0) ?? input.today,
    // The latest change comes first: what was before it held until then.
    verifiedOn: (at, on) => {
      let verified = chains.media[at]?.part.verified ?? null;
      for (const { on: changed, before } of changesOf.get(chains.media[at]?.id ?? 0) ?? []) {
        if (changed <= on) break;
        // A difference tells only of what was otherwise.
        verified = before && ({ ...verified, ...before } as MediumPart["verified"]);
      }
      return verified;
    },
  };
  const first = [...computerSince.values()].sort()[0] ?? input.today;
  const days = Array.from({ length: AHEAD_DAYS / STEP_DAYS }, (_, at) =>
    dayAfter(input.today, (at + 1) * STEP_DAYS - AHEAD_DAYS - STEP_DAYS),
  );
  return metThen(
    input,
    past,
    days.filter((on) => on >= first && on < input.today),
  );
}

async function pastDays(context: Context, today: string, site: string | null): Promise<AheadView["past"]> {
  const rows = await context.db
    .select({
      on: coverDays.on,
      met: sql<number>`SUM(${coverDays.met})`,
      total: sql<number>`SUM(${coverDays.total})`,
    })
    .from(coverDays)
    .where(and(gte(coverDays.on, dayAfter(today, -AHEAD_DAYS)), site === null ? undefined : eq(coverDays.site, site)))
    .groupBy(coverDays.on)
    .orderBy(asc(coverDays.on));
  return rows.map(({ on, met, total }) => ({ on, met: Number(met), total: Number(total) }));
}

/** Media that were said to be worn or distrusted within the last year, by the log of events. */
async function wornLastYear(context: Context, today: string): Promise<number> {
  const [row] = await context.db
    .select({ count: sql<number>`COUNT(DISTINCT ${events.entityId})` })
    .from(events)
    .where(
      and(
        eq(events.entity, "medium"),
        gte(events.at, new Date(`${dayAfter(today, -365)}T00:00:00Z`)),
        sql`JSON_UNQUOTE(JSON_EXTRACT(${events.after}, '$.condition')) IN ('worn', 'distrusted')`,
      ),
    );
  return Number(row?.count ?? 0);
}

/** Keeps how the day stands, by place, once a day: later it is the past. */
export async function keepDay(context: Context): Promise<void> {
  const cover = await covered(context);
  const { today, standings, computers: fleet } = proofInput(cover);
  const [known] = await context.db.select({ id: coverDays.id }).from(coverDays).where(eq(coverDays.on, today)).limit(1);
  if (known) return;
  const places = new Map<string, { total: number; met: number }>();
  for (const { row, needs } of standings) {
    const site = fleet[row]?.site ?? "";
    const place = places.get(site) ?? { total: 0, met: 0 };
    place.total++;
    if (isMet(needs)) place.met++;
    places.set(site, place);
  }
  if (places.size === 0) return;
  await act(context, null, async ({ db }) => {
    await db
      .insert(coverDays)
      .values([...places].map(([site, counts]) => ({ on: today, site, ...counts })))
      .onDuplicateKeyUpdate({ set: { on: today } });
    return ok(today);
  });
}

export const DAY_ROUND: Round = { kind: "cover-day", next: (now) => ({ once: dayOf(now), dueAt: now }) };

export const dayWork: JobKind = {
  isRepeatable: true,
  run: async (work) => {
    await keepDay(work.context);
    await removeWhatIsOver(work.context);
    return null;
  },
};
