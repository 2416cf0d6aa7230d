import { expose } from "comlink";
import { ListedTree } from "@/core/formats/listed-tree";
import { BlobSource, type ByteSource, ReadFailed, rangesOn } from "@/core/kernel/source";
import { findPack, findPackIn, headOf } from "@/core/making/pack/pack-read";
import { folderVolume, inspectFolder } from "@/core/medium/inspection/folder";
import { inspect } from "@/core/medium/inspection/inspect";
import { digestSource, wasmHasher } from "@/core/medium/integrity/hashing";
import { verifyInner } from "@/core/medium/integrity/inner";
import { makeManifest } from "@/core/medium/integrity/manifest";
import { verifyAgainst, verifyVolumes } from "@/core/medium/integrity/verify";
import { listVolumes } from "@/core/medium/volumes/listing";
import { volumesInside } from "@/core/medium/volumes/unpacked";
import type { Volume } from "@/core/medium/volumes/volumes";
import { findThrough, within } from "@/core/medium/volumes/within";
import { unreadableText } from "@/core/words/trees";
import { type DroppedFolder, isFolder } from "./dropped";
import type { ReadNews, ReadReply, ReadRequest } from "./messages";

/** Reads a dropped file where it is: nothing of it leaves the browser but the result. */
export type Read = (request: ReadRequest, tell: (news: ReadNews) => void) => Promise<ReadReply>;

const read: Read = async (request, tell) => {
  try {
    return await answer(request, tell);
  } catch (error) {
    return { kind: "failed", problem: problemOf(error) };
  }
};

expose(read);

function problemOf(error: unknown): string {
  if (error instanceof ReadFailed)
    return "The file could not be read: it was moved, changed or taken out meanwhile. Drop it again.";
  return `Internal error: ${error instanceof Error ? error.message : String(error)}`;
}

async function answer(request: ReadRequest, tell: (news: ReadNews) => void): Promise<ReadReply> {
  const { file } = request;
  if (isFolder(file)) return answerOfFolder(request, file, tell);
  const source = new BlobSource(file);
  switch (request.kind) {
    case "inspect": {
      const onStep = (_volume: unknown, path: string) => {
        if (request.depth === "deep") tell({ kind: "step", path });
        return true;
      };
      const { depth } = request;
      return { kind: "inspected", ...(await inspect(source, { name: file.name, depth, onStep })) };
    }
    case "list":
      return list(await volumesInside(source), request.inside);
    case "digest": {
      const onProgress = progress(tell, file.size);
      let doneBytes = 0;
      const digest = await digestSource(source, request.hash, wasmHasher, (bytes) => {
        doneBytes += bytes;
        return onProgress(doneBytes, file.size);
      });
      return { kind: "digested", digest: digest ?? "" };
    }
    case "manifest":
      return {
        kind: "manifested",
        manifest: await makeManifest(source, { name: file.name, onProgress: progress(tell) }),
      };
    case "verify":
      return {
        kind: "verified",
        verification: await verifyAgainst(source, request.manifest, { onProgress: progress(tell) }),
      };
    case "inner": {
      const onProgress = progress(tell);
      let doneBytes = 0;
      const inner = await verifyInner(source, {
        onProgress: (bytes) => {
          doneBytes += bytes;
          return onProgress(doneBytes, file.size);
        },
      });
      return { kind: "innerly", inner };
    }
    case "glance": {
      const open = await findPack(source);
      return { kind: "glanced", head: open && (await headOf(open)) };
    }
    case "extract": {
      const content = await contentOf(await volumesInside(source), request.volume, request.path);
      return "problem" in content ? content : extract(file, source, content.source);
    }
  }
}

async function list(
  volumes: Volume[],
  inside: { volume: string | number; path: string } | undefined,
): Promise<ReadReply> {
  if (!inside) return { kind: "listed", listing: await listVolumes(volumes) };
  const around = volumes.find(({ id }) => id === inside.volume);
  const trees = around ? await within(around.tree, inside.path) : [];
  if (!around || trees.length === 0)
    return { kind: "failed", problem: "No readable files inside: damaged, or an unsupported format." };
  const inner = trees.map(({ tree, prefix }, nth): Volume => {
    const image = prefix.length > inside.path.length ? Number(prefix.slice(inside.path.length + 1)) : null;
    const id = image === null ? ("whole" as const) : (`wim:${image}` as const);
    return { id, kind: image === null ? around.kind : "wim", tree, start: nth, lengthBytes: 0 };
  });
  return { kind: "listed", listing: await listVolumes(inner) };
}

