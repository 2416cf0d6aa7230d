import { readFileSync, writeFileSync } from "node:fs";
import { deflateSync } from "node:zlib";
import { run } from "../../../scripts/media/workshop";
import { damaged, dice } from "../../../test/support/dice";
import { tempWorkshop } from "../../../test/support/workshop";
import { type Compression, compressionOf, decompressBlock, decompressStream } from "./decompress";
import { lz4Block } from "./lz4";
import { MemorySource } from "./source";
import { ZstdGuard } from "./zstd-guard";

// Reference: gzip, xz, zstd and lz4 themselves.
const w = tempWorkshop();
const plain = Buffer.concat([
  Buffer.from("0123456789 Skerry Line ".repeat(40_000)),
  Uint8Array.from({ length: 300_000 }, (_, at) => (Math.imul(at, 2654435761) >>> 15) & 0xff),
  Buffer.alloc(500_000),
]);
writeFileSync(w.path("plain"), plain);
const made = (command: string) => {
  run("sh", ["-c", `cd ${w.folder} && ${command} > packed`]);
  return new Uint8Array(readFileSync(w.path("packed")));
};

async function unpacked(kind: Compression, bytes: Uint8Array, limit = Number.POSITIVE_INFINITY) {
  const pieces: Uint8Array[] = [];
  let total = 0;
  const end = await decompressStream(kind, new MemorySource(bytes), 0, (piece) => {
    pieces.push(piece.slice());
    total += piece.length;
    return total <= limit;
  });
  return { end, bytes: Buffer.concat(pieces) };
}

const STREAMS: [Compression, string][] = [
  ["gzip", "gzip -1 -c plain"],
  ["gzip", "(head -c 500000 plain | gzip -c; tail -c +500001 plain | gzip -c)"],
  ["xz", "xz -0 -c plain"],
  ["xz", "xz -6 --check=crc32 -c plain"],
  ["zstd", "zstd -q -1 -c plain"],
  ["zstd", "zstd -q -19 --no-check -c plain"],
  ["zstd", "(head -c 500000 plain | zstd -q -c; tail -c +500001 plain | zstd -q -c)"],
  ["lz4", "lz4 -q -l -c plain"],
  ["lz4", "lz4 -q -c plain"],
  ["lz4", "lz4 -q --content-size -BX -c plain"],
];

test.each(STREAMS)("%s: %s", async (kind, command) => {
  const bytes = made(command);
  expect(compressionOf(bytes)).toBe(kind);
  const result = await unpacked(kind, bytes);
  expect(result.end).toBe("whole");
  expect(Buffer.compare(result.bytes, plain)).toBe(0);
});

test.each(STREAMS.filter(([, command]) => !command.startsWith("(")))(
  "%s: %s, cut or stopped",
  async (kind, command) => {
    const bytes = made(command);
    const cut = await unpacked(kind, bytes.slice(0, bytes.length / 2));
    expect(["damaged", "whole"]).toContain(cut.end);
    expect(cut.bytes.length).toBeLessThan(plain.length);
    expect(Buffer.compare(cut.bytes, plain.subarray(0, cut.bytes.length))).toBe(0);
    expect((await unpacked(kind, bytes, 1000)).end).toBe("stopped");
  },
);

