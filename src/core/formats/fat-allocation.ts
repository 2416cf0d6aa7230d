import { Fields } from "../kernel/fields";
import { type ByteSource, readExactly } from "../kernel/source";
import { type AllocationReading, MarkedAllocation, marksOf } from "./allocation";
import { decodeFatGeometry, type FatGeometry } from "./fat";

/** FAT specification 1.03, section 4: a cluster is free where its entry is 0; one that is marked bad holds nothing. */
const FREE = 0;
const BAD = { fat12: 0xff7, fat16: 0xfff7, fat32: 0x0ffffff7 };

/** What a FAT volume uses. Its chains are all that leads to a file, so they hold also where it was not left in order. */
export async function fatAllocation(source: ByteSource): Promise<AllocationReading> {
  const sector = await readExactly(source, 0, 512);
  const geometry = sector && decodeFatGeometry(sector);
  if (!geometry) return { ok: false, why: "maps-damaged" };
  const { dataStart, clusterBytes, clusterCount, kind } = geometry;
  const allocation = new MarkedAllocation({
    origin: dataStart,
    unitBytes: clusterBytes,
    units: clusterCount,
    marks: async (first, count) => {
      // The first cluster has number 2.
      const values = await entries(source, geometry, first + 2, count);
      return values && marksOf(values, (value) => value !== FREE && value !== BAD[kind]);
    },
  });
  return { ok: true, allocation };
}

async function entries(
  source: ByteSource,
  geometry: FatGeometry,
  first: number,
  count: number,
): Promise<number[] | null> {
  const { kind, fatStart, fatBytes } = geometry;
  const bitsEach = kind === "fat12" ? 12 : kind === "fat16" ? 16 : 32;
  const from = Math.floor((first * bitsEach) / 8);
  const to = Math.ceil(((first + count) * bitsEach) / 8);
  const bytes = to <= fatBytes ? await readExactly(source, fatStart + from, to - from) : null;
  if (!bytes) return null;
  const fields = new Fields(bytes);
  return Array.from({ length: count }, (_, at) => {
    if (kind === "fat32") return fields.u32le(at * 4) & 0x0fffffff;
    if (kind === "fat16") return fields.u16le(at * 2);
    const cluster = first + at;
    const value = fields.u16le(Math.floor(cluster * 1.5) - from);
    return cluster & 1 ? value >> 4 : value & 0xfff;
  });
}