/** Told at most some thirty times a second: a page cannot show more. */
const TELL_EVERY_MS = 33;

function progress(tell: (news: ReadNews) => void, atOnce = -1): (doneBytes: number, totalBytes: number) => boolean {
  let last = 0;
  return (doneBytes, totalBytes) => {
    const now = performance.now();
    if (now - last > TELL_EVERY_MS || doneBytes === totalBytes || doneBytes === atOnce) {
      last = now;
      tell({ kind: "progress", doneBytes, totalBytes });
    }
    return true;
  };
}

const STEP_BYTES = 8 << 20;

/** The content of a file of a medium, or why it is not had. */
async function contentOf(
  volumes: Volume[],
  volume: string | number,
  path: string,
): Promise<{ source: ByteSource } | Extract<ReadReply, { kind: "failed" }>> {
  const around = volumes.find((each) => each.id === volume)?.tree;
  const found = around && (await findThrough(around, path));
  if (!found) return { kind: "failed", problem: "That file is gone." };
  const { tree, entry } = found;
  if (entry.unreadable)
    return { kind: "failed", problem: `It cannot be taken out: ${unreadableText(entry.unreadable)}.` };
  const content = await tree.open(entry);
  return content ? { source: content } : { kind: "failed", problem: "Cannot be saved: the medium is damaged there." };
}

/** A file of the medium as a blob: as slices of the medium's own where it lies there as it is, so that memory stays free. */
async function extract(file: File, source: ByteSource, content: ByteSource): Promise<ReadReply> {
  const ranges = rangesOn(source, content);
  const stored = ranges?.reduce((sum, range) => sum + range.lengthBytes, 0);
  if (ranges && stored === content.sizeBytes)
    return {
      kind: "extracted",
      content: new Blob(ranges.map(({ start, lengthBytes }) => file.slice(start, start + lengthBytes))),
    };
  return copied(content);
}

async function copied(content: ByteSource): Promise<ReadReply> {
  const pieces: Blob[] = [];
  for (let at = 0; at < content.sizeBytes; ) {
    const bytes = await content.read(at, STEP_BYTES);
    if (bytes.length === 0) return { kind: "failed", problem: "Cannot be saved whole: the medium is damaged." };
    pieces.push(new Blob([bytes.slice()]));
    at += bytes.length;
  }
  return { kind: "extracted", content: new Blob(pieces) };
}

/** What needs the medium itself, and not only its files. */
const NEEDS_MEDIUM = "Not available for a folder. Read the whole stick: as an image file, or at a bench.";

/** The same of the files of a plugged-in drive. */
async function answerOfFolder(
  request: ReadRequest,
  folder: DroppedFolder,
  tell: (news: ReadNews) => void,
): Promise<ReadReply> {
  const tree = new ListedTree(
    folder.files.map(({ path, file }) => ({
      path,
      sizeBytes: file.size,
      modified: new Date(file.lastModified).toISOString(),
      open: () => new BlobSource(file),
    })),
  );
  const volumes = [folderVolume(tree, folder.size)];
  switch (request.kind) {
    case "inspect": {
      const onStep = (_volume: unknown, path: string) => {
        if (request.depth === "deep") tell({ kind: "step", path });
        return true;
      };
      const options = { name: folder.name, bytes: folder.size, depth: request.depth, onStep };
      return { kind: "inspected", ...(await inspectFolder(tree, options)), bytesRead: 0 };
    }
    case "list":
      return list(volumes, request.inside);
    case "verify":
      return {
        kind: "verified",
        verification: await verifyVolumes(volumes, request.manifest, { onProgress: progress(tell) }),
      };
    case "glance": {
      const open = await findPackIn(volumes);
      return { kind: "glanced", head: open && (await headOf(open)) };
    }
    case "extract": {
      const content = await contentOf(volumes, request.volume, request.path);
      return "problem" in content ? content : copied(content.source);
    }
    default:
      return { kind: "failed", problem: NEEDS_MEDIUM };
  }
}
