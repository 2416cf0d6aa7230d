import { LRUCache } from "lru-cache";
import { type Compression, decompressBlock } from "../kernel/decompress";
import { Fields, hasText, toSafeNumber } from "../kernel/fields";
import { itemAt } from "../kernel/item-at";
import { type ByteSource, readExactly } from "../kernel/source";
import { BlockedFile } from "./blocked-file";
import { DirectoryBudget, type FileTree, type TreeEntry } from "./file-tree";

/** Squashfs 4.0, reading only; the kernel's Documentation/filesystems/squashfs.rst and fs/squashfs/squashfs_fs.h. */
/** Content of a metadata block: listings and inodes run on from one into the next, as if they were one stream. */
const METADATA_BYTES = 8192;
/** A file whose last block stands alone: its tail was not put together with those of others. */
const NO_FRAGMENT = 0xffffffff;
/** Set in a stored size where the block would not have become smaller: its bytes are as they were. */
const UNCOMPRESSED_BLOCK = 1 << 24;
/** Numbers of the superblock's `compression`. */
const COMPRESSORS: Record<number, Compression | "zlib"> = {
  1: "zlib",
  2: "lzma",
  3: "lzo",
  4: "xz",
  5: "lz4",
  6: "zstd",
};
/** Metadata blocks kept decoded: 2 MiB. */
const BLOCKS_KEPT = 256;
/** Blocks of one file: 64 GiB of the usual 128 KiB. */
const FILE_BLOCKS_MAX = 1 << 19;
const DIRECTORY_MAX_BYTES = 16 << 20;

interface Superblock {
  blockBytes: number;
  compressor: Compression | "zlib" | null;
  fragments: number;
  made: string;
  root: { block: number; offset: number };
  inodeTable: number;
  directoryTable: number;
  fragmentTable: number;
}

export interface SquashfsEntry extends TreeEntry {
  /** Metadata block, relative to the inode table, and offset in it. */
  inode: { block: number; offset: number };
}

interface Inode {
  number: number;
  modified: string;
  kind: "directory" | "file" | "link" | "special";
  sizeBytes: number;
  /** Directory: where its listing is. */
  listing?: { block: number; offset: number };
  /** File: where its blocks begin, their stored sizes, and the tail in a fragment. */
  content?: { start: number; sizes: number[]; fragment: number; fragmentOffset: number };
  target?: string;
}

function decodeSuperblock(bytes: Uint8Array): Superblock | null {
  const fields = new Fields(bytes);
  if (!hasText(bytes, 0, "hsqs") || fields.u16le(28) !== 4) return null;
  const blockBytes = fields.u32le(12);
  // Inode, directory and fragment tables. The table of identities between them is of no use here.
  const places = [64, 72, 80].map((at) => toSafeNumber(fields.u64le(at)));
  const root = fields.u64le(32);
  // The size is there twice, once as its logarithm: what differs was damaged, or never was a squashfs.
  if (blockBytes < 4096 || blockBytes > 1 << 20 || 2 ** fields.u16le(22) !== blockBytes) return null;
  const [inodeTable, directoryTable, fragmentTable] = places as [number | null, number | null, number | null];
  if (inodeTable === null || directoryTable === null) return null;
  return {
    blockBytes,
    compressor: COMPRESSORS[fields.u16le(20)] ?? null,
    fragments: fields.u32le(16),
    made: new Date(fields.u32le(8) * 1000).toISOString(),
    // A reference to an inode: the block in the upper bits, the offset within it in the lower sixteen.
    root: { block: Number((root >> 16n) & 0xffffffffn), offset: Number(root & 0xffffn) },
    inodeTable,
    directoryTable,
    fragmentTable: fragmentTable ?? 0,
  };
}

export class SquashfsTree implements FileTree<SquashfsEntry> {
  readonly label = null;
  private readonly budget = new DirectoryBudget();
  private readonly blocks = new LRUCache<number, Promise<MetadataBlock | null>>({ max: BLOCKS_KEPT });
  private constructor(
    private readonly source: ByteSource,
    private readonly superblock: Superblock,
  ) {}

  /** Null where there is no squashfs 4.0; one whose compressor is not known here opens, and lists nothing. */
  static async open(source: ByteSource): Promise<SquashfsTree | null> {
    const bytes = await readExactly(source, 0, 96);
    const superblock = bytes && decodeSuperblock(bytes);
    return superblock ? new SquashfsTree(source, superblock) : null;
  }

  get made(): string {
    return this.superblock.made;
  }

  /** Why nothing in it can be read; null where it can. */
  get unread(): string | null {
    const { compressor } = this.superblock;
    if (compressor === "lzma") return `compressed with ${compressor}, which is not read here`;
    return compressor ? null : "compressed in an unknown way";
  }

