/** A repeatable source of whole numbers below n. */
export type Dice = (n: number) => number;

/** Values at which lengths, counts and places go wrong. */
const EDGES = [0, 1, 0x7f, 0x80, 0xff, 0x7fff, 0x8000, 0xffff, 0x7fffffff, 0x80000000, 0xffffffff];

/** A damaged copy: some of its bytes, a run, a length or its end are not what they were. */
export function mutate(bytes: Uint8Array, roll: Dice): Uint8Array {
  let result = Uint8Array.from(bytes);
  for (let count = 1 + roll(6); count > 0 && result.length > 8; count--) {
    // Structures stand near the beginning of most formats: half of the damage goes there.
    const reach = roll(2) ? result.length : Math.min(result.length, 1 << (10 + roll(8)));
    const at = roll(Math.max(1, reach - 8));
    switch (roll(8)) {
      case 0:
        result[at] = roll(256);
        break;
      case 1:
        result[at] = (result[at] as number) ^ (1 << roll(8));
        break;
      case 2:
        new DataView(result.buffer).setUint32(at, EDGES[roll(EDGES.length)] as number, roll(4) > 0);
        break;
      case 3:
        new DataView(result.buffer).setUint16(at, (EDGES[roll(EDGES.length)] as number) & 0xffff, roll(4) > 0);
        break;
      case 4:
        result.fill(roll(3) * 0x7f, at, at + roll(4096));
        break;
      case 5:
        // A piece of it in another place: pointers that lead back make circles.
        result.copyWithin(at, roll(reach), roll(reach) + roll(2048));
        break;
      case 6:
        for (let i = 0; i < roll(64); i++) result[at + i] = roll(256);
        break;
      default:
        if (roll(6) === 0) result = result.slice(0, roll(result.length));
    }
  }
  return result;
}
