import { createSHA1 } from "hash-wasm";
import { LRUCache } from "lru-cache";
import { ConcatSource } from "../kernel/concat";
import { Fields, guid, hex, utf16 } from "../kernel/fields";
import { type ByteSource, readExactly } from "../kernel/source";
import type { FileTree, TreeEntry } from "./file-tree";
import { fileTime } from "./ntfs";
import { readWimHeader, WIM_HEADER_BYTES, wimCompressionOf } from "./wim";
import {
  isChunkSize,
  LOOKUP_BYTES,
  openSolidResource,
  openWimResource,
  RESOURCE,
  type WimPacking,
  type WimResource,
  wimResourceAt,
} from "./wim-resource";

/**
 * The files of one image of a WIM archive, after Microsoft's "Windows Imaging File Format" (2007): a table of all contents
 * by their SHA-1, and for each image a description of its folders.
 */
/** What an entry of the table has for a size where it is a solid resource itself (wimlib, "resource.h"). */
const SOLID_MAGIC = 0x1_0000_0000;
const STEP_BYTES = 1 << 20;
/** A table of a million contents, and a description of a million files. */
const TABLE_MAX_BYTES = 64 << 20;
const METADATA_MAX_BYTES = 512 << 20;
const IMAGES_MAX = 1000;
/** Of a folder that is kept. */
const KEPT_ENTRIES = 5_000;
/** Of a folder's or file's own description, up to its name. */
const ENTRY_BYTES = 102;
const STREAM_BYTES = 38;
const ATTRIBUTE = { directory: 0x10, reparse: 0x400, encrypted: 0x4000 };
/** Where a link is kept (winnt.h). */
const TAG = { mountPoint: 0xa000_0003, link: 0xa000_000c };
const LINK_MAX_BYTES = 16_384;
const NO_CONTENT = "0".repeat(40);

export interface WimEntry extends TreeEntry {
  /** Of a folder: where its entries stand in the description; 0 where it has none. */
  entriesAt: number;
  /** SHA-1 of the content, as it names it; null: there is none. */
  sha1: string | null;
  /** Of a reparse point: what kind it is of. */
  reparse: number | null;
}

/** Where a content lies: in which file, or in which solid resource of it. */
interface Stored {
  part: Part;
  resource: WimResource;
  /** The solid resources whose contents follow each other, in which it begins at `resource.start`. */
  solid: SolidRun | null;
}

interface Part {
  file: ByteSource;
  packing: WimPacking;
}

interface Contents {
  byDigest: Map<string, Stored>;
  /** Descriptions of the images, in their order, with the digest of each. */
  metadata: { stored: Stored; sha1: string }[];
}

/** Solid resources that are named one behind the other: their contents are counted through. */
class SolidRun {
  private opened: Promise<ByteSource | null> | null = null;
  readonly resources: WimResource[] = [];
  constructor(private readonly file: ByteSource) {}

  open(): Promise<ByteSource | null> {
    this.opened ??= this.openAll();
    return this.opened;
  }

  private async openAll(): Promise<ByteSource | null> {
    const sources = await Promise.all(this.resources.map((resource) => openSolidResource(this.file, resource)));
    const whole = sources.filter((source) => source !== null);
    return whole.length < sources.length
      ? null
      : whole.length === 1
        ? (whole[0] as ByteSource)
        : new ConcatSource(whole);
  }
}

/** A content that stands in solid resources, which are opened once somebody reads it. */
class SolidSource implements ByteSource {
  constructor(
    private readonly run: SolidRun,
    private readonly start: number,
    readonly sizeBytes: number,
  ) {}

  async read(offset: number, length: number): Promise<Uint8Array> {
    const source = await this.run.open();
    const end = Math.min(offset + length, this.sizeBytes);
    if (!source || !(offset >= 0) || end <= offset) return new Uint8Array(0);
    return source.read(this.start + offset, end - offset);
  }
}

