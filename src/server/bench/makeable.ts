import { and, desc, eq, isNotNull, isNull } from "drizzle-orm";
import { LRUCache } from "lru-cache";
import type { LeftOut } from "@/core/cover/result";
import type { ReleasePart } from "@/core/judging/model/parts";
import type { StartKind } from "@/core/judging/model/start-kind";
import { DISCS } from "@/core/making/planning/discs";
import { type Alternative, type PlannedLoad, planMedium } from "@/core/making/planning/plan";
import type { Inspection } from "@/core/medium/inspection/schema";
import { startPathsOf } from "@/core/medium/inspection/start-paths";
import type { Context } from "../context";
import type { InspectionId, ReleaseId } from "../db/ids";
import { kits, releases } from "../db/schema";
import { biosStart } from "../host/bios-start";
import { FileSource } from "../host/file-source";
import { type ReleaseFile, releaseFile } from "./library";

const WAYS: Alternative[] = [
  { way: "as-it-is", store: false, table: "gpt" },
  { way: "laid-out", store: false, table: "gpt" },
  { way: "laid-out", store: false, table: "mbr" },
  { way: "disc", store: false, table: "gpt" },
];

/** What is made in one way starts, where its releases stand, and how much it writes; null where it cannot be made so. */
interface Made {
  predicted: Inspection;
  loads: PlannedLoad[];
  writtenBytes: number;
}

/** A release and the file that it is made from. */
interface Source {
  releaseId: ReleaseId;
  /** Kit and release: "Lantern 12". */
  release: string;
  kit: string;
  inspectionId: InspectionId;
  file: ReleaseFile;
}

/** What files come to depends on them and the way alone: kept, as reading them takes a second. */
const made = new LRUCache<string, Promise<Made | null>>({ max: 400 });

function keyOf(sources: readonly Source[], way: Alternative): string {
  return `${sources.map(({ inspectionId }) => inspectionId).join("+")} ${way.way} ${way.table}`;
}

function madeAs(sources: readonly Source[], way: Alternative): Promise<Made | null> {
  const key = keyOf(sources, way);
  const keptCheck = made.get(key);
  if (keptCheck) return keptCheck;
  const making = planMade(sources, way);
  made.set(key, making);
  making.catch(() => made.delete(key));
  return making;
}

async function planMade(sources: readonly Source[], way: Alternative): Promise<Made | null> {
  const opened = await FileSource.openAll(sources.map(({ file }) => file.path));
  const [image, ...others] = opened;
  try {
    const [own] = sources;
    if (!own || !image) return null;
    const isDisc = way.way === "disc";
    const bytes = sources.reduce((sum, { file }) => sum + file.bytes * 2 + 512e6, 0);
    const room = Math.ceil(bytes / (1 << 20)) * (1 << 20);
    const plan = await planMedium({
      request: { ...way, tag: "PROPOSED" },
      image,
      name: own.file.name,
      title: own.release,
      beside: others.map((source, nth) => ({ title: sources[nth + 1]?.release ?? "", image: source })),
      device: isDisc
        ? { kind: "optical", bytes: DISCS.at(-1)?.bytes ?? room, sectorBytes: 2048 }
        : { kind: "usb", bytes: room, sectorBytes: 512 },
      bios: await biosStart(),
      pack: [],
      madeAt: "2026-01-01T00:00:00.000Z",
    });
    return plan.ok ? { predicted: plan.predicted, loads: plan.loads, writtenBytes: plan.writtenBytes } : null;
  } finally {
    await Promise.all(opened.map((source) => source.close()));
  }
}

/** For run sheets and records, and for what a file system needs of its own. */
const BESIDE_BYTES = 64e6;
const ROOM_SHARE = 1.05;

/** What a medium needs of which so much is written: room to spare, and what Creel puts beside the release. */
export function roomFor(writtenBytes: number, way: Alternative["way"]): number {
  return Math.ceil(writtenBytes * (way === "laid-out" ? ROOM_SHARE : 1)) + (way === "disc" ? 0 : BESIDE_BYTES);
}

