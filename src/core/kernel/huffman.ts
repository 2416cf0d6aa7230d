/** Room for the symbol beside its count, in one number that sorts. */
const SYMBOL_BITS = 10;
const SYMBOL_MASK = (1 << SYMBOL_BITS) - 1;

/**
 * Lengths of the words of a Huffman code over symbols that all occur, at most 1,024 of them, none longer than `longest`:
 * built from the least, leaves before nodes of the same count, and shortened as wimlib does ("compress_common.c"), so that
 * a packer and we come to the same code. Counts stay below 2 to the power of 22.
 */
export function huffmanLengths(counts: Uint32Array, longest: number, lengths: Uint8Array): void {
  const symbols = counts.length;
  if (symbols < 2) {
    lengths.fill(1);
    return;
  }
  const leaves = counts.map((count, symbol) => (count << SYMBOL_BITS) | symbol).sort();
  const parents = parentsOf(leaves);
  // How many words there are of each length: a node in the place of a word makes two that are longer by one.
  const many = new Int32Array(longest + 2);
  many[1] = 2;
  const root = symbols - 2;
  const depths = new Uint16Array(symbols - 1);
  for (let node = root - 1; node >= 0; node--) {
    const depth = (depths[parents[node] as number] as number) + 1;
    depths[node] = depth;
    let length = depth;
    if (length >= longest) {
      length = longest;
      do length--;
      while (many[length] === 0);
    }
    many[length] = (many[length] as number) - 1;
    many[length + 1] = (many[length + 1] as number) + 2;
  }
  let at = 0;
  for (let length = longest; length >= 1; length--)
    for (let left = many[length] as number; left > 0; left--) lengths[(leaves[at++] as number) & SYMBOL_MASK] = length;
}

/** Joins the two least nodes until one is left, the last; gives the parent of each node that is no leaf. */
function parentsOf(leaves: Uint32Array): Uint16Array {
  const nodes = new Uint32Array(leaves.length - 1);
  const parents = new Uint16Array(nodes.length);
  let leaf = 0;
  let inner = 0;
  for (let end = 0; end < nodes.length; end++) {
    let sum = 0;
    for (let child = 0; child < 2; child++) {
      const count = leaf < leaves.length ? (leaves[leaf] as number) >>> SYMBOL_BITS : Number.POSITIVE_INFINITY;
      if (inner === end || count <= (nodes[inner] as number)) {
        sum += count;
        leaf++;
      } else {
        sum += nodes[inner] as number;
        parents[inner++] = end;
      }
    }
    nodes[end] = sum;
  }
  return parents;
}
