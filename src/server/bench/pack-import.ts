import { and, eq, inArray, or } from "drizzle-orm";
import { GPT_TYPES } from "@/core/formats/partition-table-writing";
import type { LoadPart } from "@/core/judging/model/loads";
import { dayOf } from "@/core/kernel/days";
import type { Pack, PackedComputer } from "@/core/making/pack/pack-read";
import type { Inspection } from "@/core/medium/inspection/schema";
import { act } from "../act";
import type { Context } from "../context";
import type { ReleaseId } from "../db/ids";
import { computers, kits, releases, sites } from "../db/schema";
import { keyOf } from "../exchange/importer";
import { runImport, stageImport } from "../exchange/imports";
import { WHOLE_IMPORT } from "../exchange/options";
import { keepContents, keepManifest } from "../inspections/contents";
import { readInspection } from "../inspections/inspections";
import { keyCardOf, saveKeyCard } from "../inventory/key-cards";
import { addSite } from "../inventory/sites";
import { addMedium, getMedium, markLean } from "../media/media";
import { addKit, addRelease, getRelease, saveRelease } from "../media/releases";
import { fail, ok, type Result, refused } from "../problems";

/** What taking in a pack came to. What was known already is left as it was. */
export interface PackImport {
  medium: { tag: string; state: "added" | "known" };
  release: { text: string; state: "added" | "completed" | "known" };
  computers: { added: number; known: number };
  keyCards: { added: number; known: number };
}

export interface PackImportOptions {
  /** What was read from the medium itself; null where only its pack was at hand. */
  read: Inspection | null;
  /** Whether the whole medium was compared with the pack's manifest, and how that went; null where it was not. */
  isWhole: boolean | null;
}

/**
 * Takes in what a medium says of itself: kit, release with what was read from its file, key cards, computers, places and
 * the medium, in one act. Adds, and changes nothing that is known: an inventory knows more than a medium that was made
 * once.
 */
export function importPack(context: Context, pack: Pack, options: PackImportOptions): Promise<Result<PackImport>> {
  return act(context, null, (acting) => importWithin(acting, pack, options));
}

async function importWithin(
  context: Context,
  { head, release: kept, computers: packed }: Pack,
  { read, isWhole }: PackImportOptions,
): Promise<Result<PackImport>> {
  const release = await releaseIn(context, head.release, kept);
  if (!release.ok) return release;
  const others: number[] = [];
  for (const part of head.beside) {
    const other = await releaseIn(context, part, null);
    if (!other.ok) return other;
    others.push(other.value.id);
  }
  const keyCards = { added: 0, known: 0 };
  for (const card of head.keyCards) {
    if (await keyCardOf(context, card.make, card.model)) keyCards.known++;
    else {
      const saved = await saveKeyCard(context, null, card);
      if (!saved.ok) return saved;
      keyCards.added++;
    }
  }
  const added = await addComputers(context, packed, `pack of ${head.medium.tag}`);
  if (!added.ok) return added;
  const { tag, kind, bytes, name, note, site } = head.medium;
  const done = {
    release: { text: `${head.release.kit} ${head.release.name}`, state: release.value.state },
    computers: { added: added.value, known: packed.length - added.value },
    keyCards,
  };
  if (await getMedium(context, tag)) return ok({ medium: { tag, state: "known" }, ...done });
  const siteId = site ? await siteOf(context, site) : ok(null);
  if (!siteId.ok) return siteId;
  const today = dayOf(context.now());
  const medium = {
    tag,
    kind,
    capacityBytes: bytes,
    name,
    note,
    siteId: siteId.value,
    lentTo: null,
    condition: null,
    writtenOn: head.madeAt.slice(0, 10),
    verified: isWhole === null ? null : { on: today, whole: isWhole },
    releaseIds: [release.value.id, ...others],
  };
  const parts = others.length === 0 ? new Map() : partsOn(read, [head.release, ...head.beside], medium.releaseIds);
  const saved = await addMedium(context, medium, read, parts);
  if (saved.ok && head.medium.lacksSystemFiles) await markLean(context.db, saved.value);
  return saved.ok ? ok({ medium: { tag, state: "added" }, ...done }) : saved;
}

/** Where several releases stand, as a medium's own words and its partitions tell: each in the next that is for starting. */
function partsOn(
  read: Inspection | null,
  packed: readonly Pack["head"]["release"][],
  releaseIds: readonly number[],
): Map<number, LoadPart> {
  const starting = read?.partitions.filter(({ filesystem, type }) => {
    return filesystem === "fat32" && (type.toLowerCase() === GPT_TYPES.efiSystem || type.length === 2);
  });
  return new Map(
    packed.flatMap(({ startedBy }, nth): [number, LoadPart][] => {
      const [id, place] = [releaseIds[nth], starting?.[nth]];
      if (id === undefined || !place || !startedBy) return [];
      return [[id, { startBytes: place.start, lengthBytes: place.length, startedBy }]];
    }),
  );
}