  async list(directory: SquashfsEntry | null): Promise<SquashfsEntry[]> {
    const inode = this.budget.isSpent ? null : await this.inode(directory?.inode ?? this.superblock.root);
    if (!inode?.listing) return [];
    // The stored size counts three bytes more than the listing has.
    const bytes = await this.metadata(
      this.superblock.directoryTable,
      inode.listing,
      Math.min(inode.sizeBytes - 3, DIRECTORY_MAX_BYTES),
    );
    if (!bytes) return [];
    const entries: SquashfsEntry[] = [];
    for (const { name, place } of readListing(this.budget.take(bytes))) {
      const inode = await this.inode(place);
      if (inode) entries.push(entryOf(name, place, inode));
    }
    return entries;
  }

  async open(file: SquashfsEntry): Promise<ByteSource | null> {
    const inode = await this.inode(file.inode);
    if (!inode?.content) return null;
    const { blockBytes } = this.superblock;
    const { content } = inode;
    // Blocks follow one another: where each begins is the sum of the stored sizes before it.
    let at = content.start;
    const stored = content.sizes.map((size) => {
      const lengthBytes = size & (UNCOMPRESSED_BLOCK - 1);
      const block = { at, lengthBytes, plain: (size & UNCOMPRESSED_BLOCK) !== 0 };
      at += lengthBytes;
      return block;
    });
    // What is left over after whole blocks lies in a fragment, which tails of several files share.
    const tailBytes = inode.sizeBytes - stored.length * blockBytes;
    const fragment = content.fragment === NO_FRAGMENT ? null : await this.fragment(content.fragment);
    if (at > this.source.sizeBytes || (tailBytes > 0 && content.fragment !== NO_FRAGMENT && !fragment)) return null;
    return new BlockedFile(inode.sizeBytes, blockBytes, async (index) => {
      const block = stored[index];
      if (block) return this.block(block, Math.min(blockBytes, inode.sizeBytes - index * blockBytes));
      const tail = fragment && (await this.block(fragment, blockBytes));
      return tail ? tail.subarray(content.fragmentOffset, content.fragmentOffset + tailBytes) : null;
    });
  }

  /** A data block's content; a stored length of 0 is a hole. */
  private async block(stored: Stored, contentBytes: number): Promise<Uint8Array | null> {
    const { blockBytes, compressor } = this.superblock;
    if (stored.lengthBytes === 0) return new Uint8Array(contentBytes);
    if (stored.lengthBytes > blockBytes || !compressor) return null;
    const bytes = await readExactly(this.source, stored.at, stored.lengthBytes);
    return bytes && (stored.plain ? bytes : decompressBlock(compressor, bytes, blockBytes));
  }

  private async fragment(index: number): Promise<Stored | null> {
    const { fragments, fragmentTable } = this.superblock;
    if (index >= fragments) return null;
    // The table is a list of pointers to metadata blocks of 512 entries, of 16 bytes each.
    const pointer = await readExactly(this.source, fragmentTable + Math.floor(index / 512) * 8, 8);
    const table = pointer && toSafeNumber(new Fields(pointer).u64le(0));
    if (table === null) return null;
    const bytes = await this.metadata(table, { block: 0, offset: (index % 512) * 16 }, 16);
    if (!bytes) return null;
    const fields = new Fields(bytes);
    const at = toSafeNumber(fields.u64le(0));
    const size = fields.u32le(8);
    return at === null
      ? null
      : { at, lengthBytes: size & (UNCOMPRESSED_BLOCK - 1), plain: (size & UNCOMPRESSED_BLOCK) !== 0 };
  }

  private async inode(place: { block: number; offset: number }): Promise<Inode | null> {
    const table = this.superblock.inodeTable;
    // How long an inode is depends on its type, which its first bytes tell.
    const head = await this.metadata(table, place, 16);
    if (!head) return null;
    const type = new Fields(head).u16le(0);
    const fixed = INODE_BYTES[type];
    const bytes = fixed === undefined ? null : await this.metadata(table, place, fixed);
    if (!bytes) return null;
    const fields = new Fields(bytes);
    const base = {
      number: fields.u32le(12),
      modified: new Date(fields.u32le(8) * 1000).toISOString(),
    };
    // From 8 on the types are those of 1 to 7 with wider fields, for what is large or has extended attributes.
    switch (type) {
      case 1: {
        const listing = { block: fields.u32le(16), offset: fields.u16le(26) };
        return { ...base, kind: "directory", sizeBytes: fields.u16le(24), listing };
      }
      case 8: {
        const listing = { block: fields.u32le(24), offset: fields.u16le(34) };
        return { ...base, kind: "directory", sizeBytes: fields.u32le(20), listing };
      }
      case 2:
      case 9: {
        const wide = type === 9;
        const start = wide ? toSafeNumber(fields.u64le(16)) : fields.u32le(16);
        const sizeBytes = wide ? toSafeNumber(fields.u64le(24)) : fields.u32le(28);
        const fragment = fields.u32le(wide ? 44 : 20);
        if (start === null || sizeBytes === null) return null;
        const whole = sizeBytes / this.superblock.blockBytes;
        const count = fragment === NO_FRAGMENT ? Math.ceil(whole) : Math.floor(whole);
        // A size that nobody meant must not make a list of millions.
        if (count > FILE_BLOCKS_MAX) return null;
        const list = await this.metadata(table, place, (fixed as number) + count * 4);
        if (!list) return null;
        const words = new Fields(list);
        const sizes = Array.from({ length: count }, (_, i) => words.u32le((fixed as number) + i * 4));
        const content = { start, sizes, fragment, fragmentOffset: fields.u32le(wide ? 48 : 24) };
        return { ...base, kind: "file", sizeBytes, content };
      }
      case 3:
      case 10: {
        const length = Math.min(fields.u32le(20), 65_535);
        const whole = await this.metadata(table, place, 24 + length);
        return whole && { ...base, kind: "link", sizeBytes: 0, target: new TextDecoder().decode(whole.subarray(24)) };
      }
      default:
        return { ...base, kind: "special", sizeBytes: 0 };
    }
  }

