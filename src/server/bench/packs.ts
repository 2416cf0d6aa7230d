import { randomUUID } from "node:crypto";
import { mkdir, readFile, rename, writeFile } from "node:fs/promises";
import { join } from "node:path";
import { and, eq, inArray, isNull } from "drizzle-orm";
import { z } from "zod";
import type { ComputerRecord } from "@/core/computer/exchange/columns";
import { writeLine } from "@/core/computer/exchange/lines";
import type { KeyCard } from "@/core/computer/facts/key-cards";
import type { Facts } from "@/core/computer/facts/schema";
import { FAT32_FILE_MAX_BYTES } from "@/core/formats/fat32-writing";
import { type Route, verdictsOf } from "@/core/judging/routes/routes";
import { type PackFile, type PackHead, packFiles } from "@/core/making/pack/pack";
import type { PlannedLoad } from "@/core/making/planning/plan";
import { manifestWithoutSystemFiles, releaseTree } from "@/core/making/planning/release-tree";
import type { Manifest } from "@/core/medium/integrity/manifest";
import { asReleaseFacts } from "@/core/medium/releases/facts";
import { inspectionDocument } from "@/core/words/documents/inspection";
import { packPages } from "@/core/words/pack-pages";
import type { Context } from "../context";
import type { ComputerId, InspectionId, ReleaseId } from "../db/ids";
import { computerFacts, computers, kits, media, releases, sites } from "../db/schema";
import type { FileSource } from "../host/file-source";
import { dataFolder } from "../host/folders";
import { asKeyCard, keyCardOf } from "../inventory/key-cards";
import { factsOfStored } from "../inventory/list-store";
import { keptOf } from "../media/releases";
import { runSheetInput, sheetMedium, sheetOfRoute } from "../media/run-sheets";

/** A computer that a medium will be a route for. */
export interface Served {
  computerId: ComputerId;
  route: Route;
}

/** Computers that get a run sheet on the medium; more are known to Creel alone. */
const SHEETS_MOST = 100;

export interface PackWish {
  tag: string;
  kind: "usb" | "disk" | "optical";
  bytes: number;
  releaseId: ReleaseId;
  /** The other releases on it, by their ids. */
  besideIds: readonly number[];
  /** Made without the system files that its releases have. */
  isLean: boolean;
  /** Where each of several stands, its own first. */
  loads: readonly PlannedLoad[];
  madeAt: string;
  /** Whether the release's files lie on the medium as files, so that their sums can be told. */
  isLaidOut: boolean;
}

/** What a medium carries beside its release: about it, run sheets, records and sums. */
export async function makePack(
  context: Context,
  source: FileSource,
  wish: PackWish,
  served: readonly Served[],
): Promise<PackFile[]> {
  const packed = await packedRelease(context, wish.releaseId, wish.loads[0]);
  if (!packed) return [];
  const { release, inspectionId } = packed;
  const others = await Promise.all(wish.besideIds.map((id, nth) => packedRelease(context, id, wish.loads[nth + 1])));
  const beside = others.flatMap((each) => (each ? [each.release] : []));
  const read = await keptOf(context, inspectionId);
  const records = await recordsOf(context, served.slice(0, SHEETS_MOST));
  const medium = await mediumOf(context, wish);
  const loads = [release, ...beside].map(({ kit, name }) => `${kit} ${name}`);
  const pages = packPages({
    ...{ medium, release, beside, madeAt: wish.madeAt },
    served: records.map(({ record, route, card }) => ({
      sheet: runSheetInput(
        { row: record, siteName: record.site, facts: record.facts },
        { ...sheetMedium(wish.tag, null), kind: wish.kind, loads },
        sheetOfRoute(record, route, wish.madeAt.slice(0, 10)),
        card,
      ),
      links: verdictsOf(route.links),
      weakest: route.weakest,
      outcome: route.outcome,
    })),
  });
  return packFiles({
    ...{ medium, release, beside, pages },
    read: read && { ...read, inspection: inspectionDocument(read.inspection) },
    keyCards: cardsOf(records),
    records: records.map(({ record }) => writeLine(record)).join(""),
    sums:
      wish.isLaidOut && read?.manifest
        ? await sumsOf(source, wish.isLean ? manifestWithoutSystemFiles(read.manifest) : read.manifest)
        : [],
    madeAt: wish.madeAt,
  });
}

/** A release as a pack tells of it, and what was read of it. */
async function packedRelease(
  context: Context,
  releaseId: ReleaseId,
  load: PlannedLoad | undefined,
): Promise<{ release: PackHead["release"]; inspectionId: InspectionId | null } | null> {
  const [row] = await context.db
    .select({
      kit: kits.name,
      family: kits.family,
      purpose: kits.purpose,
      name: releases.name,
      madeOn: releases.madeOn,
      note: releases.note,
      facts: releases.facts,
      inspectionId: releases.inspectionId,
    })
    .from(releases)
    .innerJoin(kits, eq(kits.id, releases.kitId))
    .where(eq(releases.id, releaseId));
  if (!row) return null;
  const { inspectionId, facts, ...release } = row;
  const startedBy = load ? { startedBy: load.startedBy } : {};
  return { release: { ...release, facts: asReleaseFacts(facts), ...startedBy }, inspectionId };
}

