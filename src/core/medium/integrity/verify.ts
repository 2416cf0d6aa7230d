import { PathIndex } from "../../formats/file-tree";
import { joinedWim } from "../../formats/wim-splitting";
import { type ByteRange, type ByteSource, CachedSource } from "../../kernel/source";
import { distinct, type Volume, type VolumeId, volumesOf } from "../volumes/volumes";
import { Cancelled, digestSource, type HasherMaker, type OnProgress, wasmHasher } from "./hashing";
import { hashBlocks, type Manifest, type ManifestFile } from "./manifest";

export interface FileDifference {
  volume: VolumeId | string;
  path: string;
  why: "missing" | "size" | "content" | "unreadable";
}

/** `creel.verify/1`: a medium compared with the manifest of what it should hold. */
export interface Verification {
  schema: "creel.verify/1";
  /**
   * `same`: to the byte. `same-files`: every file is there and whole, other bytes differ. `damaged`: laid out alike, and
   * some files differ. `differs`: other files, or not all of them.
   */
  result: "same" | "same-files" | "damaged" | "differs";
  blocks: { compared: number; differing: ByteRange[]; missingBytes: number; extraBytes: number };
  files: { compared: number; differing: FileDifference[]; more: number };
  /** Ranges that differ and belong to no file: tables, directories, or free space. */
  outsideFiles: ByteRange[];
}

export interface VerifyOptions {
  make?: HasherMaker;
  /** Only files whose path begins with this; blocks are then left out. */
  only?: string;
  onProgress?: (doneBytes: number, totalBytes: number) => boolean;
}

/**
 * Holds the files of a folder against a manifest: each of them, and nothing else of the medium. What is there beside them is
 * nobody's fault.
 */
export async function verifyVolumes(
  volumes: Volume[],
  manifest: Manifest,
  options: Omit<VerifyOptions, "only"> = {},
): Promise<Verification> {
  const files = manifest.volumes.flatMap((volume) => volume.files.map((file) => ({ volume, file })));
  const totalBytes = files.reduce((sum, { file }) => sum + file.bytes, 0);
  let doneBytes = 0;
  const onProgress: OnProgress = (bytes) => {
    doneBytes += bytes;
    return options.onProgress?.(doneBytes, totalBytes) ?? true;
  };
  const result: Verification = {
    ...{ schema: "creel.verify/1", result: "same-files" },
    blocks: { compared: 0, differing: [], missingBytes: 0, extraBytes: 0 },
    ...{ files: { compared: 0, differing: [], more: 0 }, outsideFiles: [] },
  };
  const found = FilesOnMedium.among(volumes);
  await compareFiles(found, files, null, result, options.make ?? wasmHasher, onProgress);
  if (result.files.differing.length + result.files.more > 0) result.result = "differs";
  return result;
}

const DIFFERENCES_MAX = 1000;
/** Where more of the blocks differ than this share, the medium was laid out otherwise. */
const LAID_OUT_ALIKE = 0.5;

/** Compares a medium with the manifest of its release: block by block, and file by file only where a block differs. */
export async function verifyAgainst(
  medium: ByteSource,
  manifest: Manifest,
  options: VerifyOptions = {},
): Promise<Verification> {
  const make = options.make ?? wasmHasher;
  const { only } = options;
  const files = manifest.volumes.flatMap((volume) =>
    volume.files.filter((file) => only === undefined || isBelow(file.path, only)).map((file) => ({ volume, file })),
  );
  const sharedBytes = only === undefined ? Math.min(medium.sizeBytes, manifest.file.bytes) : 0;
  const totalBytes = sharedBytes + files.reduce((sum, { file }) => sum + file.bytes, 0);
  let doneBytes = 0;
  const onProgress: OnProgress = (bytes) => {
    doneBytes += bytes;
    return options.onProgress?.(doneBytes, totalBytes) ?? true;
  };
  const result: Verification = {
    schema: "creel.verify/1",
    result: "same",
    blocks: {
      compared: 0,
      differing: [],
      missingBytes: Math.max(0, manifest.file.bytes - medium.sizeBytes),
      extraBytes: Math.max(0, medium.sizeBytes - manifest.file.bytes),
    },
    files: { compared: 0, differing: [], more: 0 },
    outsideFiles: [],
  };
  if (only === undefined) {
    const { blocks } = await hashBlocks(medium, sharedBytes, make, onProgress);
    result.blocks.compared = blocks.length;
    for (const [index, digest] of blocks.entries()) {
      if (digest === manifest.blocks[index]) continue;
      const start = index * manifest.blockBytes;
      result.blocks.differing.push({ start, lengthBytes: Math.min(manifest.blockBytes, manifest.file.bytes - start) });
    }
    if (result.blocks.differing.length === 0 && result.blocks.missingBytes === 0) return result;
    if (result.blocks.missingBytes > 0)
      result.blocks.differing.push({ start: medium.sizeBytes, lengthBytes: result.blocks.missingBytes });
  }
  // A block that the end of a medium cuts says nothing about how it was laid out.
  const isWhole = (range: ByteRange) => range.start + range.lengthBytes <= medium.sizeBytes;
  const wholeBlocks =
    medium.sizeBytes >= manifest.file.bytes
      ? manifest.blocks.length
      : Math.max(1, Math.floor(sharedBytes / manifest.blockBytes));
  const alike = result.blocks.differing.filter(isWhole).length <= wholeBlocks * LAID_OUT_ALIKE;
  await compareFiles(
    await FilesOnMedium.of(medium),
    files,
    only === undefined && alike ? result.blocks.differing : null,
    result,
    make,
    onProgress,
  );
  if (only === undefined) result.outsideFiles = alike ? outsideFiles(result.blocks.differing, manifest) : [];
  result.result = verdict(result, only !== undefined, alike);
  return result;
}