/** The release of that name, added where there is none, and completed where it was never read from its file. */
async function releaseIn(
  context: Context,
  { kit, family, purpose, startedBy: _by, ...own }: Pack["head"]["release"],
  kept: Pack["release"],
): Promise<Result<{ id: ReleaseId; state: PackImport["release"]["state"] }>> {
  const [known] = await context.db.select({ id: kits.id }).from(kits).where(eq(kits.name, kit));
  const kitId = known ? ok(known.id) : await addKit(context, { name: kit, family, purpose });
  if (!kitId.ok) return kitId;
  const [row] = await context.db
    .select()
    .from(releases)
    .where(and(eq(releases.kitId, kitId.value), eq(releases.name, own.name)));
  if (!row) {
    const inspectionId = kept ? await keepRead(context, kept) : ok(null);
    if (!inspectionId.ok) return inspectionId;
    const added = await addRelease(context, { ...own, kitId: kitId.value, inspectionId: inspectionId.value });
    return added.ok ? ok({ id: added.value, state: "added" }) : added;
  }
  if (row.inspectionId === null) return kept ? complete(context, row.id, kept) : ok({ id: row.id, state: "known" });
  const here = await readInspection(context.db, row.inspectionId);
  const [own256, other256] = [here?.inspection.file.sha256, kept?.inspection.file.sha256];
  const isOther = own256 && other256 && own256 !== other256;
  if (isOther) return refused({ code: "release-of-another-file", release: `${kit} ${own.name}` });
  return ok({ id: row.id, state: "known" });
}

async function keepRead(context: Context, kept: NonNullable<Pack["release"]>): Promise<Result<number>> {
  const inspectionId = await keepContents(context, kept);
  if (!inspectionId.ok || !kept.manifest) return inspectionId;
  return keepManifest(context, inspectionId.value, kept.manifest);
}

async function complete(
  context: Context,
  id: ReleaseId,
  kept: NonNullable<Pack["release"]>,
): Promise<Result<{ id: ReleaseId; state: "completed" }>> {
  const inspectionId = await keepRead(context, kept);
  const detail = await getRelease(context, id);
  if (!inspectionId.ok) return inspectionId;
  if (!detail) return fail({ code: "not-found", what: "release" });
  const { kitId, name, madeOn, note, facts, supersededById, version } = detail.row;
  const input = { kitId, name, madeOn, note, facts, supersededById, inspectionId: inspectionId.value };
  const saved = await saveRelease(context, id, version, input);
  return saved.ok ? ok({ id, state: "completed" }) : saved;
}

/** Adds those that are not known by tag or serial, all or none; gives how many. */
export async function addComputers(context: Context, packed: PackedComputer[], from: string): Promise<Result<number>> {
  if (packed.length === 0) return ok(0);
  const tags = packed.map(({ record }) => record.tag);
  const serials = packed.flatMap(({ record }) => record.facts.computer.serial ?? []);
  const knownReleases = await context.db
    .select({ tag: computers.tag, serial: computers.serial })
    .from(computers)
    .where(or(inArray(computers.tag, tags), serials.length > 0 ? inArray(computers.serial, serials) : undefined));
  const [knownTags, knownSerials] = [
    knownReleases.map(({ tag }) => tag),
    knownReleases.flatMap(({ serial }) => serial ?? []),
  ].map((names) => new Set(names.map(keyOf))) as [Set<string>, Set<string>];
  const fresh = packed.filter(
    ({ record }) => !knownTags.has(keyOf(record.tag)) && !knownSerials.has(keyOf(record.facts.computer.serial ?? "\0")),
  );
  if (fresh.length === 0) return ok(0);
  const lines = new TextEncoder().encode(fresh.map(({ text }) => `${text}\n`).join(""));
  const staged = await stageImport(context, `${from}.jsonl`, lines);
  if (!staged.ok) return staged;
  const report = await runImport(context, staged.value, WHOLE_IMPORT);
  if (!report.ok) return report;
  const [fault] = report.value.faults;
  return fault ? refused({ code: "table-fault", fault }) : ok(report.value.added);
}

/** The site of that name, added where there is none. */
export async function siteOf(context: Context, name: string): Promise<Result<number | null>> {
  const [known] = await context.db.select({ id: sites.id }).from(sites).where(eq(sites.name, name));
  return known ? ok(known.id) : addSite(context, { name });
}
