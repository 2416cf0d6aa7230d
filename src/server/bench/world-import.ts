import { and, eq } from "drizzle-orm";
import { COMPUTER_SCHEMA, readLine } from "@/core/computer/exchange/lines";
import { architectureOf } from "@/core/computer/facts/schema";
import type { PackedComputer } from "@/core/making/pack/pack-read";
import type { Inspection } from "@/core/medium/inspection/schema";
import { kitAndVersion } from "@/core/world/read";
import type { WorldDocument } from "@/core/world/schema";
import { toldInspection, viewsOfArch } from "@/core/world/told-inspection";
import { viewsStartedBy } from "@/core/world/views";
import { act } from "../act";
import type { Context } from "../context";
import { computers, drills, kits, media, releases, systemImages } from "../db/schema";
import { recordDrill } from "../drills/drills";
import { recordImage } from "../images/images";
import { keepContents } from "../inspections/contents";
import { listRules, loadTravel, saveRule, setTravel } from "../inventory/policies";
import { addMedium } from "../media/media";
import { addKit, addRelease } from "../media/releases";
import { fail, ok, type Result, refused } from "../problems";
import { addComputers, siteOf } from "./pack-import";

/** How many of each kind came in; what was known already is left as it was. */
export type WorldImport = Record<"sites" | "computers" | "releases" | "media" | "images" | "drills" | "rules", number>;

/**
 * Takes a world in, all of it or nothing: adds, and changes nothing that is known. What was read of media and releases
 * comes in as it is told there: what firmware makes of them, their systems and drivers.
 */
export function importWorld(context: Context, world: WorldDocument, from: string): Promise<Result<WorldImport>> {
  return act(context, null, (acting) => importWithin(acting, world, from));
}

async function importWithin(context: Context, world: WorldDocument, from: string): Promise<Result<WorldImport>> {
  const before = (await loadTravel(context.db)).places.length;
  const places = new Map<string, number>();
  const named = [...world.sites.map(({ name }) => name), ...world.media.flatMap(({ site }) => site ?? [])];
  for (const name of new Set([...named, ...world.travel.flatMap(([a, b]) => [a, b])])) {
    const id = await siteOf(context, name);
    if (!id.ok) return id;
    if (id.value !== null) places.set(name, id.value);
  }
  const lines = linesOf(world);
  if (!lines.ok) return lines;
  const fleet = await addComputers(context, lines.value, from);
  if (!fleet.ok) return fleet;
  const ways = await addTravel(context, world, places);
  if (!ways.ok) return ways;
  const added: WorldImport = { ...NOTHING, computers: fleet.value };
  for (const [what, add] of STEPS) {
    const result = await add(context, world, places);
    if (!result.ok) return result;
    added[what] = result.value;
  }
  return ok({ ...added, sites: (await loadTravel(context.db)).places.length - before });
}

/** Computers as lines of an export, which an import of computers reads; one that is none keeps the whole from coming in. */
function linesOf({ computers: told }: WorldDocument): Result<PackedComputer[]> {
  const lines: PackedComputer[] = [];
  for (const [at, { tag, site, facts }] of told.entries()) {
    const text = JSON.stringify({ schema: COMPUTER_SCHEMA, tag, site, facts });
    const reading = readLine(text);
    if (!reading.ok)
      return refused({ code: "table-fault", fault: { row: at + 1, column: null, problem: reading.problem } });
    lines.push({ record: reading.record, text });
  }
  return ok(lines);
}

type Step = (context: Context, world: WorldDocument, places: ReadonlyMap<string, number>) => Promise<Result<number>>;

const addTravel: Step = async (context, { travel }, places) => {
  const { legs } = await loadTravel(context.db);
  for (const [from, to, minutes] of travel) {
    const [fromId, toId] = [places.get(from), places.get(to)];
    const isKnown = legs.some((leg) => [leg.fromId, leg.toId].every((id) => id === fromId || id === toId));
    if (isKnown || minutes === 0) continue;
    const set = await setTravel(context, { fromId, toId, minutes });
    if (!set.ok) return set;
  }
  return ok(0);
};

async function releaseId(context: Context, kit: string, name: string): Promise<number | null> {
  const [row] = await context.db
    .select({ id: releases.id })
    .from(releases)
    .innerJoin(kits, eq(kits.id, releases.kitId))
    .where(and(eq(kits.name, kit), eq(releases.name, name)));
  return row?.id ?? null;
}

/** How a release is called below its kit; one that nobody numbered is the first. */
function namesOf(release: WorldDocument["releases"][number]): { kit: string; name: string } {
  const { kit, version } = kitAndVersion(release);
  return { kit, name: version || "1" };
}

