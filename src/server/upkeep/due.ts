import { and, desc, eq, gt, inArray, isNull, sql } from "drizzle-orm";
import { alias } from "drizzle-orm/mysql-core";
import { z } from "zod";
import { dayAfter, Lapses } from "@/core/cover/lapses";
import { surroundingsOf } from "@/core/fleet/judge";
import { daysBetween } from "@/core/links/proven";
import { judgeReinstall } from "@/core/links/reinstall";
import { AHEAD_DAYS, DUE_KINDS, type DueItem, type DueKind, rankDue, someOf } from "@/core/upkeep/due";
import { type ProofInput, proofDue } from "@/core/upkeep/proof-due";
import { dueText } from "@/core/words/images";
import type { Context } from "../context";
import { type Covered, covered, standings } from "../cover/standings";
import { computers, events, kits, loads, media, releases, sites, snoozes, stocktakes } from "../db/schema";
import { checked, fail, ok, type Result } from "../problems";
import { listCalendars, listSystems, supportOf } from "../services/calendars";
import { recordEvent } from "../services/events";
import { allDue } from "../services/image-due";
import { openLoans } from "../services/loans";
import { plannedOf } from "../services/planned-drills";
import { subjectOf } from "../services/policies";

/** The fleet's proofs as upkeep looks at them. */
export function proofInput(cover: Covered): ProofInput {
  const { chains } = cover;
  const { world } = chains;
  const policyFor = world.policyFor ?? (() => world.policy);
  const around = surroundingsOf(world);
  return {
    ...{ computers: chains.computers, media: chains.media, standings: standings(cover), today: world.today },
    ...{ policyFor, drillsOf: around.drillsOf },
    lapses: new Lapses({ drills: world.drills, policyFor, today: world.today }),
  };
}

const NOBODY = someOf([]);
type Bare = Omit<DueItem, "key" | "loses" | "breaksOn" | "medium" | "computer" | "site"> &
  Partial<DueItem> & { about: string };

function item({ about, ...given }: Bare): DueItem {
  const key = `${given.kind} ${about}`;
  return { medium: null, computer: null, site: null, breaksOn: null, loses: NOBODY, key, ...given };
}

/** Everything that is due, by consequence; what was put off is among it. */
export async function everythingDue(context: Context): Promise<DueItem[]> {
  const cover = await covered(context);
  const { today } = cover.chains.world;
  const parts = await Promise.all([
    plannedDrills(context, cover, today),
    secureBootChanged(context, cover),
    images(context, cover),
    onMedia(context, cover, today),
    ended(context, cover, today),
    loansOverdue(context),
    facts(context, cover, today),
    places(context, cover, today),
  ]);
  return rankDue([...proofDue(proofInput(cover)), ...parts.flat()], today);
}

async function plannedDrills(context: Context, { chains }: Covered, today: string): Promise<DueItem[]> {
  const siteOf = new Map(chains.computers.map(({ tag, site }) => [tag, site]));
  const planned = await plannedOf(context, 1000);
  return planned
    .filter(({ dueOn }) => dueOn <= dayAfter(today, AHEAD_DAYS))
    .map(({ medium, computer, dueOn, by }) =>
      item({
        ...{ kind: "planned-drill", about: `${medium} ${computer}`, medium, computer },
        ...{ site: siteOf.get(computer) ?? null, breaksOn: dueOn },
        reason: { code: "drill-planned", on: dueOn, days: Math.max(0, daysBetween(dueOn, today)), by },
      }),
    );
}

