import { createHash } from "node:crypto";
import { and, eq, isNull } from "drizzle-orm";
import type { BenchResult } from "@/core/bench/job";
import type { ByteSource } from "@/core/bytes/source";
import { Cancelled } from "@/core/integrity/hashing";
import { verifyAgainst } from "@/core/integrity/verify";
import type { Context } from "../context";
import { loads, media, releases } from "../db/schema";
import { problemText } from "../problems";
import { readManifest } from "../services/contents";
import { getMedium, mediumInputOf, saveMedium } from "../services/media";
import type { DeviceRow } from "./devices";

export interface VerifyOptions {
  onProgress: (doneBytes: number, totalBytes: number) => void;
  shouldStop: () => boolean;
}

/** Files that are named where many are damaged. */
const NAMED_MOST = 50;

/**
 * Compares what is on a device with the manifest of the release that its medium carries, and dates the medium's
 * verification by it. Null where it was stopped.
 */
export async function verifyAgainstRelease(
  context: Context,
  row: DeviceRow,
  source: ByteSource,
  options: VerifyOptions,
): Promise<BenchResult | null> {
  const [load] = row.mediumId
    ? await context.db
        .select({ inspectionId: releases.inspectionId, tag: media.tag })
        .from(loads)
        .innerJoin(releases, eq(releases.id, loads.releaseId))
        .innerJoin(media, eq(media.id, loads.mediumId))
        .where(and(eq(loads.mediumId, row.mediumId), isNull(media.retiredAt)))
    : [];
  const manifest = load?.inspectionId ? await readManifest(context, load.inspectionId) : null;
  if (!load || !manifest) return { state: "nothing-to-compare" };
  try {
    const verification = await verifyAgainst(source, manifest, {
      make: async (name) => {
        const hash = createHash(name);
        return { update: (bytes) => void hash.update(bytes), digest: () => hash.digest("hex") };
      },
      onProgress: (done, total) => {
        options.onProgress(done, total);
        return !options.shouldStop();
      },
    });
    const isSame = verification.result === "same" || verification.result === "same-files";
    await dateVerification(context, load.tag, isSame);
    const damaged = verification.files.differing.map(({ path, why }) => `${path} (${why})`);
    return { state: "compared", same: isSame, result: verification.result, damaged: damaged.slice(0, NAMED_MOST) };
  } catch (error) {
    if (error instanceof Cancelled) return null;
    throw error;
  }
}

async function dateVerification(context: Context, tag: string, whole: boolean): Promise<void> {
  const medium = await getMedium(context, tag);
  if (!medium) return;
  const on = context.now().toISOString().slice(0, 10);
  const input = { ...mediumInputOf(medium), verified: { on, whole } };
  const saved = await saveMedium(context, medium.row.id, medium.row.version, input);
  if (!saved.ok) throw new Error(problemText(saved.problem));
}
