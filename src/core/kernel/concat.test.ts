import { dice } from "../../../test/support/dice";
import { type Layout, LayoutSource } from "../formats/pieces";
import { ConcatSource } from "./concat";
import { type ByteSource, MemorySource, readInto, WindowSource } from "./source";

// Reference: the same bytes laid one after the other by the host.
const part = (bytes: number, seed: number) => {
  const roll = dice(seed);
  return Uint8Array.from({ length: bytes }, () => roll(256));
};
const parts = [part(700, 1), part(0, 2), part(1, 3), part(4096, 4), part(513, 5)];
const whole = Buffer.concat(parts);

test("a file that was split reads as it was, whatever is asked for", async () => {
  const source = new ConcatSource(parts.map((bytes) => new MemorySource(bytes)));
  expect(source.sizeBytes).toBe(whole.length);
  const roll = dice(9);
  for (let round = 0; round < 500; round++) {
    const [offset, length] = [roll(whole.length + 50), roll(3000)];
    const bytes = await source.read(offset, length);
    expect(Buffer.compare(bytes, whole.subarray(offset, offset + length))).toBe(0);
  }
});

test("a part that gives less than it said ends the answer, and nothing stands at a wrong place", async () => {
  const short: ByteSource = { sizeBytes: 1000, read: async (offset) => part(700, 1).subarray(offset, 600) };
  const source = new ConcatSource([short, new MemorySource(part(50, 6))]);
  expect((await source.read(0, 1050)).length).toBe(600);
  expect((await source.read(1000, 100)).length).toBe(50);
});

test("reading into memory that is there gives what reading gives, for windows and layouts too", async () => {
  const memory = new MemorySource(whole);
  const layout: Layout = {
    sizeBytes: 20_000,
    pieces: [
      { start: 100, content: new MemorySource(part(900, 7)) },
      { start: 1000, content: new MemorySource(part(2000, 8)) },
      { start: 9000, content: new WindowSource(memory, 700, 4000) },
    ],
  };
  const sources: ByteSource[] = [memory, new WindowSource(memory, 333, 2000), new LayoutSource(layout)];
  const roll = dice(10);
  for (const source of sources)
    for (let round = 0; round < 300; round++) {
      const [offset, length] = [roll(source.sizeBytes + 100), roll(6000)];
      const target = new Uint8Array(length).fill(0xee);
      const filled = await readInto(source, offset, target);
      const expected = await source.read(offset, length);
      expect(Buffer.compare(target.subarray(0, filled), expected)).toBe(0);
      // What lies behind the answer is left as it was.
      expect(target.subarray(filled).every((byte) => byte === 0xee)).toBe(true);
    }
});

test("a layout whose piece breaks off breaks off there", async () => {
  const short: ByteSource = { sizeBytes: 500, read: async () => part(200, 1) };
  const source = new LayoutSource({ sizeBytes: 2000, pieces: [{ start: 100, content: short }] });
  const target = new Uint8Array(1500);
  expect(await readInto(source, 0, target)).toBe(300);
  expect((await source.read(0, 1500)).length).toBe(300);
});
