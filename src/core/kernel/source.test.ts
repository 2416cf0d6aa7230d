import {
  BlobSource,
  type ByteSource,
  CachedSource,
  type Extent,
  ExtentSource,
  MemorySource,
  PaddedSource,
  ReadFailed,
  rangesOn,
  readExactly,
  WindowSource,
} from "./source";

const bytes = Uint8Array.from({ length: 100_000 }, (_, at) => (at * 31 + (at >> 8)) & 0xff);
const memory = new MemorySource(bytes);

/** Offsets and lengths around every edge, and past it. */
const RANGES: [number, number][] = [0, 1, 511, 16_383, 16_384, 16_385, 50_000, 99_999, 100_000, 200_000].flatMap(
  (offset) => [0, 1, 512, 20_000, 100_000, 2_000_000].map((length): [number, number] => [offset, length]),
);

const SOURCES: [string, ByteSource, Uint8Array][] = [
  ["memory", memory, bytes],
  ["a blob", new BlobSource(new Blob([bytes])), bytes],
  ["a cache", new CachedSource(memory), bytes],
  ["a window", new WindowSource(memory, 1000, 50_000), bytes.subarray(1000, 51_000)],
  ["a window that reaches past its parent", new WindowSource(memory, 90_000, 50_000), bytes.subarray(90_000)],
  [
    "a window in a window",
    new WindowSource(new WindowSource(memory, 1000, 60_000), 500, 20_000),
    bytes.subarray(1500, 21_500),
  ],
  ["padding", new PaddedSource(memory, 512), Uint8Array.from({ length: 100_352 }, (_, at) => bytes[at] ?? 0)],
  [
    "extents, with a hole",
    new ExtentSource(
      memory,
      [
        { start: 70_000, lengthBytes: 1000 },
        { start: null, lengthBytes: 500 },
        { start: 10, lengthBytes: 30_000 },
      ],
      31_000,
    ),
    new Uint8Array([...bytes.subarray(70_000, 71_000), ...new Uint8Array(500), ...bytes.subarray(10, 29_510)]),
  ],
];

test.each(SOURCES)("%s gives the bytes of a range, cut at its end", async (_, source, whole) => {
  expect(source.sizeBytes).toBe(whole.length);
  for (const [offset, length] of RANGES) {
    const got = await source.read(offset, length);
    expect(Buffer.compare(got, whole.subarray(offset, offset + length))).toBe(0);
  }
});

test("nothing is read for a range that makes no sense", async () => {
  for (const [offset, length] of [
    [-1, 10],
    [0, -1],
    [Number.NaN, 10],
    [0, Number.NaN],
    [Number.MAX_SAFE_INTEGER, 10],
  ] as const) {
    for (const [, source] of SOURCES) expect((await source.read(offset, length)).length).toBe(0);
  }
});

test("exactly what was asked, or null", async () => {
  expect((await readExactly(memory, 99_990, 10))?.length).toBe(10);
  expect(await readExactly(memory, 99_991, 10)).toBeNull();
});

test("extents that leave the parent end where the parent does", async () => {
  const extents: Extent[] = [
    { start: 99_000, lengthBytes: 2000 },
    { start: 0, lengthBytes: 1000 },
  ];
  expect((await new ExtentSource(memory, extents, 3000).read(0, 3000)).length).toBe(1000);
});

test("a cache asks its parent once for what lies together, and keeps a bounded part", async () => {
  let asked = 0;
  const counted: ByteSource = {
    sizeBytes: 64 << 20,
    read: async (offset, length) => {
      asked++;
      return new Uint8Array(Math.min(length, (64 << 20) - offset));
    },
  };
  const cache = new CachedSource(counted);
  for (let at = 0; at < 16_384; at += 512) await cache.read(at, 512);
  expect(asked).toBe(1);
  for (let at = 0; at < 64 << 20; at += 16_384) await cache.read(at, 16);
  await cache.read(0, 16);
  expect(asked).toBe(1 + 4096);
  expect(cache.bytesRead).toBe(asked * 16_384);
});

test("a file that goes away is a failed read that names the range", async () => {
  const gone = {
    size: 100,
    slice: () => ({ arrayBuffer: () => Promise.reject(new Error("gone")) }),
  } as unknown as Blob;
  const failure = await new BlobSource(gone).read(10, 20).catch((error: unknown) => error);
  expect(failure).toBeInstanceOf(ReadFailed);
  expect(failure).toMatchObject({ offset: 10, length: 20 });
});

describe("where bytes lie on the medium", () => {
  const medium = new MemorySource(bytes);
  const window = new WindowSource(new CachedSource(new PaddedSource(medium, 512)), 1000, 50_000);
  const pieces = new ExtentSource(
    window,
    [
      { start: 40_000, lengthBytes: 100 },
      { start: null, lengthBytes: 50 },
      { start: 10, lengthBytes: 500 },
    ],
    400,
  );

  test("through windows, caches and extents; holes lie nowhere", () => {
    expect(rangesOn(medium, medium)).toEqual([{ start: 0, lengthBytes: 100_000 }]);
    expect(rangesOn(medium, window)).toEqual([{ start: 1000, lengthBytes: 50_000 }]);
    expect(rangesOn(medium, pieces)).toEqual([
      { start: 41_000, lengthBytes: 100 },
      { start: 1010, lengthBytes: 250 },
    ]);
    expect(rangesOn(medium, new WindowSource(pieces, 90, 100))).toEqual([
      { start: 41_090, lengthBytes: 10 },
      { start: 1010, lengthBytes: 40 },
    ]);
  });

  test("what was read is what lies there", async () => {
    const part = new WindowSource(pieces, 120, 250);
    const there = rangesOn(medium, part) ?? [];
    const joined = Buffer.concat(there.map(({ start, lengthBytes }) => bytes.subarray(start, start + lengthBytes)));
    const read = await part.read(0, 250);
    // The first 30 bytes are the rest of the hole.
    expect(Buffer.compare(joined, read.subarray(30))).toBe(0);
  });

  test("bytes that lie on no medium, or on another one", () => {
    expect(rangesOn(medium, new MemorySource(bytes))).toBeNull();
    expect(rangesOn(new MemorySource(bytes), window)).toBeNull();
  });
});