/** The medium as it will be, with what is known already of the one with its tag. */
async function mediumOf(context: Context, { tag, kind, bytes, isLean }: PackWish): Promise<PackHead["medium"]> {
  const [known] = await context.db
    .select({ name: media.name, note: media.note, site: sites.name })
    .from(media)
    .leftJoin(sites, eq(sites.id, media.siteId))
    .where(and(eq(media.tag, tag), isNull(media.retiredAt)));
  return {
    ...{ tag, kind, bytes, name: known?.name ?? null, note: known?.note ?? null, site: known?.site ?? null },
    ...(isLean ? { lacksSystemFiles: true } : {}),
  };
}

function cardsOf(records: readonly ServedRecord[]): PackHead["keyCards"] {
  const cards = new Map<string, PackHead["keyCards"][number]>();
  for (const { record, card } of records) {
    const { make, model } = record.facts.computer;
    if (card && make && model) cards.set(JSON.stringify([make, model]), { make, model, ...card });
  }
  return [...cards.values()];
}

interface ServedRecord {
  record: ComputerRecord;
  route: Route;
  card: KeyCard | null;
}

/** The whole records of some computers, in their order. */
async function recordsOf(context: Context, served: readonly Served[]): Promise<ServedRecord[]> {
  if (served.length === 0) return [];
  const rows = await context.db
    .select({ row: computers, site: sites.name, facts: computerFacts.facts, provenance: computerFacts.provenance })
    .from(computers)
    .innerJoin(computerFacts, eq(computerFacts.computerId, computers.id))
    .leftJoin(sites, eq(sites.id, computers.siteId))
    .where(
      inArray(
        computers.id,
        served.map(({ computerId }) => computerId),
      ),
    );
  const whole = await factsOfStored(
    context.db,
    rows.map((each) => each.facts),
  );
  const cards = new Map<string, KeyCard | null>();
  const found = new Map<number, ComputerRecord>();
  for (const [index, { row, site, provenance }] of rows.entries()) {
    const { tag, name, note } = row;
    const facts = whole[index] as Facts;
    found.set(row.id, { tag, name, site, note, retired: null, facts, provenance });
    const model = JSON.stringify([row.make, row.model]);
    if (!cards.has(model)) cards.set(model, asKeyCard(await keyCardOf(context, row.make, row.model)));
  }
  return served.flatMap(({ computerId, route }) => {
    const record = found.get(computerId);
    if (!record) return [];
    const { make, model } = record.facts.computer;
    return [{ record, route, card: cards.get(JSON.stringify([make, model])) ?? null }];
  });
}

/** The digests of a release's files that its manifest knows, by path and size. */
async function sumsOf(source: FileSource, manifest: Manifest): Promise<{ path: string; sha256: string }[]> {
  const pathByDigest = new Map<string, string>();
  for (const { files } of manifest.volumes)
    for (const { path, bytes, sha256 } of files) {
      const key = `${bytes} ${path}`;
      if (sha256 !== null && !pathByDigest.has(key)) pathByDigest.set(key, sha256);
    }
  const { files } = await releaseTree(source);
  return files.flatMap(({ path, content }) => {
    // It is on the medium in parts, and `sha256sum -c` would miss it.
    if (content.sizeBytes > FAT32_FILE_MAX_BYTES) return [];
    const sha256 = pathByDigest.get(`${content.sizeBytes} ${path}`);
    return sha256 === undefined || path.toUpperCase().startsWith("/CREEL/") ? [] : [{ path, sha256 }];
  });
}

const packsFolder = () => join(dataFolder(), "packs");
const storedSchema = z.array(
  z.union([z.object({ path: z.string(), text: z.string() }), z.object({ path: z.string(), base64: z.string() })]),
);

/** Keeps a pack for its job, which must make the same medium however often it goes on. Gives what it is known by. */
export async function keepPack(files: readonly PackFile[]): Promise<string> {
  const id = randomUUID();
  await mkdir(packsFolder(), { recursive: true });
  const path = join(packsFolder(), `${id}.json`);
  await writeFile(`${path}.new`, JSON.stringify(files));
  await rename(`${path}.new`, path);
  return id;
}

/** Null where it is not there any more. */
export async function keptPack(id: string): Promise<PackFile[] | null> {
  if (!/^[0-9a-f-]{36}$/.test(id)) return null;
  try {
    return storedSchema.parse(JSON.parse(await readFile(join(packsFolder(), `${id}.json`), "utf8")));
  } catch {
    return null;
  }
}