/** Computers whose Secure Boot was recorded otherwise since their last drill: what it proved may not hold any more. */
async function secureBootChanged(context: Context, { chains }: Covered): Promise<DueItem[]> {
  const lastDrill = new Map<string, { medium: string; on: string }>();
  for (const { computer, medium, on, result, emulated } of chains.world.drills) {
    if (emulated || result === "failed") continue;
    if (on >= (lastDrill.get(computer)?.on ?? "")) lastDrill.set(computer, { medium, on });
  }
  const drilled = chains.computers.filter(({ tag }) => lastDrill.has(tag));
  if (drilled.length === 0) return [];
  const path = "$.firmware.secureBoot";
  const rows = await context.db
    .select({ id: events.entityId, at: sql<string>`MAX(${events.at})` })
    .from(events)
    .where(
      and(
        eq(events.entity, "computer"),
        inArray(
          events.entityId,
          drilled.map(({ id }) => id),
        ),
        sql`JSON_EXTRACT(${events.before}, ${path}) <> JSON_EXTRACT(${events.after}, ${path})`,
      ),
    )
    .groupBy(events.entityId);
  const changed = new Map(rows.map(({ id, at }) => [id, String(at).slice(0, 10)]));
  return drilled.flatMap(({ id, tag, site }) => {
    const { medium, on: drilledOn } = lastDrill.get(tag) ?? { medium: "", on: "" };
    const on = changed.get(id);
    if (!on || on <= drilledOn) return [];
    return [
      item({
        ...{ kind: "drill", about: `${medium} ${tag} secure boot`, medium, computer: tag, site },
        reason: { code: "secure-boot-changed", on, drilledOn },
      }),
    ];
  });
}

async function images(context: Context, { policies }: Covered): Promise<DueItem[]> {
  const due = await allDue(context, (subject) => policies.of(subject).values.imageDays);
  return due.map(({ computer, site, reasons }) =>
    item({
      ...{ kind: "image", about: computer, computer, site },
      // What changes on a day is wanted before it.
      breaksOn: reasons[0]?.code === "change-ahead" ? reasons[0].on : null,
      reason: { code: "image", why: reasons.map(dueText).join(" ") },
    }),
  );
}

/** What is due for what media are and carry. */
async function onMedia(context: Context, cover: Covered, today: string): Promise<DueItem[]> {
  const { chains, policies } = cover;
  const successor = alias(releases, "successor");
  const successorKit = alias(kits, "successor_kit");
  const [rows, calendars] = await Promise.all([
    context.db
      .select({
        ...{ mediumId: media.id, medium: media.tag, site: sites.name, condition: media.condition },
        ...{ release: releases.name, kit: kits.name, by: successor.name, byKit: successorKit.name },
      })
      .from(media)
      .leftJoin(sites, eq(sites.id, media.siteId))
      .leftJoin(loads, eq(loads.mediumId, media.id))
      .leftJoin(releases, eq(releases.id, loads.releaseId))
      .leftJoin(kits, eq(kits.id, releases.kitId))
      .leftJoin(successor, eq(successor.id, releases.supersededById))
      .leftJoin(successorKit, eq(successorKit.id, successor.kitId))
      .where(isNull(media.retiredAt)),
    listCalendars(context),
  ]);
  const due: DueItem[] = [];
  const seen = new Set<number>();
  for (const { mediumId, medium, site, condition, release, kit, by, byKit } of rows) {
    if (!seen.has(mediumId) && (condition === "worn" || condition === "distrusted"))
      due.push(item({ kind: "wear", about: medium, medium, site, reason: { code: condition } }));
    seen.add(mediumId);
    if (release === null || kit === null) continue;
    const name = `${kit} ${release}`;
    const about = `${medium} ${name}`;
    if (by !== null)
      due.push(
        item({
          ...{ kind: "superseded", about, medium, site },
          reason: { code: "release-superseded", release: name, by: `${byKit} ${by}` },
        }),
      );
    const support = supportOf(calendars, { name: kit, version: release }, today)?.support;
    const end = support?.state === "ended" ? support.end?.date : undefined;
    if (end)
      due.push(item({ kind: "ended", about, medium, site, reason: { code: "release-ended", release: name, on: end } }));
  }
  for (const { part, releases: carried } of chains.media)
    for (const release of carried) {
      const most = part.site === null ? null : policies.ofSite(part.site).values.systemFilesDays;
      const installs = release.systems?.some(({ role }) => role === "installs") ?? false;
      const age = release.madeOn === null ? null : daysBetween(release.madeOn, today);
      if (installs && most !== null && age !== null && age > most)
        due.push(
          item({
            ...{ kind: "system-files", about: `${part.tag} ${release.name}`, medium: part.tag, site: part.site },
            reason: { code: "system-files-old", release: release.name, days: age, most },
          }),
        );
      const behind = installs ? systemFilesBehind(cover, part.site, release) : null;
      if (behind)
        due.push(
          item({
            ...{ kind: "system-files", about: `${part.tag} ${release.name} older`, medium: part.tag, site: part.site },
            reason: { code: "system-files-older", release: release.name, ...behind },
          }),
        );
      const older = olderThanSystems(cover, part.site, release);
      if (older)
        due.push(
          item({
            ...{ kind: "environment", about: `${part.tag} ${release.name}`, medium: part.tag, site: part.site },
            reason: { code: "environment-older", release: release.name, ...older },
          }),
        );
    }
  return due;
}

