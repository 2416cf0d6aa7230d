import { and, asc, eq, isNull } from "drizzle-orm";
import { type ByteSource, WindowSource } from "@/core/kernel/source";
import type { BenchResult } from "@/core/making/jobs/job";
import { manifestWithoutSystemFiles } from "@/core/making/planning/release-tree";
import { Cancelled } from "@/core/medium/integrity/hashing";
import type { Manifest } from "@/core/medium/integrity/manifest";
import { verifySample } from "@/core/medium/integrity/sample";
import { type Verification, verifyAgainst } from "@/core/medium/integrity/verify";
import { bytesText } from "@/core/words/sizes";
import { problemText } from "../../core/words/problems";
import type { Context } from "../context";
import { loads, media, releases } from "../db/schema";
import { nativeHasher } from "../host/native-hasher";
import { readManifest } from "../inspections/contents";
import { dateVerification } from "../media/date-verification";
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
 * Compares what is on a device with the manifests of the releases that its medium carries, and dates the medium's
 * verification by it. Null where it was stopped.
 */
export async function verifyAgainstRelease(
  context: Context,
  row: DeviceRow,
  source: ByteSource,
  options: VerifyOptions,
): Promise<BenchResult | null> {
  const carried = row.mediumId
    ? await context.db
        .select({
          inspectionId: releases.inspectionId,
          tag: media.tag,
          part: loads.part,
          lacks: loads.lacksSystemFiles,
        })
        .from(loads)
        .innerJoin(releases, eq(releases.id, loads.releaseId))
        .innerJoin(media, eq(media.id, loads.mediumId))
        .where(and(eq(loads.mediumId, row.mediumId), isNull(media.retiredAt)))
        .orderBy(asc(loads.id))
    : [];
  const [{ tag } = { tag: "" }] = carried;
  const loadsToRead: Manifested[] = [];
  for (const { inspectionId, part, lacks } of carried) {
    const whole = inspectionId ? await readManifest(context, inspectionId) : null;
    const manifest = whole && lacks ? manifestWithoutSystemFiles(whole) : whole;
    // One of several that cannot be compared leaves the whole in doubt.
    if (!manifest) return { state: "nothing-to-compare" };
    loadsToRead.push({ manifest, source: part ? new WindowSource(source, part.startBytes, part.lengthBytes) : source });
  }
  if (loadsToRead.length === 0) return { state: "nothing-to-compare" };
  try {
    const results: Compared[] = [];
    for (const [nth, load] of loadsToRead.entries())
      results.push(await compare(load, options, { nth, of: loadsToRead.length }));
    return await concludeVerification(context, tag, results);
  } catch (error) {
    if (error instanceof Cancelled) return null;
    throw error;
  }
}

/** A release's manifest, and the part of the medium that it stands in. */
interface Manifested {
  manifest: Manifest;
  source: ByteSource;
}

type Compared = Extract<BenchResult, { state: "compared" | "sampled" }>;

async function compare(
  { manifest, source }: Manifested,
  { share, seed, onProgress, shouldStop }: VerifyOptions,
  { nth, of }: { nth: number; of: number },
): Promise<Compared> {
  const hashing = {
    make: nativeHasher,
    onProgress: (done: number, total: number) => {
      onProgress(nth * total + done, of * total);
      return !shouldStop();
    },
  };
  if (share === null) {
    const { result, files } = await verifyAgainst(source, manifest, hashing);
    const damaged = files.differing.map(({ path, why }) => `${path} (${why})`);
    return { state: "compared", same: result === "same" || result === "same-files", result, damaged };
  }
  const { by, comparedBytes, ofBytes, ...found } = await verifySample(source, manifest, { ...hashing, share, seed });
  const damaged = [
    ...found.differing.map(({ path, why }) => `${path} (${why})`),
    ...found.outsideFiles.map(({ start }) => `outside all files, at ${bytesText(start)}`),
  ];
  return { state: "sampled", same: damaged.length === 0, by, comparedBytes, ofBytes, damaged };
}

const RESULTS: Verification["result"][] = ["same", "same-files", "damaged", "differs"];

/** What comparing all of a medium's releases comes to: the worst of them. Dates its verification. */
async function concludeVerification(context: Context, tag: string, results: readonly Compared[]): Promise<BenchResult> {
  const same = results.every((each) => each.same);
  const damaged = results.flatMap((each) => each.damaged).slice(0, NAMED_MOST);
  const whole = results.flatMap((each) => (each.state === "compared" ? [each.result] : []));
  const samples = results.flatMap((each) => (each.state === "sampled" ? [each] : []));
  if (samples.length === 0) {
    const result = RESULTS[Math.max(...whole.map((each) => RESULTS.indexOf(each)))] as Verification["result"];
    await dateOrThrow(context, tag, same ? "whole" : "damaged");
    return { state: "compared", same, result, damaged };
  }
  await dateOrThrow(context, tag, same ? "sample-right" : "damaged");
  const sum = (of: (sample: (typeof samples)[number]) => number) =>
    samples.reduce((total, each) => total + of(each), 0);
  const by = samples.every((each) => each.by === "blocks") ? "blocks" : "files";
  const [comparedBytes, ofBytes] = [sum((each) => each.comparedBytes), sum((each) => each.ofBytes)];
  return { state: "sampled", same, by, comparedBytes, ofBytes, damaged };
}

async function dateOrThrow(...given: Parameters<typeof dateVerification>): Promise<void> {
  const saved = await dateVerification(...given);
  if (!saved.ok) throw new Error(problemText(saved.problem));
}
