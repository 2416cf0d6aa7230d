import { decompressBlock } from "../kernel/decompress";
import { Fields, hasText } from "../kernel/fields";
import { type ByteSource, readExactly } from "../kernel/source";
import { BlockedFile } from "./blocked-file";

/**
 * Files of a disc that are packed block by block (zisofs, version 1: Linux, Documentation/filesystems/isofs.rst and
 * fs/isofs/compress.c; the ZF entry in the documents of libisofs, "zisofs_format.txt").
 */
const MAGIC = "\x37\xe4\x53\x96\xc9\xdb\xd6\x07";
const BLOCK_LOGS = { least: 15, most: 17 };
const BLOCKS_MAX = 1 << 20;

/** What the ZF entry of a record says: how large the file is once it is unpacked, in bytes; null where it is not zisofs 1. */
export function zisofsSize(entry: Uint8Array): number | null {
  if (entry.length < 16 || !hasText(entry, 4, "pz")) return null;
  return new Fields(entry).u32le(8);
}

/** The content of such a file; null where its head or its list of blocks is damaged. */
export async function openZisofs(packed: ByteSource, sizeBytes: number): Promise<ByteSource | null> {
  const head = await readExactly(packed, 0, 16);
  if (!head || !hasText(head, 0, MAGIC)) return null;
  const fields = new Fields(head);
  const [listAt, log] = [fields.u8(12) * 4, fields.u8(13)];
  if (fields.u32le(8) !== sizeBytes || listAt < 16 || log < BLOCK_LOGS.least || log > BLOCK_LOGS.most) return null;
  const blockBytes = 2 ** log;
  const count = Math.ceil(sizeBytes / blockBytes);
  if (count > BLOCKS_MAX) return null;
  // One more than there are blocks: each ends where the next one begins.
  const list = await readExactly(packed, listAt, (count + 1) * 4);
  if (!list) return null;
  const places = new Fields(list);
  return new BlockedFile(sizeBytes, blockBytes, async (nth) => {
    const [start, end] = [places.u32le(nth * 4), places.u32le(nth * 4 + 4)];
    const ownBytes = Math.min(blockBytes, sizeBytes - nth * blockBytes);
    if (end < start || end - start > 2 * blockBytes) return null;
    // Nothing stored stands for zeros.
    if (end === start) return new Uint8Array(ownBytes);
    const stored = await readExactly(packed, start, end - start);
    return stored && decompressBlock("zlib", stored, ownBytes);
  });
}