/** The first computer of the place that could be reinstalled from a release, and runs a later build than it includes. */
function systemFilesBehind(
  { chains }: Covered,
  site: string | null,
  release: Covered["chains"]["media"][number]["releases"][number],
): { has: string; runs: string } | null {
  for (const computer of site === null ? [] : chains.computers) {
    if (computer.site !== site) continue;
    const { ruling } = judgeReinstall(computer, release);
    const older = ruling.reasons.find((each) => each.code === "included-older");
    if (older?.code === "included-older") return { has: older.included, runs: older.runs };
  }
  return null;
}

/** A system of the place that came out after an environment was made which repairs such systems. */
function olderThanSystems(
  { chains }: Covered,
  site: string | null,
  release: Covered["chains"]["media"][number]["releases"][number],
): { madeOn: string; system: string; releasedOn: string } | null {
  const { madeOn } = release;
  if (madeOn === null || site === null || !release.facts.purposes.includes("start-up-repair")) return null;
  const family = release.family?.toLowerCase() === "pe" ? "windows" : release.family?.toLowerCase();
  let latest: { madeOn: string; system: string; releasedOn: string } | null = null;
  for (const computer of chains.computers) {
    const system = computer.site === site ? computer.facts.systems?.[0] : undefined;
    if (!system || (system.family && system.family.toLowerCase() !== family)) continue;
    const releasedOn = chains.world.releasedOn(system.name, system.version);
    if (releasedOn === null || releasedOn <= madeOn || (latest && latest.releasedOn >= releasedOn)) continue;
    latest = { madeOn, system: [system.name, system.version].filter(Boolean).join(" "), releasedOn };
  }
  return latest;
}

/** Systems past their end that computers run. */
async function ended(context: Context, _: Covered, today: string): Promise<DueItem[]> {
  const systems = await listSystems(context, today);
  return systems.flatMap(({ name, version, computers: count, support }) => {
    const end = support?.support.state === "ended" ? support.support.end?.date : undefined;
    if (!end) return [];
    const system = [name, version].filter(Boolean).join(" ");
    return [
      item({ kind: "ended", about: system, reason: { code: "system-ended", system, on: end, computers: count } }),
    ];
  });
}

async function loansOverdue(context: Context): Promise<DueItem[]> {
  return (await openLoans(context)).flatMap(({ tag, to, dueOn, isOverdue, site }) =>
    isOverdue && dueOn !== null
      ? [item({ kind: "loan", about: tag, medium: tag, site, reason: { code: "loan-overdue", to, on: dueOn } })]
      : [],
  );
}

