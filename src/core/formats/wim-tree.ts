import { LRUCache } from "lru-cache";
import { Fields, hex, utf16 } from "../kernel/fields";
import { type ByteSource, readExactly } from "../kernel/source";
import type { FileTree, TreeEntry } from "./file-tree";
import { fileTime } from "./ntfs";
import { openWimResource, RESOURCE, type WimPacking, type WimResource, wimResourceAt } from "./wim-resource";

/**
 * The files of one image of a WIM archive, after Microsoft's "Windows Imaging File Format" (2007): a table of all contents
 * by their SHA-1, and for each image a description of its folders.
 */
const HEADER_BYTES = 208;
const LOOKUP_BYTES = 50;
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

interface Contents {
  byDigest: Map<string, WimResource>;
  /** Descriptions of the images, in their order. */
  metadata: WimResource[];
}

/** An archive with its table of contents read; its images are opened one by one. */
export class WimArchive {
  private constructor(
    private readonly file: ByteSource,
    private readonly packing: WimPacking,
    private readonly contents: Contents,
  ) {}

  /** Null where it is no archive, or packed in a form that is not read here. */
  static async open(file: ByteSource): Promise<WimArchive | null> {
    const header = await readExactly(file, 0, HEADER_BYTES);
    if (!header) return null;
    const fields = new Fields(header);
    if (fields.ascii(0, 8) !== "MSWIM\0\0\0") return null;
    const packing = packingOf(fields);
    const table = wimResourceAt(fields, 48);
    if (!packing || !table || table.sizeBytes > TABLE_MAX_BYTES) return null;
    const source = openWimResource(file, table, packing);
    const bytes = source && (await readExactly(source, 0, table.sizeBytes));
    return bytes && new WimArchive(file, packing, contentsOf(new Fields(bytes), fields.u16le(40)));
  }

  /** How many images it has descriptions of. */
  get images(): number {
    return Math.min(this.contents.metadata.length, IMAGES_MAX);
  }

  /** The files of an image, from 1; null where its description is damaged or not there. */
  async image(index: number): Promise<WimTree | null> {
    const resource = this.contents.metadata[index - 1];
    if (!resource || resource.sizeBytes > METADATA_MAX_BYTES) return null;
    const source = openWimResource(this.file, resource, this.packing);
    const bytes = source && (await readExactly(source, 0, resource.sizeBytes));
    return bytes && WimTree.of(bytes, (sha1) => this.open(sha1));
  }

  /** The content with a digest; null where the archive does not have it, or not in a form that is read here. */
  private open(sha1: string): { source: ByteSource | null; sizeBytes: number } | null {
    const resource = this.contents.byDigest.get(sha1);
    if (!resource) return null;
    return { source: openWimResource(this.file, resource, this.packing), sizeBytes: resource.sizeBytes };
  }
}

function packingOf(fields: Fields): WimPacking | null {
  const [flags, chunkBytes] = [fields.u32le(16), fields.u32le(20)];
  if (!(flags & 0x2)) return { compression: "none", chunkBytes: 1 << 15 };
  const compression = flags & 0x40000 ? "lzx" : flags & 0x20000 ? "xpress" : null;
  const [least, most] = compression === "lzx" ? [1 << 15, 1 << 21] : [1 << 12, 1 << 16];
  const isPower = (chunkBytes & (chunkBytes - 1)) === 0;
  return compression && isPower && chunkBytes >= least && chunkBytes <= most ? { compression, chunkBytes } : null;
}

function contentsOf(table: Fields, part: number): Contents {
  const contents: Contents = { byDigest: new Map(), metadata: [] };
  for (let at = 0; at + LOOKUP_BYTES <= table.length; at += LOOKUP_BYTES) {
    const resource = wimResourceAt(table, at);
    // What lies in another part of a split archive is not here.
    if (!resource || table.u16le(at + 24) !== part) continue;
    if (resource.flags & RESOURCE.metadata) contents.metadata.push(resource);
    else contents.byDigest.set(hex(table.slice(at + 30, 20)), resource);
  }
  return contents;
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
    if ((!isLink && entry.reparse !== TAG.mountPoint) || !source || source.sizeBytes < head) {
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
