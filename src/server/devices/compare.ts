import type { ByteSource } from "@/core/kernel/source";
import { WindowSource } from "@/core/kernel/source";
import type { BenchResult } from "@/core/making/jobs/job";
import { Cancelled } from "@/core/medium/integrity/hashing";
import type { Manifest } from "@/core/medium/integrity/manifest";
import { verifySample } from "@/core/medium/integrity/sample";
import { type Verification, verifyAgainst } from "@/core/medium/integrity/verify";
import { bytesText } from "@/core/words/sizes";
import { nativeHasher } from "../host/native-hasher";

export interface CompareOptions {
  /** Of its content; null: all of it. */
  share: number | null;
  /** Which places a sample is taken from. */
  seed: string;
  onProgress: (doneBytes: number, totalBytes: number) => void;
  shouldStop: () => boolean;
}

/** Files that are named where many are damaged. */
const NAMED_MOST = 50;

/** A release's manifest, and the part of the medium that it stands in; null: all of it. Bytes. */
export interface Manifested {
  manifest: Manifest;
  part: { startBytes: number; lengthBytes: number } | null;
}

export type Compared = Extract<BenchResult, { state: "compared" | "sampled" }>;

/** Compares what is on a device with the manifests of what it carries: the worst of them. Null where it was stopped. */
export async function compareWith(
  source: ByteSource,
  loads: readonly Manifested[],
  options: CompareOptions,
): Promise<Compared | null> {
  try {
    const results: Compared[] = [];
    for (const [nth, load] of loads.entries())
      results.push(await compare(source, load, options, { nth, of: loads.length }));
    return worstOf(results);
  } catch (error) {
    if (error instanceof Cancelled) return null;
    throw error;
  }
}

async function compare(
  medium: ByteSource,
  { manifest, part }: Manifested,
  { share, seed, onProgress, shouldStop }: CompareOptions,
  { nth, of }: { nth: number; of: number },
): Promise<Compared> {
  const source = part ? new WindowSource(medium, part.startBytes, part.lengthBytes) : medium;
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

/** What comparing all of a medium's releases comes to. */
function worstOf(results: readonly Compared[]): Compared {
  const same = results.every((each) => each.same);
  const damaged = results.flatMap((each) => each.damaged).slice(0, NAMED_MOST);
  const whole = results.flatMap((each) => (each.state === "compared" ? [each.result] : []));
  const samples = results.flatMap((each) => (each.state === "sampled" ? [each] : []));
  if (samples.length === 0) {
    const result = RESULTS[Math.max(...whole.map((each) => RESULTS.indexOf(each)))] as Verification["result"];
    return { state: "compared", same, result, damaged };
  }
  const sum = (of: (sample: (typeof samples)[number]) => number) =>
    samples.reduce((total, each) => total + of(each), 0);
  const by = samples.every((each) => each.by === "blocks") ? "blocks" : "files";
  const [comparedBytes, ofBytes] = [sum((each) => each.comparedBytes), sum((each) => each.ofBytes)];
  return { state: "sampled", same, by, comparedBytes, ofBytes, damaged };
}