  /** Bytes of a metadata table from a block of it on, across blocks; null where they are not all there. */
  private async metadata(
    table: number,
    place: { block: number; offset: number },
    length: number,
  ): Promise<Uint8Array | null> {
    if (length <= 0) return new Uint8Array(0);
    const pieces: Uint8Array[] = [];
    let at = table + place.block;
    let skip = place.offset;
    let left = length;
    while (left > 0) {
      const block = await this.metadataBlock(at);
      // A block that is not the last of what is wanted is always full.
      if (!block || block.bytes.length <= skip) return null;
      const piece = block.bytes.subarray(skip, skip + left);
      pieces.push(piece);
      left -= piece.length;
      skip = 0;
      at = block.next;
    }
    if (pieces.length === 1) return itemAt(pieces, 0);
    const out = new Uint8Array(length);
    let filled = 0;
    for (const piece of pieces) {
      out.set(piece, filled);
      filled += piece.length;
    }
    return out;
  }

  private metadataBlock(at: number): Promise<MetadataBlock | null> {
    const keptBlock = this.blocks.get(at);
    if (keptBlock) return keptBlock;
    const block = this.readMetadataBlock(at);
    this.blocks.set(at, block);
    return block;
  }

  private async readMetadataBlock(at: number): Promise<MetadataBlock | null> {
    const head = await readExactly(this.source, at, 2);
    if (!head) return null;
    // The topmost bit says that the block is stored as it is; the rest is how long it is there.
    const header = new Fields(head).u16le(0);
    const length = header & 0x7fff;
    const { compressor } = this.superblock;
    if (length === 0 || length > METADATA_BYTES || !compressor) return null;
    const stored = await readExactly(this.source, at + 2, length);
    if (!stored) return null;
    const bytes = header & 0x8000 ? stored : await decompressBlock(compressor, stored, METADATA_BYTES);
    return bytes && { bytes: trimToContent(bytes), next: at + 2 + length };
  }
}

interface Stored {
  at: number;
  lengthBytes: number;
  plain: boolean;
}

interface MetadataBlock {
  bytes: Uint8Array;
  next: number;
}

/** A block that decodes to more than one may hold is damaged, and what is too much is not looked at. */
function trimToContent(bytes: Uint8Array): Uint8Array {
  return bytes.length > METADATA_BYTES ? bytes.subarray(0, METADATA_BYTES) : bytes;
}

/**
 * The fixed part of each kind of inode: directory, file, link, block and character device, pipe, socket; then the same
 * seven with wider fields.
 */
const INODE_BYTES: Record<number, number> = {
  1: 32,
  2: 32,
  3: 24,
  4: 24,
  5: 24,
  6: 20,
  7: 20,
  8: 40,
  9: 56,
  10: 24,
  11: 28,
  12: 28,
  13: 24,
  14: 24,
};

function entryOf(name: string, place: SquashfsEntry["inode"], inode: Inode): SquashfsEntry {
  return {
    name,
    directory: inode.kind === "directory",
    sizeBytes: inode.kind === "file" ? inode.sizeBytes : 0,
    modified: inode.modified,
    id: inode.number,
    inode: place,
    ...(inode.target === undefined ? {} : { link: inode.target }),
    ...(inode.kind === "special" ? { unreadable: "special" as const } : {}),
  };
}

/** Headers with a block and a count, each followed by that many names. */
function readListing(bytes: Uint8Array): { name: string; place: SquashfsEntry["inode"] }[] {
  const fields = new Fields(bytes);
  const found: { name: string; place: SquashfsEntry["inode"] }[] = [];
  let at = 0;
  while (at + 12 <= bytes.length) {
    // Counts and lengths are stored less one, since none is ever nothing.
    const count = fields.u32le(at) + 1;
    const block = fields.u32le(at + 4);
    at += 12;
    if (count > 256) return found;
    for (let i = 0; i < count; i++) {
      if (at + 8 > bytes.length) return found;
      const nameBytes = fields.u16le(at + 6) + 1;
      if (at + 8 + nameBytes > bytes.length) return found;
      const name = new TextDecoder().decode(fields.slice(at + 8, nameBytes));
      found.push({ name, place: { block, offset: fields.u16le(at) } });
      at += 8 + nameBytes;
    }
  }
  return found;
}
