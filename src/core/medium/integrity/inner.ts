import { findEntry, PathIndex, walk } from "../../formats/file-tree";
import { checkWimIntegrity, type IntegrityResult, isWim } from "../../formats/wim";
import { WimArchive } from "../../formats/wim-tree";
import { type ByteSource, CachedSource } from "../../kernel/source";
import { distinct, type Volume, volumesOf } from "../volumes/volumes";
import { INNER_SUM_FILES, readChecksums } from "./checksums";
import { Cancelled, digestSource, type HasherMaker, type OnProgress, wasmHasher } from "./hashing";
import type { FileDifference } from "./verify";

/** What the sums that a disc carries of its own files say of them; null where it carries none. */
export interface InnerSums {
  path: string;
  compared: number;
  differing: FileDifference[];
}

/** An archive of system images, by the sums of its pieces where it carries such, else by the digest of each content. */
export interface InnerArchive {
  path: string;
  result: IntegrityResult | { state: "by-contents"; contents: number; damaged: number };
}

export interface InnerResult {
  sums: InnerSums[];
  archives: InnerArchive[];
}

export interface InnerOptions {
  make?: HasherMaker;
  onProgress?: OnProgress;
}

/** Everything on a medium that can be checked by what the medium itself says: sums of files, and archives' own. */
export async function verifyInner(medium: ByteSource, options: InnerOptions = {}): Promise<InnerResult> {
  const whole = new CachedSource(medium);
  if (isWim(await whole.read(0, 16))) return { sums: [], archives: await checkArchive("/", medium, options) };
  const volumes = distinct(await volumesOf(whole));
  return { sums: await verifySums(volumes, options), archives: await verifyArchives(volumes, options) };
}

async function verifyArchives(volumes: Volume[], options: InnerOptions): Promise<InnerArchive[]> {
  const found: InnerArchive[] = [];
  for (const { tree } of volumes) {
    for await (const { path, entry } of walk(tree)) {
      if (entry.directory || !/\.(wim|esd|swm)$/i.test(path) || found.length >= ARCHIVES_MAX) continue;
      const content = await tree.open(entry);
      if (content) found.push(...(await checkArchive(path, content, options)));
      else found.push({ path, result: { state: "unreadable" } });
    }
  }
  return found;
}

async function checkArchive(path: string, content: ByteSource, options: InnerOptions): Promise<InnerArchive[]> {
  let done = 0;
  const result = await checkWimIntegrity(content, (doneBytes) => {
    const step = doneBytes - done;
    done = doneBytes;
    return options.onProgress?.(step) ?? true;
  });
  if (!result) throw new Cancelled();
  return result.state === "none" ? checkContents(path, content, options) : [{ path, result }];
}

/** Every content of an archive against its SHA-1; nothing of one that is packed in a form that is not read here. */
async function checkContents(path: string, content: ByteSource, options: InnerOptions): Promise<InnerArchive[]> {
  const archive = await WimArchive.open(new CachedSource(content));
  if (!archive) return [];
  let done = 0;
  // What is unpacked is told as its share of the file.
  const damaged = await archive.damaged((doneBytes, totalBytes) => {
    const step = Math.floor((doneBytes / Math.max(1, totalBytes)) * content.sizeBytes) - done;
    done += step;
    return options.onProgress?.(step) ?? true;
  });
  if (!damaged) throw new Cancelled();
  const result = { state: "by-contents" as const, contents: archive.contentCount, damaged: damaged.length };
  return [{ path, result }];
}

const ARCHIVES_MAX = 200;
const DIFFERENCES_MAX = 1000;

async function verifySums(volumes: Volume[], options: InnerOptions): Promise<InnerSums[]> {
  const make = options.make ?? wasmHasher;
  const found: InnerSums[] = [];
  for (const volume of volumes) {
    let index: PathIndex | null = null;
    for (const path of INNER_SUM_FILES) {
      const entry = await findEntry(volume.tree, path);
      const content = entry && !entry.directory ? await volume.tree.open(entry) : null;
      // Found by another case of the same name, it was read already.
      if (!content || found.some((each) => each.path.toUpperCase() === path.toUpperCase())) continue;
      const text = new TextDecoder().decode(await content.read(0, 64 << 20));
      const result: InnerSums = { path, compared: 0, differing: [] };
      const base = path.slice(0, path.lastIndexOf("/"));
      for (const sum of readChecksums(text)) {
        result.compared++;
        index ??= await PathIndex.of(volume.tree);
        const named = index.file(`${base}/${sum.name}`);
        const file = named && (await index.open(named));
        const digest = file && (await digestSource(file, sum.hash, make, options.onProgress));
        if (digest === sum.digest) continue;
        const why = file ? (digest ? "content" : "unreadable") : "missing";
        if (result.differing.length < DIFFERENCES_MAX)
          result.differing.push({ volume: volume.id, path: `${base}/${sum.name}`, why });
      }
      if (result.compared > 0) found.push(result);
    }
  }
  return found;
}