// The ends: RFC 1952 (gzip), RFC 8878 (zstd), The .xz File Format 2.1.2, lz4_Frame_format.md. Two members or frames, and
// the legacy frame of lz4, may also end inside the file, so they are not cut here.
test.each(STREAMS.filter(([, command]) => !/^\(|lz4 -q -l/.test(command)))(
  "%s: %s, cut anywhere is never whole",
  async (kind, command) => {
    const bytes = made(command);
    const roll = dice(8);
    const cuts = Array.from({ length: 60 }, () => 1 + roll(bytes.length - 1));
    for (const at of [...cuts, bytes.length - 1, bytes.length - 4, bytes.length - 8])
      expect([at, (await unpacked(kind, bytes.slice(0, at))).end]).toEqual([at, "damaged"]);
  },
);

test("padding after the end is no damage, but a changed check sum is", async () => {
  const padded = new Uint8Array([...made("gzip -1 -c plain"), ...new Uint8Array(700_000)]);
  expect((await unpacked("gzip", padded)).end).toBe("whole");
  const changed = made("gzip -1 -c plain");
  changed[changed.length - 6] = (changed[changed.length - 6] ?? 0) ^ 1;
  expect((await unpacked("gzip", changed)).end).toBe("damaged");
});

test("what there is no decoder for is said, and named by its first bytes", async () => {
  const bytes = made("bzip2 -c plain");
  expect(compressionOf(bytes)).toBe("bzip2");
  expect((await unpacked("bzip2", bytes)).end).toBe("no-decoder");
  expect(compressionOf(made("xz --format=lzma -c plain"))).toBe("lzma");
  expect(compressionOf(plain)).toBeNull();
});

test("damaged streams end, and give nothing that is larger than they can hold", async () => {
  const roll = dice(21);
  for (const [kind, command] of STREAMS) {
    const bytes = made(command);
    for (let round = 0; round < 12; round++) {
      const { end } = await unpacked(kind, damaged(bytes, roll), 64 << 20);
      expect(["whole", "damaged", "stopped"]).toContain(end);
    }
  }
});

describe("one block", () => {
  const small = plain.subarray(0, 100_000);
  writeFileSync(w.path("small"), small);
  test.each([
    ["zlib", () => new Uint8Array(deflateSync(small))],
    ["zstd", () => made("zstd -q -c small")],
    ["xz", () => made("xz -c small")],
  ] as const)("%s: as much as was allowed, and no more", async (kind, make) => {
    const block = make();
    expect(Buffer.compare((await decompressBlock(kind, block, 131_072)) ?? new Uint8Array(0), small)).toBe(0);
    const less = await decompressBlock(kind, block, 50_000);
    expect(less === null || less.length <= 50_000).toBe(true);
    expect(await decompressBlock(kind, new Uint8Array([1, 2, 3]), 1000)).toBeNull();
  });

  test("lz4: lengths past the end, distances before the start and too much content are refused", () => {
    // One literal "a", then a match of 4 at distance 1: "aaaaa" (lz4_Block_format.md).
    expect(Buffer.from(lz4Block(new Uint8Array([0x10, 0x61, 0x01, 0x00]), 5) ?? []).toString()).toBe("aaaaa");
    expect(lz4Block(new Uint8Array([0x10, 0x61, 0x01, 0x00]), 4)).toBeNull();
    expect(lz4Block(new Uint8Array([0x10, 0x61, 0x02, 0x00]), 9)).toBeNull();
    expect(lz4Block(new Uint8Array([0x10, 0x61, 0x00, 0x00]), 9)).toBeNull();
    expect(lz4Block(new Uint8Array([0xf0, 0xff, 0xff, 0xff]), 1 << 20)).toBeNull();
    expect(lz4Block(new Uint8Array([0x50, 0x61]), 9)).toBeNull();
  });
});

describe("frames of Zstandard that ask for too much", () => {
  // RFC 8878, 3.1.1.1.2: exponent 21 and mantissa 0 make a window of 2 GiB.
  const hungry = new Uint8Array([0x28, 0xb5, 0x2f, 0xfd, 0x00, 21 << 3, 0x01, 0x00, 0x00]);
  test("are refused before anything is allocated", async () => {
    expect(new ZstdGuard(128 << 20).push(hungry)).toBe(false);
    expect((await unpacked("zstd", hungry)).end).toBe("damaged");
    expect(new ZstdGuard(4 * 2 ** 30).push(hungry)).toBe(true);
  });

  test("also behind a frame that does not, whatever the pieces are", () => {
    const whole = new Uint8Array([...made("zstd -q -1 -c plain"), ...hungry]);
    for (const step of [1, 7, 1000, whole.length]) {
      const guard = new ZstdGuard(128 << 20);
      let isSound = true;
      for (let at = 0; at < whole.length && isSound; at += step) isSound = guard.push(whole.subarray(at, at + step));
      expect(isSound).toBe(false);
    }
  });
});