/** A release of the library made in one way, or several together. */
export interface Makeable {
  releaseId: ReleaseId;
  /** Those that stand beside it. */
  besideIds: number[];
  /** Kit and release, its own first: "Lantern 12". */
  releases: [string, ...string[]];
  kit: string;
  way: Alternative;
  /** What it needs: the releases, what Creel puts beside them, and room to spare. */
  neededBytes: number;
  predicted: Inspection;
  /** In the order of the releases; none where there is one. */
  loads: PlannedLoad[];
  /** Tells what firmware makes of it. */
  key: string;
}

/** What can be made here, and of what. */
export interface Library {
  found: Makeable[];
  /** What is left out, and why. */
  leftOut: LeftOut[];
  sources: ReadonlyMap<number, Source>;
}

/** Everything that can be made here of one release: every one whose file is in the library, in each way. */
export async function makeable(context: Context): Promise<Library> {
  const rows = await context.db
    .select({ id: releases.id, name: releases.name, kit: kits.name, inspectionId: releases.inspectionId })
    .from(releases)
    .innerJoin(kits, eq(kits.id, releases.kitId))
    .where(and(isNull(releases.supersededById), isNotNull(releases.inspectionId)))
    .orderBy(kits.name, desc(releases.madeOn));
  const found: Makeable[] = [];
  const leftOut: Library["leftOut"] = [];
  const sources = new Map<number, Source>();
  for (const { id, name, kit, inspectionId } of rows) {
    const release = `${kit} ${name}`;
    const file = await releaseFile(context, id);
    if ("missing" in file) {
      leftOut.push({ release, file: file.missing });
      continue;
    }
    const source = { releaseId: id, release, kit, inspectionId: inspectionId as number, file: file.file };
    sources.set(id, source);
    for (const way of WAYS) found.push(...(await makeableFrom([source], way)));
  }
  return { found, leftOut, sources };
}

async function makeableFrom(sources: [Source, ...Source[]], way: Alternative): Promise<Makeable[]> {
  const result = await madeAs(sources, way);
  if (!result) return [];
  const [own, ...others] = sources;
  return [
    {
      ...{ releaseId: own.releaseId, besideIds: others.map(({ releaseId }) => releaseId) },
      ...{ releases: [own.release, ...others.map(({ release }) => release)], kit: own.kit, way },
      neededBytes: roomFor(result.writtenBytes, way.way),
      ...{ predicted: result.predicted, loads: result.loads, key: keyOf(sources, way) },
    },
  ];
}

const TOGETHER: Alternative = { way: "laid-out", store: false, table: "gpt" };

/** What can be made of two releases at once, of those that are asked for: each pair in the orders in which both come up. */
export async function makeableTogether(
  { found: alone, sources }: Library,
  pairs: readonly (readonly [number, number])[],
): Promise<Makeable[]> {
  const found: Makeable[] = [];
  const kinds = new Map(
    alone.flatMap(({ releaseId, way, predicted }) =>
      way.way === TOGETHER.way && way.table === TOGETHER.table ? [[releaseId, kindsOf(predicted)] as const] : [],
    ),
  );
  for (const pair of pairs)
    for (const ids of [pair, [pair[1], pair[0]]] as const) {
      const [first, second] = ids.map((id) => sources.get(id));
      const [before, own] = ids.map((id) => kinds.get(id));
      // UEFI takes the first loader that suits it; a BIOS is let choose.
      const comesUp = before && own && [...own].some((kind) => kind === "bios" || !before.has(kind));
      if (first && second && comesUp) found.push(...(await makeableFrom([first, second], TOGETHER)));
    }
  return found;
}

/** The kinds of firmware that start a stick. */
function kindsOf(inspection: Inspection): Set<StartKind> {
  return new Set(
    startPathsOf(inspection).flatMap((path): StartKind[] => {
      if (path.as !== "usb" || path.problem !== null) return [];
      return path.firmware === "bios" ? ["bios"] : [path.arch];
    }),
  );
}

/** Releases as chains need them, each with the firmware that comes to it where there are several. */
export function makeablePartsOf(
  parts: ReadonlyMap<number, ReleasePart>,
  ids: readonly number[],
  planned: readonly PlannedLoad[] = [],
): ReleasePart[] {
  return ids.flatMap((id, nth): ReleasePart[] => {
    const part = parts.get(id);
    const load = planned[nth];
    return part ? [load ? { ...part, startedBy: load.startedBy } : part] : [];
  });
}
