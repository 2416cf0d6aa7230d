import { closeSync, openSync, readSync, writeSync } from "node:fs";

/** A folder as nested objects; a file as its bytes. */
export interface ExfatFolder {
  [name: string]: Uint8Array | ExfatFolder;
}

/**
 * Fills a volume that mkfs.exfat has made, after the exFAT specification 1.00: files in every second cluster by a FAT
 * chain, or in a row without one, in turns; what is written is for fsck.exfat to judge.
 */
export function fillExfat(image: string, content: ExfatFolder): void {
  const handle = openSync(image, "r+");
  const read = (at: number, length: number) => {
    const bytes = Buffer.alloc(length);
    readSync(handle, bytes, 0, length, at);
    return bytes;
  };
  const write = (at: number, bytes: Uint8Array) => writeSync(handle, bytes, 0, bytes.length, at);
  const boot = read(0, 512);
  const sectorBytes = 2 ** boot.readUInt8(108);
  const clusterBytes = sectorBytes * 2 ** boot.readUInt8(109);
  const fatAt = boot.readUInt32LE(80) * sectorBytes;
  const heapAt = boot.readUInt32LE(88) * sectorBytes;
  const root = boot.readUInt32LE(96);
  const placeOf = (cluster: number) => heapAt + (cluster - 2) * clusterBytes;
  const rootBytes = read(placeOf(root), clusterBytes);
  const bitmapEntry = [...Array(clusterBytes / 32).keys()].find((i) => rootBytes[i * 32] === 0x81) as number;
  const bitmapAt = placeOf(rootBytes.readUInt32LE(bitmapEntry * 32 + 20));
  let next = root + 1;
  let turn = 0;

  const take = (cluster: number) => {
    const at = bitmapAt + ((cluster - 2) >> 3);
    write(at, Buffer.from([(read(at, 1)[0] as number) | (1 << ((cluster - 2) & 7))]));
  };
  const link = (cluster: number, to: number) => {
    const word = Buffer.alloc(4);
    word.writeUInt32LE(to);
    write(fatAt + cluster * 4, word);
  };
  const store = (bytes: Uint8Array): { first: number; contiguous: boolean } => {
    const count = Math.ceil(bytes.length / clusterBytes);
    if (count === 0) return { first: 0, contiguous: false };
    const contiguous = turn++ % 2 === 0;
    const clusters = Array.from({ length: count }, (_, i) => next + i * (contiguous ? 1 : 2));
    next = (clusters.at(-1) as number) + 1;
    for (const [i, cluster] of clusters.entries()) {
      write(placeOf(cluster), bytes.subarray(i * clusterBytes, (i + 1) * clusterBytes));
      take(cluster);
      if (!contiguous) link(cluster, clusters[i + 1] ?? 0xffffffff);
    }
    return { first: clusters[0] as number, contiguous };
  };

  const entrySet = (name: string, folder: boolean, length: number, place: { first: number; contiguous: boolean }) => {
    const names = Math.ceil(name.length / 15);
    const set = Buffer.alloc((2 + names) * 32);
    set[0] = 0x85;
    set[1] = 1 + names;
    set.writeUInt16LE(folder ? 0x10 : 0x20, 4);
    // 2026-03-01 08:15:30, two hours east of Greenwich.
    const stamp = ((((2026 - 1980) << 9) | (3 << 5) | 1) << 16) | (8 << 11) | (15 << 5) | 15;
    for (const at of [8, 12, 16]) set.writeUInt32LE(stamp >>> 0, at);
    for (const at of [22, 23, 24]) set[at] = 0x88;
    set[32] = 0xc0;
    set[33] = 1 | (place.contiguous ? 2 : 0);
    set[35] = name.length;
    set.writeUInt16LE(nameHash(name), 36);
    set.writeBigUInt64LE(BigInt(length), 40);
    set.writeUInt32LE(place.first, 52);
    set.writeBigUInt64LE(BigInt(length), 56);
    for (let i = 0; i < names; i++) {
      set[64 + i * 32] = 0xc1;
      set.write(name.slice(i * 15, i * 15 + 15), 66 + i * 32, "utf16le");
    }
    let sum = 0;
    for (const [at, byte] of set.entries())
      if (at !== 2 && at !== 3) sum = (((sum << 15) | (sum >> 1)) + byte) & 0xffff;
    set.writeUInt16LE(sum, 2);
    return set;
  };
  const folderBytes = (folder: ExfatFolder): Buffer =>
    Buffer.concat(
      Object.entries(folder).map(([name, value]) => {
        if (value instanceof Uint8Array) return entrySet(name, false, value.length, store(value));
        const inner = folderBytes(value);
        const whole = Buffer.alloc(Math.max(1, Math.ceil(inner.length / clusterBytes)) * clusterBytes);
        inner.copy(whole);
        return entrySet(name, true, whole.length, store(whole));
      }),
    );
  const own = folderBytes(content);
  const used = [...Array(clusterBytes / 32).keys()].find((i) => rootBytes[i * 32] === 0) as number;
  const whole = Buffer.concat([rootBytes.subarray(0, used * 32), own]);
  for (let at = 0, cluster = root; at < whole.length; at += clusterBytes) {
    const padded = Buffer.alloc(clusterBytes);
    whole.copy(padded, 0, at, at + clusterBytes);
    write(placeOf(cluster), padded);
    if (at + clusterBytes < whole.length) {
      link(cluster, next);
      cluster = next++;
      take(cluster);
      link(cluster, 0xffffffff);
    }
  }
  closeSync(handle);
}

/** Section 7.6.4, of the name in capitals; these names only need what every table of capitals has. */
function nameHash(name: string): number {
  let hash = 0;
  for (const byte of Buffer.from(name.toUpperCase(), "utf16le")) hash = (((hash << 15) | (hash >> 1)) + byte) & 0xffff;
  return hash;
}
