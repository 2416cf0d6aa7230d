import { walk } from "../../formats/file-tree";
import type { FileToWrite } from "../../formats/tree-writing";
import { splitWim } from "../../formats/wim-splitting";
import { type ByteSource, CachedSource } from "../../kernel/source";
import { isSystemFile } from "../../medium/contents/systems";
import type { Manifest } from "../../medium/integrity/manifest";
import { type Volume, volumesOf } from "../../medium/volumes/volumes";

/** The files of a release, as they would be laid out anew, and what of it cannot be taken along. */
export interface ReleaseTree {
  files: FileToWrite[];
  /** Paths whose content cannot be read, and links, which FAT does not have. */
  left: { path: string; why: "link" | "unread" }[];
}

/**
 * What a release consists of: the file system of its disc or of the partition that computers start from, and the UEFI
 * loaders of its start images where the file system itself has none.
 */
export async function releaseTree(image: ByteSource): Promise<ReleaseTree> {
  const volumes = await volumesOf(new CachedSource(image));
  const main = await mainVolume(volumes);
  const tree: ReleaseTree = { files: [], left: [] };
  if (main) await gather(main, tree, () => true);
  const paths = new Set(tree.files.map(({ path }) => path.toUpperCase()));
  for (const volume of volumes) {
    if (volume === main || !isStartImage(volume)) continue;
    await gather(volume, tree, (path) => isUefiPath(path) && !paths.has(path.toUpperCase()));
    for (const { path } of tree.files) paths.add(path.toUpperCase());
  }
  return tree;
}

function isStartImage({ id, kind }: Volume): boolean {
  return kind.startsWith("fat") && (typeof id === "number" || String(id).startsWith("eltorito"));
}

function isUefiPath(path: string): boolean {
  return /^\/EFI\//i.test(path);
}

async function mainVolume(volumes: Volume[]): Promise<Volume | null> {
  const byKind = (kind: string) => volumes.find((volume) => volume.kind === kind && typeof volume.id !== "number");
  const disc = byKind("udf") ?? byKind("iso9660");
  if (disc) return disc;
  for (const volume of volumes) {
    if (!volume.kind.startsWith("fat")) continue;
    const root = await volume.tree.list(null);
    if (root.some(({ name, directory }) => directory && name.toUpperCase() === "EFI")) return volume;
  }
  return volumes[0] ?? null;
}

async function gather({ tree }: Volume, into: ReleaseTree, wanted: (path: string) => boolean): Promise<void> {
  for await (const { path, entry } of walk(tree)) {
    if (entry.directory || !wanted(path)) continue;
    if (entry.link !== undefined) {
      into.left.push({ path, why: "link" });
      continue;
    }
    const content = await tree.open(entry);
    if (content) into.files.push({ path, content, modified: entry.modified });
    else into.left.push({ path, why: "unread" });
  }
}

/** A release as it starts and repairs, without what it installs. */
export function withoutSystemFiles({ files, left }: ReleaseTree): ReleaseTree {
  return { files: files.filter(({ path }) => !isSystemFile(path)), left };
}

/** A file of a release that stands on its medium in parts. */
export interface SplitFile {
  path: string;
  /** Where the first part is. */
  firstPart: string;
  parts: number;
}

/**
 * Archives that Windows Setup installs from: where one is too large for FAT32, Setup takes `install.swm` and the parts
 * behind it instead, and finds them by itself. Source: Microsoft, "Install Windows from a USB flash drive".
 */
const SPLITTABLE = /^(\/sources\/install)\.wim$/i;
/** As Microsoft's instructions have them. */
const PART_MOST_BYTES = 3800 * 2 ** 20;

/** A release whose archive of system files is in parts where it is larger than `mostBytes`, and can be split. */
export async function withSplitArchives(
  { files, left }: ReleaseTree,
  mostBytes: number,
): Promise<{ tree: ReleaseTree; split: SplitFile[] }> {
  const split: SplitFile[] = [];
  const result: FileToWrite[] = [];
  for (const file of files) {
    const [, stem] = SPLITTABLE.exec(file.path) ?? [];
    const made =
      stem && file.content.sizeBytes > mostBytes
        ? await splitWim(file.content, Math.min(mostBytes, PART_MOST_BYTES))
        : null;
    // What cannot be split stays as it is, and is refused as too large.
    if (!stem || !made?.ok) {
      result.push(file);
      continue;
    }
    split.push({ path: file.path, firstPart: partPath(stem, 0), parts: made.parts.length });
    for (const [nth, content] of made.parts.entries()) result.push({ ...file, path: partPath(stem, nth), content });
  }
  return { tree: { files: result, left }, split };
}

function partPath(stem: string, nth: number): string {
  return `${stem}${nth === 0 ? "" : nth + 1}.swm`;
}

/** What a medium must hold that was made without a release's system files. */
export function manifestWithoutSystemFiles(manifest: Manifest): Manifest {
  const volumes = manifest.volumes.map(({ files, ...volume }) => {
    return { ...volume, files: files.filter(({ path }) => !isSystemFile(path)) };
  });
  return { ...manifest, volumes };
}