const addReleases: Step = async (context, world) => {
  let added = 0;
  for (const release of world.releases) {
    const { kit, name } = namesOf(release);
    if ((await releaseId(context, kit, name)) !== null) continue;
    const [known] = await context.db.select({ id: kits.id }).from(kits).where(eq(kits.name, kit));
    const kitId = known ? ok(known.id) : await addKit(context, { name: kit, family: release.family, purpose: null });
    if (!kitId.ok) return kitId;
    const read = await keepTold(context, release);
    if (!read.ok) return read;
    const { madeOn, facts } = release;
    const kept = await addRelease(context, { kitId: kitId.value, name, madeOn, facts, inspectionId: read.value });
    if (!kept.ok) return kept;
    added++;
  }
  return ok(added);
};

/** What is told of a release in the place of what was read from its file; null where nothing is. */
async function keepTold(
  context: Context,
  { name, arch, systems, drivers }: WorldDocument["releases"][number],
): Promise<Result<number | null>> {
  if (systems === null && drivers === null && arch === null) return ok(null);
  const views = viewsOfArch(arch === null ? null : architectureOf(arch));
  const lists = drivers && [drivers].flat().map((list) => ({ ...list, path: "told", kernel: null }));
  return keepContents(context, { inspection: toldInspection(name, views, systems), listing: null, drivers: lists });
}

/** The same of a medium. */
function toldOf({ tag, kind, inspection, startsBy }: WorldDocument["media"][number]): Inspection | null {
  const views = inspection?.views ?? (startsBy && viewsStartedBy(startsBy, kind === "optical" ? "optical" : "usb"));
  return views && toldInspection(tag, views, null);
}

const addMedia: Step = async (context, world, places) => {
  const byName = new Map(world.releases.map((release) => [release.name, namesOf(release)]));
  let added = 0;
  for (const told of world.media) {
    const { tag, kind, onComputer, site, lentTo, retired, condition, writtenOn, verified, releases: carried } = told;
    const [known] = await context.db.select({ id: media.id }).from(media).where(eq(media.tag, tag));
    if (known || retired) continue;
    const ids: number[] = [];
    for (const name of carried) {
      const names = byName.get(name);
      const id = names && (await releaseId(context, names.kit, names.name));
      if (!id) return fail({ code: "not-found", what: "release", name });
      ids.push(id);
    }
    const medium = {
      ...{ tag, kind: kind ?? "usb", onComputer, site, lentTo, condition, writtenOn, releaseIds: ids },
      siteId: site === null ? null : (places.get(site) ?? null),
      ...{ capacityBytes: null, name: null, note: null },
      verified: verified && {
        on: verified.on,
        whole: verified.whole,
        ...(verified.sampledOn ? { sampledOn: verified.sampledOn } : {}),
      },
    };
    const kept = await addMedium(context, medium, toldOf(told), new Map());
    if (!kept.ok) return kept;
    added++;
  }
  return ok(added);
};

const addImages: Step = async (context, world) => {
  let added = 0;
  for (const { id: name, computer, takenAt, ...body } of world.images) {
    const [known] = await context.db
      .select({ id: systemImages.id })
      .from(systemImages)
      .where(eq(systemImages.name, name));
    if (known) continue;
    const kept = await recordImage(context, { name, computer, takenAt, body });
    if (!kept.ok) return kept;
    added++;
  }
  return ok(added);
};

/** What was printed and seen on an emulated computer is not in a document of the inventory. */
const EVIDENCE_ELSEWHERE = "Imported from a document, without the evidence itself.";

const addDrills: Step = async (context, world) => {
  let added = 0;
  for (const { medium, computer, on, result, firmwareVersion, emulated } of world.drills) {
    const [known] = await context.db
      .select({ id: drills.id })
      .from(drills)
      .innerJoin(media, eq(media.id, drills.mediumId))
      .innerJoin(computers, eq(computers.id, drills.computerId))
      .where(
        and(
          ...[eq(media.tag, medium), eq(computers.tag, computer), eq(drills.on, on), eq(drills.result, result)],
          eq(drills.isEmulated, emulated),
        ),
      );
    if (known) continue;
    const evidence = emulated ? { text: EVIDENCE_ELSEWHERE, picture: null } : null;
    const kept = await recordDrill(context, { medium, computer, on, result, firmwareVersion }, evidence);
    if (!kept.ok) return kept;
    added++;
  }
  return ok(added);
};

const addRules: Step = async (context, world) => {
  const known = await listRules(context.db);
  const everywhere = { scope: "everywhere" as const, target: "", values: world.policy };
  const told = [...(Object.keys(world.policy).length > 0 ? [everywhere] : []), ...world.rules];
  let added = 0;
  for (const rule of told) {
    if (known.some(({ scope, target }) => scope === rule.scope && target === rule.target)) continue;
    const kept = await saveRule(context, rule, null);
    if (!kept.ok) return kept;
    added++;
  }
  return ok(added);
};

const NOTHING: WorldImport = { sites: 0, computers: 0, releases: 0, media: 0, images: 0, drills: 0, rules: 0 };
/** What stands on something comes in after it. */
const STEPS = [
  ["releases", addReleases],
  ["media", addMedia],
  ["images", addImages],
  ["drills", addDrills],
  ["rules", addRules],
] as const satisfies (readonly [keyof WorldImport, Step])[];
