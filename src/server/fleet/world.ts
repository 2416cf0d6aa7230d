import { asc, eq, inArray, isNull, sql } from "drizzle-orm";
import { LRUCache } from "lru-cache";
import type { Facts } from "@/core/computer/facts/schema";
import type { FleetMedium, World } from "@/core/fleet/world";
import type { ComputerPart, DrillPart, MediumPart, ReleasePart } from "@/core/judging/model/parts";
import { USUAL_POLICY } from "@/core/judging/model/parts";
import { releasePart, withoutSystemFilesPart } from "@/core/judging/model/release-part";
import { dayOf } from "@/core/kernel/days";
import { DriverIndex } from "@/core/medium/drivers/driver-set";
import type { Inspection } from "@/core/medium/inspection/schema";
import { asReleaseFacts } from "@/core/medium/releases/facts";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import type { ComputerId, InspectionId, MediumId } from "../db/ids";
import { computers, drills, inspections, inspectionViews, kits, loads, media, releases, sites } from "../db/schema";
import { withDeviceNames } from "../host/hardware-names";
import { imageParts } from "../images/image-parts";
import { readDrivers } from "../inspections/contents";
import { attachmentOf, loadViews } from "../inspections/verdicts";
import { verifiedOf } from "../inspections/verified";
import { calendarOf, listCalendars, supportOf } from "../inventory/calendars";
import { loadProfiles } from "../inventory/fact-profiles";
import { chainPolicies, loadPolicies } from "../inventory/policies";

/** What was read from a release's file, as the links need it. Inspections never change: kept by their id. */
type ReleaseRead = Parameters<typeof releasePart>[1];
const read = new LRUCache<number, Promise<ReleaseRead>>({ max: 60 });

function readOf(context: Context, inspectionId: InspectionId): Promise<ReleaseRead> {
  const keptInspection = read.get(inspectionId);
  if (keptInspection) return keptInspection;
  const reading = readFrom(context, inspectionId);
  read.set(inspectionId, reading);
  reading.catch(() => read.delete(inspectionId));
  return reading;
}

async function readFrom(context: Context, inspectionId: InspectionId): Promise<ReleaseRead> {
  const part = (path: string) => sql<string | unknown>`JSON_EXTRACT(${inspections.body}, ${path})`;
  const [[row], drivers] = await Promise.all([
    context.db
      .select({ contents: part("$.contents"), views: inspectionViews.body })
      .from(inspections)
      .innerJoin(inspectionViews, eq(inspectionViews.key, inspections.viewsKey))
      .where(eq(inspections.id, inspectionId)),
    readDrivers(context, inspectionId),
  ]);
  if (!row) return null;
  const parsed = (value: unknown) => (typeof value === "string" ? (JSON.parse(value) as unknown) : value);
  return {
    inspection: {
      contents: parsed(row.contents) as Inspection["contents"],
      views: row.views,
    },
    drivers: drivers && drivers.length > 0 ? new DriverIndex(drivers) : null,
  };
}

/** Every release, as the links need it, by its id. */
export async function releaseParts(context: Context): Promise<Map<number, ReleasePart>> {
  const rows = await context.db
    .select({
      id: releases.id,
      name: releases.name,
      madeOn: releases.madeOn,
      facts: releases.facts,
      inspectionId: releases.inspectionId,
      kit: kits.name,
      family: kits.family,
    })
    .from(releases)
    .innerJoin(kits, eq(kits.id, releases.kitId));
  const parts = await Promise.all(
    rows.map(async (row): Promise<[number, ReleasePart]> => {
      const record = {
        name: `${row.kit} ${row.name}`,
        kit: row.kit,
        version: row.name,
        family: row.family,
        madeOn: row.madeOn,
        facts: asReleaseFacts(row.facts),
      };
      return [row.id, releasePart(record, row.inspectionId === null ? null : await readOf(context, row.inspectionId))];
    }),
  );
  return new Map(parts);
}

