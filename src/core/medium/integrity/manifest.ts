import { z } from "zod";
import { walk } from "../../formats/file-tree";
import { type ByteSource, CachedSource, rangesOn } from "../../kernel/source";
import { volumeIdSchema } from "../volumes/volume-id";
import { distinct, type Volume, volumesOf } from "../volumes/volumes";
import { Cancelled, digestSource, type HasherMaker, type OnProgress, STEP_BYTES, wasmHasher } from "./hashing";

const MANIFEST_SCHEMA = "creel.manifest/1";
/** A medium is compared in blocks of this size. */
export const MANIFEST_BLOCK_BYTES = 4 << 20;

const manifestFileSchema = z.object({
  path: z.string(),
  bytes: z.number().int().nonnegative(),
  /** Lower-case hex; null where the content could not be read. */
  sha256: z.string().nullable(),
  /** Where it lies: pairs of start and length in bytes, on the medium. Left out where it does not lie there as it is. */
  at: z.array(z.tuple([z.number().int(), z.number().int()])).optional(),
});
export type ManifestFile = z.infer<typeof manifestFileSchema>;

/** `creel.manifest/1`: what a release holds, to the file and to the block. */
export const manifestSchema = z.object({
  schema: z.literal(MANIFEST_SCHEMA),
  file: z.object({ name: z.string(), bytes: z.number().int(), sha256: z.string() }),
  blockBytes: z.number().int().positive(),
  /** SHA-256 of each block, the last one as short as it is. */
  blocks: z.array(z.string().regex(/^[0-9a-f]{64}$/)),
  volumes: z.array(
    z.object({
      id: volumeIdSchema,
      kind: z.string(),
      label: z.string().nullable(),
      files: z.array(manifestFileSchema),
    }),
  ),
});
export type Manifest = z.infer<typeof manifestSchema>;

export interface ManifestOptions {
  name: string;
  make?: HasherMaker;
  /** Bytes done and bytes in all; answering false ends the work with `Cancelled`. */
  onProgress?: (doneBytes: number, totalBytes: number) => boolean;
}

/** Ranges of a file that a manifest keeps; a file in more pieces is located by its first ones only. */
const RANGES_MAX = 256;

/** Reads a medium twice: once as a row of blocks, once file by file. */
export async function makeManifest(medium: ByteSource, options: ManifestOptions): Promise<Manifest> {
  const make = options.make ?? wasmHasher;
  const source = new CachedSource(medium);
  const volumes = distinct(await volumesOf(source));
  const found = await listFiles(volumes);
  const fileBytes = found.reduce(
    (sum, { files }) => sum + files.reduce((own, each) => own + each.entry.sizeBytes, 0),
    0,
  );
  const totalBytes = medium.sizeBytes + fileBytes;
  let doneBytes = 0;
  const onProgress: OnProgress = (bytes) => {
    doneBytes += bytes;
    return options.onProgress?.(doneBytes, totalBytes) ?? true;
  };
  const { blocks, sha256 } = await hashBlocks(medium, medium.sizeBytes, make, onProgress);
  const manifest: Manifest = {
    schema: MANIFEST_SCHEMA,
    file: { name: options.name, bytes: medium.sizeBytes, sha256 },
    blockBytes: MANIFEST_BLOCK_BYTES,
    blocks,
    volumes: [],
  };
  for (const { volume, files } of found) {
    const told: ManifestFile[] = [];
    for (const { path, entry } of files) {
      const content = entry.unreadable ? null : await volume.tree.open(entry);
      const digest = content && (await digestSource(content, "sha256", make, onProgress));
      const ranges = content && rangesOn(medium, content)?.slice(0, RANGES_MAX);
      told.push({
        path,
        bytes: entry.sizeBytes,
        sha256: digest,
        ...(ranges && ranges.length > 0
          ? { at: ranges.map(({ start, lengthBytes }): [number, number] => [start, lengthBytes]) }
          : {}),
      });
    }
    manifest.volumes.push({ id: volume.id, kind: volume.kind, label: volume.tree.label, files: told });
  }
  return manifest;
}

async function listFiles(volumes: Volume[]) {
  const result = [];
  for (const volume of volumes) {
    const files = [];
    for await (const walked of walk(volume.tree))
      if (!walked.entry.directory && walked.entry.link === undefined) files.push(walked);
    result.push({ volume, files });
  }
  return result;
}

/** SHA-256 of each block of the first `lengthBytes`, and of them all. */
export async function hashBlocks(
  source: ByteSource,
  lengthBytes: number,
  make: HasherMaker,
  onProgress: OnProgress,
): Promise<{ blocks: string[]; sha256: string }> {
  const whole = await make("sha256");
  const blocks: string[] = [];
  for (let start = 0; start < lengthBytes; start += MANIFEST_BLOCK_BYTES) {
    const block = await make("sha256");
    const end = Math.min(start + MANIFEST_BLOCK_BYTES, lengthBytes);
    for (let at = start; at < end; at += STEP_BYTES) {
      const bytes = await source.read(at, Math.min(STEP_BYTES, end - at));
      whole.update(bytes);
      block.update(bytes);
      if (!onProgress(bytes.length)) throw new Cancelled();
    }
    blocks.push(block.digest());
  }
  return { blocks, sha256: whole.digest() };
}
