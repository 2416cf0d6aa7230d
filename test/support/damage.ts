import { type FileTree, type TreeEntry, walk } from "../../src/core/formats/file-tree";
import { isZero } from "../../src/core/kernel/fields";
import { type ByteSource, MemorySource } from "../../src/core/kernel/source";
import { damaged } from "./dice";

const BLOCK_BYTES = 4096;

/**
 * Damages a volume in one block at a time, where anything stands, and reads what is left of it: nothing may throw, and no
 * file may have more than it says. `first`: every other time one of the first blocks, which everything hangs on. How many
 * entries were listed in all.
 */
export async function readDamaged<E extends TreeEntry>(
  bytes: Uint8Array,
  open: (source: ByteSource) => Promise<FileTree<E> | null>,
  { rounds, first, roll }: { rounds: number; first: number; roll: (below: number) => number },
): Promise<number> {
  const used: number[] = [];
  for (let at = 0; at < bytes.length; at += BLOCK_BYTES)
    if (!isZero(bytes.subarray(at, at + BLOCK_BYTES))) used.push(at);
  let listed = 0;
  for (let round = 0; round < rounds; round++) {
    const at = used[roll(round % 2 === 0 ? Math.min(first, used.length) : used.length)] as number;
    const before = bytes.slice(at, at + BLOCK_BYTES);
    bytes.set(damaged(before, roll), at);
    const tree = await open(new MemorySource(bytes));
    if (tree)
      for await (const { entry } of walk(tree, null, { entries: 200, onCut: () => {} })) {
        listed++;
        const read = await (await tree.open(entry as E))?.read(0, 100_000);
        expect((read?.length ?? 0) <= Math.max(0, entry.sizeBytes)).toBe(true);
      }
    bytes.set(before, at);
  }
  return listed;
}
