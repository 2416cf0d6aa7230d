import { Fields } from "../kernel/fields";
import { type ByteRange, type ByteSource, readExactly } from "../kernel/source";
import { type AllocationReading, MarkedAllocation, merged } from "./allocation";
import { decodeExtGeometry, descriptorPlace, type ExtGeometry, hasSuperblock } from "./ext";

/** The kernel's Documentation/filesystems/ext4: superblock and block group descriptors. */
const SUPERBLOCK_AT = 1024;
const INCOMPATIBLE_RECOVER = 0x4;
const INCOMPATIBLE_META_GROUPS = 0x10;
const COMPATIBLE_SPARSE_2 = 0x200;
const READ_ONLY = { groupChecksums: 0x10, bigAlloc: 0x200, metadataChecksums: 0x400 };
/** State of a volume that was left in order, and the mark of one in which errors were found. */
const STATE = { clean: 1, errors: 2 };
const GROUP_BLOCKS_NOT_MADE = 0x2;
/** Groups whose descriptors are read: those of 128 TiB in groups of 128 MiB. */
const GROUPS_MAX = 1 << 20;

interface Group {
  /** The block of its marks; null where they were never made, since nothing but its own tables lies in it. */
  marks: number | null;
}

/**
 * What an ext volume uses, by the marks of its groups. A journal that was not taken in may know of blocks that the
 * marks do not: then they are not believed.
 */
export async function extAllocation(source: ByteSource): Promise<AllocationReading> {
  const damaged = { ok: false, why: "maps-damaged" } as const;
  const bytes = await readExactly(source, SUPERBLOCK_AT, 1024);
  const geometry = bytes && decodeExtGeometry(bytes);
  if (!bytes || !geometry) return damaged;
  const fields = new Fields(bytes);
  const state = fields.u16le(58);
  if (geometry.incompatible & INCOMPATIBLE_RECOVER || !(state & STATE.clean) || state & STATE.errors)
    return { ok: false, why: "not-left-in-order" };
  const readOnly = fields.u32le(76) >= 1 ? fields.u32le(100) : 0;
  const isBig = (readOnly & READ_ONLY.bigAlloc) !== 0;
  const clusterBytes = isBig ? 1024 * 2 ** Math.min(fields.u32le(28), 20) : geometry.blockBytes;
  const clustersPerGroup = isBig ? fields.u32le(36) : geometry.blocksPerGroup;
  // Marks of a group are one block; groups are whole numbers of bytes of marks.
  if (clustersPerGroup === 0 || clustersPerGroup % 8 !== 0 || clustersPerGroup > geometry.blockBytes * 8)
    return damaged;
  if (
    clusterBytes < geometry.blockBytes ||
    clustersPerGroup * clusterBytes !== geometry.blocksPerGroup * geometry.blockBytes
  )
    return damaged;
  const read = await readGroups(source, geometry, fields, readOnly);
  if (!read) return damaged;
  const origin = geometry.firstBlock * geometry.blockBytes;
  const volumeEnd = Math.min(geometry.blocks * geometry.blockBytes, source.sizeBytes);
  const allocation = new MarkedAllocation({
    origin,
    unitBytes: clusterBytes,
    units: Math.max(0, Math.ceil((volumeEnd - origin) / clusterBytes)),
    always: read.tables,
    marks: async (first, count) => {
      const marks = new Uint8Array(Math.ceil(count / 8));
      for (let unit = first; unit < first + count; ) {
        const group = Math.floor(unit / clustersPerGroup);
        const within = unit % clustersPerGroup;
        const here = Math.min(clustersPerGroup - within, first + count - unit);
        const block = read.groups[group]?.marks;
        if (block === undefined) return null;
        if (block !== null) {
          const part = await readExactly(source, block * geometry.blockBytes + (within >> 3), Math.ceil(here / 8));
          if (!part) return null;
          marks.set(part, (unit - first) >> 3);
        }
        unit += here;
      }
      return marks;
    },
  });
  return { ok: true, allocation };
}

/** The groups' marks, and where their tables lie: all of them, since a group whose marks were never made has only these. */
async function readGroups(
  source: ByteSource,
  geometry: ExtGeometry,
  superblock: Fields,
  readOnly: number,
): Promise<{ groups: Group[]; tables: ByteRange[] } | null> {
  const { blockBytes, blocks, firstBlock, blocksPerGroup, descriptorBytes, inodesPerGroup, inodeBytes } = geometry;
  const count = Math.ceil((blocks - firstBlock) / blocksPerGroup);
  if (!(count > 0) || count > GROUPS_MAX) return null;
  const mayBeUnmade = (readOnly & (READ_ONLY.groupChecksums | READ_ONLY.metadataChecksums)) !== 0;
  const isSparse2 = superblock.u32le(76) >= 1 && (superblock.u32le(92) & COMPATIBLE_SPARSE_2) !== 0;
  const hasCopy = (group: number) =>
    isSparse2
      ? group === 0 || group === superblock.u32le(588) || group === superblock.u32le(592)
      : hasSuperblock(geometry, group);
  const descriptorBlocks = Math.ceil((count * descriptorBytes) / blockBytes);
  const isMeta = (geometry.incompatible & INCOMPATIBLE_META_GROUPS) !== 0;
  const perMetaGroup = Math.floor(blockBytes / descriptorBytes);
  /** Blocks at the start of a group that it has of the volume: a superblock, and descriptors. */
  const copyBlocks = (group: number) => {
    const metaGroup = Math.floor(group / perMetaGroup);
    if (!isMeta || metaGroup < geometry.firstMetaGroup)
      return hasCopy(group) ? 1 + (isMeta ? geometry.firstMetaGroup : descriptorBlocks) + superblock.u16le(206) : 0;
    // Descriptors of a meta group stand in its first, its second and its last group.
    const within = group % perMetaGroup;
    return (hasCopy(group) ? 1 : 0) + (within <= 1 || within === perMetaGroup - 1 ? 1 : 0);
  };
  const groups: Group[] = [];
  const tables: ByteRange[] = [];
  const add = (block: number, length: number) =>
    tables.push({ start: block * blockBytes, lengthBytes: length * blockBytes });
  for (let number = 0; number < count; number++) {
    const bytes = await readExactly(source, descriptorPlace(geometry, number), descriptorBytes);
    if (!bytes) return null;
    const fields = new Fields(bytes);
    const wide = (low: number, high: number) =>
      fields.u32le(low) + (descriptorBytes >= 64 ? fields.u32le(high) * 2 ** 32 : 0);
    const [blockMarks, inodeMarks, inodes] = [wide(0, 32), wide(4, 36), wide(8, 40)];
    if (blockMarks >= blocks || inodeMarks >= blocks || inodes >= blocks) return null;
    const isUnmade = mayBeUnmade && (fields.u16le(18) & GROUP_BLOCKS_NOT_MADE) !== 0;
    groups.push({ marks: isUnmade ? null : blockMarks });
    add(blockMarks, 1);
    add(inodeMarks, 1);
    add(inodes, Math.ceil((inodesPerGroup * inodeBytes) / blockBytes));
    if (isUnmade && copyBlocks(number) > 0)
      add(firstBlock + number * blocksPerGroup, Math.min(copyBlocks(number), blocksPerGroup));
  }
  return { groups, tables: merged(tables) };
}
