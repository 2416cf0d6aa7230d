import { and, desc, eq, isNotNull, isNull } from "drizzle-orm";
import type { Inspection } from "@/core/inspection/schema";
import { DISCS } from "@/core/prepare/discs";
import { type Alternative, planMedium } from "@/core/prepare/plan";
import type { Context } from "../context";
import { kits, releases } from "../db/schema";
import { FileSource } from "../files/file-source";
import { biosStart } from "./bios-start";
import { releaseFile } from "./library";

const WAYS: Alternative[] = [
  { way: "as-it-is", store: false, table: "gpt" },
  { way: "laid-out", store: false, table: "gpt" },
  { way: "laid-out", store: false, table: "mbr" },
  { way: "disc", store: false, table: "gpt" },
];

/** What a release made in one way starts, and how much it writes; null where it cannot be made so. */
interface Made {
  predicted: Inspection;
  writtenBytes: number;
}

/** What a release's file comes to depends on that file and the way alone: kept, as reading it takes a second. */
const MADE_KEPT = 200;
const made = new Map<string, Promise<Made | null>>();

function madeAs(
  path: string,
  name: string,
  bytes: number,
  inspectionId: number,
  way: Alternative,
): Promise<Made | null> {
  const key = `${inspectionId} ${way.way} ${way.table}`;
  const known = made.get(key);
  if (known) return known;
  const making = planned(path, name, bytes, way);
  made.set(key, making);
  making.catch(() => made.delete(key));
  if (made.size > MADE_KEPT) made.delete(made.keys().next().value as string);
  return making;
}

async function planned(path: string, name: string, bytes: number, way: Alternative): Promise<Made | null> {
  const source = await FileSource.open(path);
  try {
    const isDisc = way.way === "disc";
    const room = Math.ceil((bytes * 2 + 512e6) / (1 << 20)) * (1 << 20);
    const plan = await planMedium({
      request: { ...way, tag: "PROPOSED" },
      image: source,
      name,
      device: isDisc
        ? { kind: "optical", bytes: DISCS.at(-1)?.bytes ?? room, sectorBytes: 2048 }
        : { kind: "usb", bytes: room, sectorBytes: 512 },
      bios: await biosStart(),
      pack: [],
      madeAt: "2026-01-01T00:00:00.000Z",
    });
    return plan.ok ? { predicted: plan.predicted, writtenBytes: plan.writtenBytes } : null;
  } finally {
    await source.close();
  }
}

/** For run sheets and records, and for what a file system needs of its own. */
const BESIDE_BYTES = 64e6;
const ROOM_SHARE = 1.05;

/** A release of the library made in one way. */
export interface Makeable {
  releaseId: number;
  /** Kit and release: "Lantern 12". */
  release: string;
  kit: string;
  way: Alternative;
  /** What it needs: the release, what Creel puts beside it, and room to spare. */
  neededBytes: number;
  predicted: Inspection;
  /** Tells what firmware makes of it. */
  key: string;
}

/** Everything that can be made here: every release whose file is in the library, in each way; and what is left out, why. */
export async function makeable(
  context: Context,
): Promise<{ found: Makeable[]; leftOut: { release: string; why: string }[] }> {
  const rows = await context.db
    .select({ id: releases.id, name: releases.name, kit: kits.name, inspectionId: releases.inspectionId })
    .from(releases)
    .innerJoin(kits, eq(kits.id, releases.kitId))
    .where(and(isNull(releases.supersededById), isNotNull(releases.inspectionId)))
    .orderBy(kits.name, desc(releases.madeOn));
  const found: Makeable[] = [];
  const leftOut: { release: string; why: string }[] = [];
  for (const { id, name, kit, inspectionId } of rows) {
    const release = `${kit} ${name}`;
    const file = await releaseFile(context, id);
    if ("missing" in file) {
      leftOut.push({ release, why: `Its file ${file.missing ?? ""} is not in this server's library.` });
      continue;
    }
    for (const way of WAYS) {
      const result = await madeAs(file.file.path, file.file.name, file.file.bytes, inspectionId as number, way);
      if (!result) continue;
      const room = way.way === "laid-out" ? ROOM_SHARE : 1;
      const neededBytes = Math.ceil(result.writtenBytes * room) + (way.way === "disc" ? 0 : BESIDE_BYTES);
      const key = `${inspectionId} ${way.way} ${way.table}`;
      found.push({ releaseId: id, release, kit, way, neededBytes, predicted: result.predicted, key });
    }
  }
  return { found, leftOut };
}