async function facts(context: Context, { chains, policies }: Covered, today: string): Promise<DueItem[]> {
  const rows = await context.db
    .select({ id: computers.id, factsAt: computers.factsAt })
    .from(computers)
    .where(isNull(computers.retiredAt));
  const collected = new Map(rows.map(({ id, factsAt }) => [id, factsAt]));
  return chains.computers.flatMap((computer) => {
    const most = policies.of(subjectOf(computer)).values.factsDays;
    if (most === null) return [];
    const { tag, site } = computer;
    const at = collected.get(computer.id);
    const given = { kind: "facts", about: tag, computer: tag, site } as const;
    if (!at) return [item({ ...given, reason: { code: "facts-never" } })];
    const days = daysBetween(at.toISOString(), today);
    return days > most ? [item({ ...given, reason: { code: "facts-old", days, most } })] : [];
  });
}

/** What is due at places themselves: stock-taking and blank spares. */
async function places(context: Context, { chains, policies, ways }: Covered, today: string): Promise<DueItem[]> {
  const taken = await context.db
    .select({ site: sites.name, on: sql<string>`MAX(${stocktakes.on})` })
    .from(stocktakes)
    .innerJoin(sites, eq(sites.id, stocktakes.siteId))
    .groupBy(sites.name);
  const lastTaken = new Map(taken.map(({ site, on }) => [site, on]));
  const blanks = new Map<string, number>();
  const kept = new Set<string>();
  for (const { part, kind, releases: carried } of chains.media) {
    if (part.site === null) continue;
    kept.add(part.site);
    const isBlank = kind === "usb" && carried.length === 0 && part.condition !== "distrusted" && part.lentTo === null;
    if (isBlank) blanks.set(part.site, (blanks.get(part.site) ?? 0) + 1);
  }
  const inUse = new Set([...kept, ...chains.computers.flatMap(({ site }) => site ?? [])]);
  return ways.places.flatMap((site): DueItem[] => {
    const { stocktakeDays: most, spares: wanted } = policies.ofSite(site).values;
    const due: DueItem[] = [];
    const on = lastTaken.get(site);
    const days = on === undefined ? null : daysBetween(on, today);
    if (kept.has(site) && most !== null && (days === null || days > most))
      due.push(
        item({
          ...{ kind: "stocktake", about: site, site },
          reason: days === null ? { code: "stock-never" } : { code: "stock-old", days, most },
        }),
      );
    const has = blanks.get(site) ?? 0;
    if (inUse.has(site) && has < wanted)
      due.push(item({ kind: "spares", about: site, site, reason: { code: "spares-lacking", has, wanted } }));
    return due;
  });
}

/** What breaks first of the fleet's proofs, if something does within the days that are looked ahead. */
export async function firstBreak(context: Context): Promise<DueItem | null> {
  const input = proofInput(await covered(context));
  const [first] = rankDue(proofDue(input), input.today);
  const isAhead = first && first.loses.count > 0 && first.breaksOn !== null && first.breaksOn > input.today;
  return isAhead ? first : null;
}

export type SnoozeRow = typeof snoozes.$inferSelect;

export interface DueFilter {
  kind: DueKind | null;
  site: string | null;
  page: number;
}

export interface DueView {
  items: (DueItem & { putOff: null })[];
  total: number;
  page: number;
  pages: number;
  /** How many of each kind, over all places or the one that is asked for. */
  kinds: { kind: DueKind; count: number }[];
  sites: string[];
  /** What was put off and is still due: it does not disappear unseen. */
  putOff: { item: DueItem; snooze: SnoozeRow }[];
  today: string;
}

const PAGE = 60;