/** A medium in service with what its page and lists tell of it. */
export interface WorldMedium extends FleetMedium {
  id: MediumId;
  version: number;
  name: string | null;
  kind: string;
  releaseIds: number[];
}

/** Media in service. */
export async function worldMedia(context: Context, parts: Map<number, ReleasePart>): Promise<WorldMedium[]> {
  const rows = await context.db
    .select({
      id: media.id,
      version: media.version,
      tag: media.tag,
      name: media.name,
      kind: media.kind,
      onComputer: computers.tag,
      site: sites.name,
      lentTo: media.lentTo,
      condition: media.condition,
      writtenOn: media.writtenOn,
      verifiedOn: media.verifiedOn,
      verifiedWhole: media.verifiedWhole,
      sampledOn: media.sampledOn,
      viewsKey: inspections.viewsKey,
      fault: inspections.fault,
    })
    .from(media)
    .leftJoin(inspections, eq(inspections.id, media.inspectionId))
    .leftJoin(sites, eq(sites.id, media.siteId))
    .leftJoin(computers, eq(computers.id, media.onComputerId))
    .where(isNull(media.retiredAt))
    .orderBy(asc(media.tag));
  const itsLoads = await context.db
    .select({
      mediumId: loads.mediumId,
      releaseId: loads.releaseId,
      part: loads.part,
      lacksSystemFiles: loads.lacksSystemFiles,
    })
    .from(loads)
    .innerJoin(media, eq(media.id, loads.mediumId))
    .where(isNull(media.retiredAt))
    .orderBy(asc(loads.id));
  const byMedium = new Map<number, (typeof itsLoads)[number][]>();
  const carriers = new Map<string, { tag: string; site: string | null; id: MediumId }[]>();
  const rowOf = new Map(rows.map((row) => [row.id, row]));
  for (const load of itsLoads) {
    const { mediumId } = load;
    byMedium.set(mediumId, [...(byMedium.get(mediumId) ?? []), load]);
    const row = rowOf.get(mediumId);
    if (!row || row.kind === "entry") continue;
    const carriersOfRelease = carriers.get(sameOf(load)) ?? [];
    carriersOfRelease.push({ tag: row.tag, site: row.lentTo === null ? row.site : null, id: row.id });
    carriers.set(sameOf(load), carriersOfRelease);
  }
  const views = await loadViews(
    context.db,
    rows.flatMap((row) => row.viewsKey ?? []),
  );
  return rows.map((row): WorldMedium => {
    const loads = byMedium.get(row.id) ?? [];
    const releaseIds = loads.map(({ releaseId }) => releaseId);
    const keptViews = row.viewsKey === null ? undefined : views.get(row.viewsKey);
    const copies = loads.flatMap((load) => carriers.get(sameOf(load)) ?? []).filter((each) => each.id !== row.id);
    const part: MediumPart = {
      tag: row.tag,
      ...{ kind: row.kind, onComputer: row.onComputer },
      site: row.site,
      lentTo: row.lentTo,
      retired: false,
      condition: row.condition,
      writtenOn: row.writtenOn,
      verified: verifiedOf(row),
      copies: copies.map(({ tag, site }) => ({ tag, site })),
    };
    return {
      id: row.id,
      version: row.version,
      name: row.name,
      kind: row.kind,
      releaseIds,
      part,
      as: attachmentOf(row.kind),
      views: keptViews ? { key: row.viewsKey as string, views: keptViews } : null,
      fault: row.fault,
      releases: loads.flatMap(({ releaseId, part: place, lacksSystemFiles }): ReleasePart[] => {
        const known = parts.get(releaseId);
        if (!known) return [];
        const release = lacksSystemFiles ? withoutSystemFilesPart(known) : known;
        return [place ? { ...release, startedBy: place.startedBy } : release];
      }),
    };
  });
}

