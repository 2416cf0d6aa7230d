import { and, eq, isNull } from "drizzle-orm";
import type { BenchResult } from "@/core/bench/job";
import type { ByteSource } from "@/core/bytes/source";
import { Cancelled } from "@/core/integrity/hashing";
import { verifySample } from "@/core/integrity/sample";
import { verifyAgainst } from "@/core/integrity/verify";
import { bytesText } from "@/core/words/sizes";
import type { Context } from "../context";
import { loads, media, releases } from "../db/schema";
import { nativeHasher } from "../files/native-hasher";
import { problemText } from "../problems";
import { readManifest } from "../services/contents";
import { dateVerification } from "../services/date-verification";
import type { DeviceRow } from "./devices";

export interface VerifyOptions {
  /** Of its content; null: all of it. */
  share: number | null;
  /** Which places a sample is taken from. */
  seed: string;
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
  const hashing = {
    make: nativeHasher,
    onProgress: (done: number, total: number) => {
      options.onProgress(done, total);
      return !options.shouldStop();
    },
  };
  try {
    if (options.share !== null) {
      const { share, seed } = options;
      const found = await verifySample(source, manifest, { ...hashing, share, seed });
      const { by, comparedBytes, ofBytes } = found;
      const damaged = [
        ...found.differing.map(({ path, why }) => `${path} (${why})`),
        ...found.outsideFiles.map(({ start }) => `outside all files, at ${bytesText(start)}`),
      ];
      await dated(context, load.tag, damaged.length === 0 ? "sample-right" : "damaged");
      const same = damaged.length === 0;
      return { state: "sampled", same, by, comparedBytes, ofBytes, damaged: damaged.slice(0, NAMED_MOST) };
    }
    const verification = await verifyAgainst(source, manifest, hashing);
    const isSame = verification.result === "same" || verification.result === "same-files";
    await dated(context, load.tag, isSame ? "whole" : "damaged");
    const damaged = verification.files.differing.map(({ path, why }) => `${path} (${why})`);
    return { state: "compared", same: isSame, result: verification.result, damaged: damaged.slice(0, NAMED_MOST) };
  } catch (error) {
    if (error instanceof Cancelled) return null;
    throw error;
  }
}

async function dated(...given: Parameters<typeof dateVerification>): Promise<void> {
  const saved = await dateVerification(...given);
  if (!saved.ok) throw new Error(problemText(saved.problem));
}
