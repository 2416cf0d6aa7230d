import { itemAt } from "../../kernel/item-at";
import { Seed } from "../../kernel/seed";
import type { ByteRange, ByteSource } from "../../kernel/source";
import { Cancelled, type HasherMaker, type OnProgress, wasmHasher } from "./hashing";
import type { Manifest } from "./manifest";
import { type FileDifference, FilesOnMedium, overlaps } from "./verify";

/** What comparing a part of a medium with its manifest found. Nothing found is not the same as nothing there. */
export interface SampleResult {
  /** `blocks`: it is laid out as the manifest's file is. `files`: it carries the files otherwise; each was looked for. */
  by: "blocks" | "files";
  /** Bytes whose content was compared, and how many there are. */
  comparedBytes: number;
  ofBytes: number;
  differing: FileDifference[];
  /** Ranges that differ and belong to no file. */
  outsideFiles: ByteRange[];
}

export interface SampleOptions {
  /** Of the content, above 0 and at most 1. */
  share: number;
  /** Another seed chooses other places: media that are sampled again and again are read all over in the end. */
  seed: string;
  make?: HasherMaker;
  onProgress?: (doneBytes: number, totalBytes: number) => boolean;
}

/** So many blocks are compared however small the share is. */
const BLOCKS_LEAST = 12;
/** Of so many blocks most must be alike for the medium to count as laid out alike. */
const PROBES = 5;

/**
 * Compares a part of a medium with a manifest: the first block, the last, and others by chance; or, where it was laid out
 * otherwise, the presence and size of every file, and the content of the UEFI loaders and of others by chance.
 */
export async function verifySample(
  medium: ByteSource,
  manifest: Manifest,
  { share, seed, make = wasmHasher, onProgress }: SampleOptions,
): Promise<SampleResult> {
  const order = (count: number, use: string) => shuffled(count, new Seed(seed).with(use));
  const all = manifest.blocks.length;
  const wanted = Math.min(all, Math.max(BLOCKS_LEAST, Math.ceil(all * share)));
  const inOrder = [...new Set([0, all - 1, ...order(all, "blocks")])].slice(0, wanted).sort((a, b) => a - b);
  const blockAt = (index: number): ByteRange => {
    const start = index * manifest.blockBytes;
    return { start, lengthBytes: Math.min(manifest.blockBytes, manifest.file.bytes - start) };
  };
  const isBlockSame = async (index: number, tell: OnProgress) => {
    const { start, lengthBytes } = blockAt(index);
    const hash = await make("sha256");
    const bytes = await medium.read(start, lengthBytes);
    hash.update(bytes);
    if (!tell(bytes.length)) throw new Cancelled();
    return hash.digest() === manifest.blocks[index];
  };
  const probes = order(all, "probes").slice(0, PROBES);
  const alike = await Promise.all(probes.map((index) => isBlockSame(index, () => onProgress?.(0, 1) ?? true)));
  if (all > 0 && alike.filter(Boolean).length * 2 > probes.length) {
    const comparedBytes = inOrder.reduce((sum, index) => sum + blockAt(index).lengthBytes, 0);
    const tell = counting(comparedBytes, onProgress);
    const differing: ByteRange[] = [];
    for (const index of new Set([...inOrder, ...probes]))
      if (!(await isBlockSame(index, tell))) differing.push(blockAt(index));
    return { by: "blocks", comparedBytes, ofBytes: manifest.file.bytes, ...named(differing, manifest) };
  }
  return byFiles(medium, manifest, { share, make, onProgress, order });
}

async function byFiles(
  medium: ByteSource,
  manifest: Manifest,
  {
    share,
    make,
    onProgress,
    order,
  }: {
    share: number;
    make: HasherMaker;
    onProgress: SampleOptions["onProgress"];
    order: (count: number, use: string) => number[];
  },
): Promise<SampleResult> {
  const files = manifest.volumes.flatMap((volume) => volume.files.map((file) => ({ volume: volume.id, file })));
  const ofBytes = files.reduce((sum, { file }) => sum + file.bytes, 0);
  const chosen = new Set(files.filter(({ file }) => /^\/EFI\//i.test(file.path)));
  let comparedBytes = [...chosen].reduce((sum, { file }) => sum + file.bytes, 0);
  for (const index of order(files.length, "files")) {
    const file = files[index];
    if (comparedBytes >= ofBytes * share) break;
    if (!file || chosen.has(file)) continue;
    chosen.add(file);
    comparedBytes += file.file.bytes;
  }
  const found = await FilesOnMedium.of(medium);
  const tell = counting(comparedBytes, onProgress);
  const differing: FileDifference[] = [];
  for (const file of files) {
    const why = await found.difference(file.volume, file.file, chosen.has(file) ? make : null, tell);
    if (why) differing.push({ volume: file.volume, path: file.file.path, why });
  }
  return { by: "files", comparedBytes, ofBytes, differing, outsideFiles: [] };
}

/** Blocks that differ, by the files that lie in them. */
function named(ranges: ByteRange[], { volumes }: Manifest): Pick<SampleResult, "differing" | "outsideFiles"> {
  const differing = volumes.flatMap(({ id, files }) =>
    files.flatMap((file): FileDifference[] =>
      file.at?.some((own) => ranges.some((range) => overlaps(own, range)))
        ? [{ volume: id, path: file.path, why: "content" }]
        : [],
    ),
  );
  const touched = volumes.flatMap(({ files }) => files.flatMap(({ at }) => at ?? []));
  return { differing, outsideFiles: ranges.filter((range) => !touched.some((own) => overlaps(own, range))) };
}

function counting(totalBytes: number, onProgress: SampleOptions["onProgress"]): OnProgress {
  let doneBytes = 0;
  return (bytes) => {
    doneBytes += bytes;
    return onProgress?.(Math.min(doneBytes, totalBytes), totalBytes) ?? true;
  };
}

/** The numbers below `count` in an order by chance (Fisher and Yates), the same for the same seed. */
function shuffled(count: number, seed: Seed): number[] {
  const numbers = Array.from({ length: count }, (_, index) => index);
  // xorshift32: one digest for all of it.
  let state = seed.u32("order") || 1;
  for (let at = count - 1; at > 0; at--) {
    state ^= state << 13;
    state ^= state >>> 17;
    state ^= state << 5;
    const other = (state >>> 0) % (at + 1);
    [numbers[at], numbers[other]] = [itemAt(numbers, other), itemAt(numbers, at)];
  }
  return numbers;
}