/** What media carry alike: one without its system files is not the same. */
function sameOf({ releaseId, lacksSystemFiles }: { releaseId: number; lacksSystemFiles: boolean }): string {
  return `${releaseId} ${lacksSystemFiles}`;
}

/** A computer in service with what lists tell of it. */
export interface WorldComputer extends ComputerPart {
  id: ComputerId;
  version: number;
  name: string | null;
}

/** Computers in service from their narrow rows and shared profiles; `only` some of them. */
export async function worldComputers(context: Context, only: number[] | null = null): Promise<WorldComputer[]> {
  const inService = isNull(computers.retiredAt);
  const rows = await context.db
    .select({
      id: computers.id,
      version: computers.version,
      tag: computers.tag,
      name: computers.name,
      site: sites.name,
      make: computers.make,
      model: computers.model,
      form: computers.form,
      firmwareVersion: computers.firmwareVersion,
      start: computers.startProfile,
      chain: computers.chainProfile,
    })
    .from(computers)
    .leftJoin(sites, eq(sites.id, computers.siteId))
    .where(only ? inArray(computers.id, only) : inService)
    .orderBy(asc(computers.tag));
  const profiles = await loadProfiles(
    context.db,
    rows.flatMap(({ start, chain }) => (chain ? [start, chain] : [start])),
  );
  const named = new Map<Facts, Facts>();
  for (const facts of new Set(rows.flatMap(({ chain }) => (chain ? (profiles.get(chain) ?? []) : []))))
    named.set(facts, await withDeviceNames(facts));
  const shared = new Map<string, Facts>();
  return rows.flatMap(({ id, version, tag, name, site, make, model, form, firmwareVersion, start, chain }) => {
    const key = JSON.stringify([start, chain, make, model, form, firmwareVersion]);
    const starts = profiles.get(start);
    const bare = chain ? profiles.get(chain) : undefined;
    const chains = bare && named.get(bare);
    if (!starts || !chains) return [];
    const facts: Facts = shared.get(key) ?? {
      ...chains,
      computer: { ...chains.computer, make, model, form: form as Facts["computer"]["form"] },
      firmware: { ...starts.firmware, version: firmwareVersion },
      ports: starts.ports,
    };
    shared.set(key, facts);
    return [{ id, version, tag, name, site, facts }];
  });
}

async function drillParts(queries: Queries): Promise<DrillPart[]> {
  const rows = await queries
    .select({
      medium: media.tag,
      computer: computers.tag,
      make: computers.make,
      model: computers.model,
      firmwareVersion: drills.firmwareVersion,
      on: drills.on,
      result: drills.result,
      emulated: drills.isEmulated,
    })
    .from(drills)
    .innerJoin(media, eq(media.id, drills.mediumId))
    .innerJoin(computers, eq(computers.id, drills.computerId))
    .orderBy(asc(drills.id));
  return rows;
}

/** The world without its computers: what any chain is judged among. */
export async function surroundingWorld(context: Context): Promise<World & { media: WorldMedium[] }> {
  const [parts, images, itsDrills, calendars, policies] = await Promise.all([
    releaseParts(context),
    imageParts(context.db),
    drillParts(context.db),
    listCalendars(context),
    loadPolicies(context.db),
  ]);
  const itsMedia = await worldMedia(context, parts);
  const today = dayOf(context.now());
  return {
    computers: [],
    media: itsMedia,
    releases: [...parts].map(([id, part]) => ({
      part,
      media: itsMedia.filter((medium) => medium.releaseIds.includes(id)).map((medium) => medium.part.tag),
    })),
    images,
    drills: itsDrills,
    policy: USUAL_POLICY,
    policyFor: chainPolicies(policies),
    today,
    releasedOn: (name, version) =>
      calendarOf(calendars, name) ? (supportOf(calendars, { name, version }, today)?.release.release ?? null) : null,
  };
}