/** An archive with its table of contents read, of one file or of the parts that it was split into. */
export class WimArchive {
  private constructor(private readonly contents: Contents) {}

  /** Null where the first file is no archive, or packed in a form that is not read here; others join it where they are parts of it. */
  static async open(file: ByteSource, others: readonly ByteSource[] = []): Promise<WimArchive | null> {
    const first = await openPart(file);
    if (!first) return null;
    const contents: Contents = { byDigest: new Map(), metadata: [] };
    addContents(contents, first);
    for (const other of others) {
      const part = await openPart(other);
      if (part && part.guid === first.guid && part.number !== first.number) addContents(contents, part);
    }
    return new WimArchive(contents);
  }

  /** How many images it has descriptions of. */
  get images(): number {
    return Math.min(this.contents.metadata.length, IMAGES_MAX);
  }

  /** Contents that it has, each of them once, descriptions of images among them. */
  get contentCount(): number {
    return this.contents.metadata.length + this.contents.byDigest.size;
  }

  /** The files of an image, from 1; null where its description is damaged or not there. */
  async image(index: number): Promise<WimTree | null> {
    const described = this.contents.metadata[index - 1];
    if (!described || described.stored.resource.sizeBytes > METADATA_MAX_BYTES) return null;
    const source = openStored(described.stored);
    const bytes = source && (await readExactly(source, 0, source.sizeBytes));
    return bytes && WimTree.of(bytes, (sha1) => this.open(sha1));
  }

  /** The content with a digest; null where the archive does not have it, or not in a form that is read here. */
  private open(sha1: string): { source: ByteSource | null; sizeBytes: number } | null {
    const stored = this.contents.byDigest.get(sha1);
    if (!stored) return null;
    return { source: openStored(stored), sizeBytes: stored.resource.sizeBytes };
  }

  /**
   * Reads every content and holds it against its SHA-1, in the order in which they lie: the digests of those that differ or
   * cannot be read. `onProgress` gets bytes done and bytes in all, unpacked, and ends it by answering false: null.
   */
  async damaged(onProgress: (doneBytes: number, totalBytes: number) => boolean = () => true): Promise<string[] | null> {
    const all: [string, Stored][] = [
      ...this.contents.metadata.map(({ stored, sha1 }): [string, Stored] => [sha1, stored]),
      ...this.contents.byDigest,
    ];
    const total = all.reduce((sum, [, { resource }]) => sum + resource.sizeBytes, 0);
    const hash = await createSHA1();
    const damaged: string[] = [];
    let done = 0;
    for (const [sha1, stored] of all) {
      const source = openStored(stored);
      hash.init();
      for (let at = 0; source && at < source.sizeBytes; at += STEP_BYTES) {
        const bytes = await source.read(at, Math.min(STEP_BYTES, source.sizeBytes - at));
        hash.update(bytes);
        done += bytes.length;
        if (!onProgress(done, total)) return null;
        if (bytes.length === 0) break;
      }
      if (!source || hash.digest() !== sha1) damaged.push(sha1);
    }
    return damaged;
  }
}

function openStored({ part, resource, solid }: Stored): ByteSource | null {
  return solid
    ? new SolidSource(solid, resource.start, resource.sizeBytes)
    : openWimResource(part.file, resource, part.packing);
}

interface OpenedPart extends Part {
  guid: string;
  number: number;
  table: Fields;
}

async function openPart(file: ByteSource): Promise<OpenedPart | null> {
  const header = await readWimHeader(file);
  if (!header || header.length < WIM_HEADER_BYTES) return null;
  const fields = new Fields(header);
  const packing = packingOf(fields, fields.ascii(0, 5) === "WLPWM");
  const table = wimResourceAt(fields, 48);
  if (!packing || !table || table.sizeBytes > TABLE_MAX_BYTES) return null;
  const source = openWimResource(file, table, packing);
  const bytes = source && (await readExactly(source, 0, table.sizeBytes));
  return bytes && { file, packing, guid: guid(fields, 24), number: fields.u16le(40), table: new Fields(bytes) };
}