/** What is due, by consequence; apart from it what was put off. */
export async function dueView(context: Context, filter: DueFilter): Promise<DueView> {
  const today = context.now().toISOString().slice(0, 10);
  const [all, snoozed] = await Promise.all([everythingDue(context), openSnoozes(context, today)]);
  const byKey = new Map(snoozed.map((row) => [row.dueKey, row]));
  const here = all.filter(({ site }) => filter.site === null || site === filter.site);
  const open = here.filter(({ key }) => !byKey.has(key));
  const shown = open.filter(({ kind }) => filter.kind === null || kind === filter.kind);
  const pages = Math.max(1, Math.ceil(shown.length / PAGE));
  const page = Math.min(filter.page, pages);
  return {
    items: shown.slice((page - 1) * PAGE, page * PAGE).map((each) => ({ ...each, putOff: null })),
    total: shown.length,
    ...{ page, pages, today },
    kinds: DUE_KINDS.flatMap((kind) => {
      const count = open.filter((each) => each.kind === kind).length;
      return count > 0 ? [{ kind, count }] : [];
    }),
    sites: [...new Set(all.flatMap(({ site }) => site ?? []))].sort(),
    putOff: here.flatMap((each) => {
      const snooze = byKey.get(each.key);
      return snooze ? [{ item: each, snooze }] : [];
    }),
  };
}

export function openSnoozes(context: Context, today: string): Promise<SnoozeRow[]> {
  return context.db
    .select()
    .from(snoozes)
    .where(and(isNull(snoozes.endedAt), gt(snoozes.until, today)))
    .orderBy(desc(snoozes.id));
}

const snoozeSchema = z.object({
  key: z.string().min(1).max(400),
  until: z.iso.date("A day is year, month and day, such as 2026-12-24."),
  why: z.string().trim().min(3, "Say why: whoever looks next wants to know.").max(300),
});
const SNOOZE_MOST_DAYS = 366;

/** Puts something off until a day, with a reason. Problems: `invalid`, `not-found`. Gives the snooze's id. */
export async function putOff(context: Context, input: unknown): Promise<Result<number>> {
  const parsed = checked(snoozeSchema, input);
  if (!parsed.ok) return parsed;
  const { key, until, why } = parsed.value;
  const today = context.now().toISOString().slice(0, 10);
  const refuse = (text: string) => fail<number>({ code: "invalid", fields: { until: text } });
  if (until <= today) return refuse("That day is not ahead.");
  if (daysBetween(today, until) > SNOOZE_MOST_DAYS)
    return refuse("At most a year: by then it should be looked at again.");
  if (!(await everythingDue(context)).some((each) => each.key === key))
    return fail({ code: "not-found", what: "such thing that is due" });
  return context.db.transaction(async (tx): Promise<Result<number>> => {
    await tx
      .update(snoozes)
      .set({ endedAt: context.now() })
      .where(and(eq(snoozes.dueKey, key), isNull(snoozes.endedAt)));
    const [row] = await tx
      .insert(snoozes)
      .values({ dueKey: key, until, why, personName: context.person.name, createdAt: context.now() })
      .$returningId();
    const { id } = row as { id: number };
    await recordEvent(tx, context, {
      ...{ entity: "upkeep", entityId: id, entityTag: key.slice(0, 120), action: "put off", version: 1 },
      ...{ before: null, after: { until }, note: why },
    });
    return ok(id);
  });
}

/** Takes back what was put off: it is due again. Problems: `not-found`. */
export async function takeUp(context: Context, snoozeId: number): Promise<Result<number>> {
  return context.db.transaction(async (tx): Promise<Result<number>> => {
    const [row] = await tx
      .select()
      .from(snoozes)
      .where(and(eq(snoozes.id, snoozeId), isNull(snoozes.endedAt)))
      .for("update");
    if (!row) return fail({ code: "not-found", what: "such thing that was put off" });
    await tx
      .update(snoozes)
      .set({ endedAt: context.now() })
      .where(inArray(snoozes.id, [row.id]));
    await recordEvent(tx, context, {
      ...{ entity: "upkeep", entityId: row.id, entityTag: row.dueKey.slice(0, 120), action: "took up", version: 2 },
      ...{ before: { until: row.until }, after: null },
    });
    return ok(row.id);
  });
}