function isBelow(path: string, only: string): boolean {
  const folder = `/${only.split("/").filter(Boolean).join("/")}`.toUpperCase();
  const capitals = path.toUpperCase();
  return folder === "/" || capitals === folder || capitals.startsWith(`${folder}/`);
}

function verdict(result: Verification, partly: boolean, alike: boolean): Verification["result"] {
  if (result.files.differing.length + result.files.more > 0) return alike && !partly ? "damaged" : "differs";
  return result.blocks.missingBytes > 0 && alike ? "damaged" : "same-files";
}

/** Compares files; with `suspect` only those that lie in one of the ranges, or of which nobody knows where they lie. */
async function compareFiles(
  found: FilesOnMedium,
  files: { volume: Manifest["volumes"][number]; file: ManifestFile }[],
  suspect: ByteRange[] | null,
  result: Verification,
  make: HasherMaker,
  onProgress: OnProgress,
): Promise<void> {
  for (const { volume, file } of files) {
    if (suspect && file.at && !file.at.some((range) => suspect.some((each) => overlaps(range, each)))) {
      if (!onProgress(file.bytes)) throw new Cancelled();
      continue;
    }
    result.files.compared++;
    const why = await found.difference(volume.id, file, make, onProgress);
    if (!why) continue;
    if (result.files.differing.length < DIFFERENCES_MAX)
      result.files.differing.push({ volume: volume.id, path: file.path, why });
    else result.files.more++;
  }
}

/** The files of a medium, found by path in whichever of its volumes they are. */
export class FilesOnMedium {
  private readonly known = new Map<Volume, PathIndex>();
  private constructor(private readonly volumes: Volume[]) {}

  static async of(medium: ByteSource): Promise<FilesOnMedium> {
    return new FilesOnMedium(distinct(await volumesOf(new CachedSource(medium))));
  }

  static among(volumes: Volume[]): FilesOnMedium {
    return new FilesOnMedium(volumes);
  }

  /** How a file differs from what a manifest says of it; null where it does not. Without `make` its content is not read. */
  async difference(
    volumeId: VolumeId | string,
    file: ManifestFile,
    make: HasherMaker | null,
    onProgress: OnProgress,
  ): Promise<FileDifference["why"] | null> {
    // A medium that was laid out anew may carry the files in a volume of another name.
    const volumes = [...this.volumes].sort((a, b) => Number(b.id === volumeId) - Number(a.id === volumeId));
    for (const volume of volumes) {
      const index = await this.indexOf(volume);
      const entry = index.file(file.path);
      const split = entry ? null : await joinedParts(index, file.path);
      if (!entry && !split) continue;
      if ((entry ?? split)?.sizeBytes !== file.bytes) return "size";
      if (file.sha256 === null || !make) return null;
      const content = split ?? (entry && (await index.open(entry)));
      const digest = content && (await digestSource(content, "sha256", make, onProgress));
      if (!digest) return "unreadable";
      return digest === file.sha256 ? null : "content";
    }
    return "missing";
  }

  private async indexOf(volume: Volume): Promise<PathIndex> {
    const index = this.known.get(volume) ?? (await PathIndex.of(volume.tree));
    this.known.set(volume, index);
    return index;
  }
}

/** An archive that a medium has in the parts that Creel splits it into, as the file that it was; null where it has none. */
async function joinedParts(index: PathIndex, path: string): Promise<ByteSource | null> {
  const [, stem] = /^(.*)\.wim$/i.exec(path) ?? [];
  if (stem === undefined) return null;
  const parts: ByteSource[] = [];
  for (let entry = index.file(`${stem}.swm`); entry; entry = index.file(`${stem}${parts.length + 1}.swm`)) {
    const content = await index.open(entry);
    if (!content) return null;
    parts.push(content);
  }
  return parts.length > 0 ? joinedWim(parts) : null;
}

/** Whether a run of bytes `[start, length]` and a range have a byte in common. */
export function overlaps([start, length]: [number, number], range: ByteRange): boolean {
  return start < range.start + range.lengthBytes && range.start < start + length;
}

/** Ranges in which no file of the manifest lies. */
function outsideFiles(ranges: ByteRange[], manifest: Manifest): ByteRange[] {
  const files = manifest.volumes.flatMap((volume) => volume.files);
  return ranges.filter((range) => !files.some((file) => file.at?.some((own) => overlaps(own, range))));
}
