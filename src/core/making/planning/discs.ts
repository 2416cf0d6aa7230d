/** Kinds of optical discs by their capacity, in sectors of 2,048 bytes. */
export interface DiscKind {
  name: string;
  bytes: number;
}

/**
 * ECMA-130 (CD), ECMA-359 (DVD-R), ECMA-349 (DVD+R), ECMA-382 (DVD-R DL), ECMA-364 (DVD+R DL); Blu-ray from memory.
 * Smallest first.
 */
export const DISCS: readonly DiscKind[] = [
  { name: "CD-R, 80 min", bytes: 360_000 * 2048 },
  { name: "DVD+R", bytes: 2_295_104 * 2048 },
  { name: "DVD-R", bytes: 2_298_496 * 2048 },
  { name: "DVD-R DL", bytes: 4_171_712 * 2048 },
  { name: "DVD+R DL", bytes: 4_173_824 * 2048 },
  { name: "BD-R", bytes: 12_219_392 * 2048 },
  { name: "BD-R DL", bytes: 24_438_784 * 2048 },
];

/** The kinds that hold so much, smallest first. */
export function discsFor(bytes: number): DiscKind[] {
  return DISCS.filter((disc) => disc.bytes >= bytes);
}

/** The kind of a blank disc by its capacity; null where it is none of these. */
export function discOf(bytes: number): DiscKind | null {
  return DISCS.find((disc) => disc.bytes === bytes) ?? null;
}
