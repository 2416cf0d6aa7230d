import { and, eq, gte, inArray, isNotNull, isNull, sql } from "drizzle-orm";
import { alias } from "drizzle-orm/mysql-core";
import { isBlankSpare } from "@/core/cover/standing";
import type { Fill } from "@/core/images/forecast";
import { judgeReinstall } from "@/core/judging/links/reinstall";
import { dayAfter, daysBetween } from "@/core/kernel/days";
import { AHEAD_DAYS, type DueItem, someOf } from "@/core/upkeep/due";
import { storeDue } from "@/core/upkeep/store-due";
import type { Context } from "../context";
import type { Covered } from "../cover/standings";
import { computers, events, kits, loads, media, releases, sites, stocktakes, storeFills, stores } from "../db/schema";
import { plannedOf } from "../drills/planned-drills";
import { allDue } from "../images/image-due";
import { listCalendars, listSystems, supportOf } from "../inventory/calendars";
import { subjectOf } from "../inventory/policies";
import { openLoans } from "../media/loans";

const NOBODY = someOf([]);
type Bare = Omit<DueItem, "key" | "loses" | "breaksOn" | "medium" | "computer" | "site"> &
  Partial<DueItem> & { about: string };

function item({ about, ...given }: Bare): DueItem {
  const key = `${given.kind} ${about}`;
  return { medium: null, computer: null, site: null, breaksOn: null, loses: NOBODY, key, ...given };
}

export async function plannedDrills(context: Context, { chains }: Covered, today: string): Promise<DueItem[]> {
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
export async function secureBootChanged(context: Context, { chains }: Covered): Promise<DueItem[]> {
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

export async function images(context: Context, { policies }: Covered): Promise<DueItem[]> {
  const due = await allDue(context, (subject) => policies.of(subject).values.imageDays);
  return due.map(({ computer, site, reasons }) =>
    item({
      ...{ kind: "image", about: computer, computer, site },
      // What changes on a day is wanted before it.
      breaksOn: reasons[0]?.code === "change-ahead" ? reasons[0].on : null,
      reason: { code: "image", reasons },
    }),
  );
}

/** Stores that are full, or will be soon. */
export async function fullStores(context: Context, today: string): Promise<DueItem[]> {
  const rows = await context.db
    .select({
      ...{ id: stores.id, name: stores.name, capacityBytes: stores.capacityBytes, freeBytes: stores.freeBytes },
      site: sites.name,
    })
    .from(stores)
    .leftJoin(sites, eq(sites.id, stores.siteId))
    .where(and(isNull(stores.retiredAt), isNotNull(stores.freeBytes)));
  if (rows.length === 0) return [];
  const fills = await context.db
    .select({ storeId: storeFills.storeId, on: storeFills.on, usedBytes: storeFills.usedBytes })
    .from(storeFills)
    .where(gte(storeFills.on, dayAfter(today, -PACE_DAYS)));
  const byStore = new Map<number, Fill[]>(rows.map(({ id }) => [id, []]));
  for (const { storeId, ...fill } of fills) byStore.get(storeId)?.push(fill);
  return rows.flatMap(({ id, name: store, site, ...room }) => {
    const full = storeDue({ ...room, fills: byStore.get(id) ?? [] }, today);
    return full
      ? [
          item({
            ...{ kind: "store", about: store, site, breaksOn: full.on },
            reason: { code: "store-full", storeId: id, store, ...full },
          }),
        ]
      : [];
  });
}

/** The pace of a store is that of its last year: what it grew by before says little of next month. */
const PACE_DAYS = 365;

/** What is due for what media are and carry. */
export async function onMedia(context: Context, cover: Covered, today: string): Promise<DueItem[]> {
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
    const { older } = judgeReinstall(computer, release);
    if (older) return older;
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
export async function ended(context: Context, today: string): Promise<DueItem[]> {
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

export async function loansOverdue(context: Context): Promise<DueItem[]> {
  return (await openLoans(context)).flatMap(({ tag, to, dueOn, isOverdue, site }) =>
    isOverdue && dueOn !== null
      ? [item({ kind: "loan", about: tag, medium: tag, site, reason: { code: "loan-overdue", to, on: dueOn } })]
      : [],
  );
}

export async function facts(context: Context, { chains, policies }: Covered, today: string): Promise<DueItem[]> {
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
export async function places(context: Context, { chains, policies, ways }: Covered, today: string): Promise<DueItem[]> {
  const taken = await context.db
    .select({ site: sites.name, on: sql<string>`MAX(${stocktakes.on})` })
    .from(stocktakes)
    .innerJoin(sites, eq(sites.id, stocktakes.siteId))
    .groupBy(sites.name);
  const lastTaken = new Map(taken.map(({ site, on }) => [site, on]));
  const blanks = new Map<string, number>();
  const kept = new Set<string>();
  for (const medium of chains.media) {
    const { site } = medium.part;
    if (site === null) continue;
    kept.add(site);
    if (isBlankSpare(medium)) blanks.set(site, (blanks.get(site) ?? 0) + 1);
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