function packingOf(fields: Fields, isPipable: boolean): WimPacking | null {
  const [compression, chunkBytes] = [wimCompressionOf(fields.u32le(16)), fields.u32le(20)];
  if (compression === "none") return { compression, chunkBytes: 1 << 15, isPipable };
  // An archive without any chunk size has the usual one (Microsoft, "Windows Imaging File Format": 32 KiB).
  const bytes = chunkBytes === 0 ? 1 << 15 : chunkBytes;
  return compression === "unknown" || !isChunkSize(compression, bytes)
    ? null
    : { compression, chunkBytes: bytes, isPipable };
}

function addContents(contents: Contents, part: OpenedPart): void {
  const { table } = part;
  let run: SolidRun | null = null;
  let isRunOpen = false;
  for (let at = 0; at + LOOKUP_BYTES <= table.length; at += LOOKUP_BYTES) {
    const resource = wimResourceAt(table, at);
    // What lies in another part of a split archive is not here.
    if (!resource || table.u16le(at + 24) !== part.number) continue;
    const sha1 = hex(table.slice(at + 30, 20));
    const isSolid = (resource.flags & RESOURCE.solid) !== 0;
    if (isSolid && resource.sizeBytes === SOLID_MAGIC) {
      if (!run || !isRunOpen) run = new SolidRun(part.file);
      isRunOpen = true;
      run.resources.push(resource);
      continue;
    }
    isRunOpen = false;
    if (isSolid) {
      // Its place and size are those in the unpacked resources; the field for a size is not used.
      const own = { ...resource, sizeBytes: resource.lengthBytes };
      if (run) contents.byDigest.set(sha1, { part, resource: own, solid: run });
      continue;
    }
    run = null;
    const stored = { part, resource, solid: null };
    if (resource.flags & RESOURCE.metadata) contents.metadata.push({ stored, sha1 });
    else contents.byDigest.set(sha1, stored);
  }
}

type OpenContent = (sha1: string) => { source: ByteSource | null; sizeBytes: number } | null;

/** One image of an archive. */
export class WimTree implements FileTree<WimEntry> {
  readonly label = null;
  /** Folders that were listed lately: a path is found through the same ones again and again. */
  private readonly folders = new LRUCache<number, WimEntry[]>({ max: 64 });

  private constructor(
    private readonly fields: Fields,
    private readonly rootAt: number,
    private readonly content: OpenContent,
  ) {}

  /** From an image's description: security descriptors, then the root, which has no name. */
  static of(bytes: Uint8Array, content: OpenContent): WimTree | null {
    if (bytes.length < 8) return null;
    const fields = new Fields(bytes);
    const rootAt = aligned(Math.max(8, fields.u32le(0)));
    if (rootAt + ENTRY_BYTES > bytes.length) return null;
    return new WimTree(fields, rootAt, content);
  }

  async list(directory: WimEntry | null): Promise<WimEntry[]> {
    const at = directory ? directory.entriesAt : this.folderAt(this.rootAt);
    if (at <= 0) return [];
    const known = this.folders.get(at);
    if (known) return known;
    const entries = await this.entriesFrom(at);
    if (entries.length <= KEPT_ENTRIES) this.folders.set(at, entries);
    return entries;
  }

  private async entriesFrom(at: number): Promise<WimEntry[]> {
    const entries: WimEntry[] = [];
    for (let next = at; ; ) {
      const found = this.entryAt(next);
      if (!found) return entries;
      if (found.entry.reparse !== null) await this.followed(found.entry);
      entries.push(found.entry);
      next = found.end;
    }
  }

  async open(file: WimEntry): Promise<ByteSource | null> {
    if (file.directory || file.unreadable || file.reparse !== null) return null;
    if (file.sha1 === null) return new EmptySource();
    return this.content(file.sha1)?.source ?? null;
  }

  private folderAt(at: number): number {
    const place = Number(this.fields.u64le(at + 16));
    return place > this.rootAt && place < this.fields.length ? place : 0;
  }

  /** The entry at a place, and where the next one begins; null at the end of a folder, and where it is damaged. */
  private entryAt(at: number): { entry: WimEntry; end: number } | null {
    const { fields } = this;
    if (at + 8 > fields.length) return null;
    const length = Number(fields.u64le(at));
    if (length < ENTRY_BYTES || at + length > fields.length) return null;
    const attributes = fields.u32le(at + 8);
    const nameBytes = fields.u16le(at + 100);
    if (ENTRY_BYTES + nameBytes > length) return null;
    const directory = (attributes & ATTRIBUTE.directory) !== 0;
    const streams = this.streams(at + aligned(length), fields.u16le(at + 96));
    if (!streams) return null;
    const own = hex(fields.slice(at + 64, 20));
    const unnamed = streams.unnamed ?? own;
    const sha1 = unnamed === NO_CONTENT ? null : unnamed;
    const content = sha1 === null ? null : this.content(sha1);
    const isElsewhere = sha1 !== null && !directory && content?.source == null;
    const reparse = attributes & ATTRIBUTE.reparse ? fields.u32le(at + 88) : null;
    const entry: WimEntry = {
      name: utf16(fields.slice(at + ENTRY_BYTES, nameBytes)),
      ...{ directory: directory && reparse === null, sizeBytes: directory ? 0 : (content?.sizeBytes ?? 0) },
      modified: fileTime(fields.u64le(at + 56)),
      ...{ entriesAt: directory ? this.folderAt(at) : 0, sha1, reparse },
      ...(directory ? { id: this.folderAt(at) || at } : {}),
      ...(attributes & ATTRIBUTE.encrypted
        ? { unreadable: "encrypted" as const }
        : isElsewhere
          ? { unreadable: content ? ("compressed" as const) : ("elsewhere" as const) }
          : {}),
    };
    return { entry, end: streams.end };
  }

  /** Further streams of an entry stand behind it; where there are any, the content itself is one of them, without a name. */
  private streams(at: number, count: number): { unnamed: string | null; end: number } | null {
    const { fields } = this;
    let unnamed: string | null = null;
    let next = at;
    for (let nth = 0; nth < count; nth++) {
      if (next + STREAM_BYTES > fields.length) return null;
      const length = Number(fields.u64le(next));
      if (length < STREAM_BYTES || next + length > fields.length) return null;
      const digest = hex(fields.slice(next + 16, 20));
      if (fields.u16le(next + 36) === 0 && digest !== NO_CONTENT) unnamed = digest;
      next += aligned(length);
    }
    return { unnamed, end: next };
  }

  /** Where a link or a junction leads (winnt.h, "REPARSE_DATA_BUFFER"); of other kinds the content is not that of a file. */
  private async followed(entry: WimEntry): Promise<void> {
    const isLink = entry.reparse === TAG.link;
    const source = entry.sha1 === null ? null : this.content(entry.sha1)?.source;
    entry.sizeBytes = 0;
    const head = isLink ? 12 : 8;
    const isFollowed = isLink || entry.reparse === TAG.mountPoint;
    // What is said of it already stays: encrypted, or in another part.
    if (isFollowed && !source && entry.unreadable) return;
    if (!isFollowed || !source || source.sizeBytes < head) {
      entry.unreadable = "special";
      return;
    }
    const fields = new Fields(await source.read(0, LINK_MAX_BYTES));
    if (fields.length < head) return;
    const [start, length] = [fields.u16le(4), fields.u16le(6)];
    if (head + start + length > fields.length) return;
    const told = utf16(fields.slice(head + start, length));
    entry.link = told.replace(/^\\\?\?\\/, "").replaceAll("\\", "/");
  }
}

class EmptySource implements ByteSource {
  readonly sizeBytes = 0;
  async read(): Promise<Uint8Array> {
    return new Uint8Array(0);
  }
}

const aligned = (bytes: number) => Math.ceil(bytes / 8) * 8;
