import { spawn } from "node:child_process";
import { rmSync } from "node:fs";
import { open } from "node:fs/promises";
import { join } from "node:path";
import { buildSync } from "esbuild";
import { type Layout, LayoutSource } from "@/core/formats/pieces";
import { MemorySource } from "@/core/kernel/source";
import { blocksOf, sameBytes } from "@/core/making/writing/blocks";
import { testCapacity } from "@/core/making/writing/capacity";
import { impatient } from "@/core/making/writing/device";
import { type Journal, writeMedium } from "@/core/making/writing/write-medium";
import { FileJournal } from "@/server/devices/journal";
import { contentPath, makeSimulated, openSimulated, type Simulated, saveSimulated } from "@/server/devices/simulated";
import { layoutOf } from "../support/bench-layout";
import { dice } from "../support/dice";
import { tempWorkshop } from "../support/workshop";

const w = tempWorkshop();
const MIB = 1 << 20;
let numbers = 0;
const fresh = () => join(w.folder, `device-${++numbers}`);

const STICK = { kind: "usb", model: "Norlight Dart 64", serial: "ND-0001", bytes: 64 * MIB } as const;

async function device(faults: Partial<Simulated["faults"]> = {}, more: object = {}) {
  const folder = fresh();
  const simulated = await makeSimulated(folder, { ...STICK, faults, ...more });
  return { folder, simulated };
}

/** A machine that is busy with other tests may be slow to answer; a device that stopped never does. */
const PATIENCE_MS = 4000;

async function write(folder: string, layout: Layout, journal?: Journal) {
  const kept = journal ? null : await FileJournal.open(`${folder}.journal`, blocksOf(layout).length);
  const own = journal ?? (kept as FileJournal);
  const opened = impatient(await openSimulated(folder, { write: true }), PATIENCE_MS);
  const result = await writeMedium({ device: opened, layout, journal: own, checkpointBytes: 8 * MIB });
  await kept?.close();
  return result;
}

/** What stands on a device, and whether it is what the layout wants. */
async function holds(folder: string, layout: Layout, blocks = blocksOf(layout).length): Promise<boolean> {
  const handle = await open(contentPath(folder), "r");
  const source = new LayoutSource(layout);
  try {
    for (const { start, lengthBytes } of blocksOf(layout).slice(0, blocks)) {
      const bytes = new Uint8Array(lengthBytes);
      await handle.read(bytes, 0, lengthBytes, start);
      if (!sameBytes(bytes, await source.read(start, lengthBytes))) return false;
    }
    return true;
  } finally {
    await handle.close();
  }
}

test("what is written is read back and the same; what lies between the pieces is left as it was", async () => {
  const { folder } = await device();
  const before = await open(contentPath(folder), "r+");
  await before.write(new Uint8Array(100).fill(7), 0, 100, 40 * MIB);
  const layout = layoutOf(1);
  expect(await write(folder, layout)).toMatchObject({ state: "verified", writtenBytes: 25 * MIB + 512 });
  expect(await holds(folder, layout)).toBe(true);
  const between = new Uint8Array(100);
  await before.read(between, 0, 100, 40 * MIB);
  expect(between.every((byte) => byte === 7)).toBe(true);
  await before.close();
});

test.each<[string, Partial<Simulated["faults"]>, object]>([
  [
    "bad sectors where it writes",
    { bad: [{ start: 10 * MIB, lengthBytes: 4096 }] },
    { state: "fault", phase: "write", code: "write-failed" },
  ],
  ["pulled out while writing", { pulledAfterBytes: 9 * MIB }, { state: "fault", code: "gone" }],
  ["no answer any more", { stopsAfterBytes: 9 * MIB }, { state: "fault", code: "no-answer" }],
  ["a bit that flips", { flipsAt: 9 * MIB + 17 }, { state: "differs", start: 8 * MIB }],
  ["false capacity that wraps", { counterfeit: { trueBytes: 16 * MIB, how: "wraps" } }, { state: "differs" }],
  [
    "false capacity that drops",
    { counterfeit: { trueBytes: 16 * MIB, how: "drops" } },
    { state: "differs", start: 16 * MIB },
  ],
])("%s: never verified", async (_what, faults, expected) => {
  const { folder } = await device(faults);
  expect(await write(folder, layoutOf(2))).toMatchObject(expected);
});

test.each<[Partial<Simulated["faults"]>, string]>([
  [{ writeProtected: true }, "write-protected"],
  [{ inUse: true }, "in-use"],
])("a device with %j is refused before anything is written", async (faults, code) => {
  const { folder } = await device(faults);
  await expect(openSimulated(folder, { write: true })).rejects.toMatchObject({ code });
  const reader = await openSimulated(folder, { write: false });
  expect((await reader.read(0, 512)).length).toBe(512);
  await reader.close();
});

test("what is nothing but zeros is read from its source once, and compared all the same", async () => {
  const content = new Uint8Array(20 * MIB);
  content.fill(9, 0, 5000);
  let readBytes = 0;
  const counting = {
    sizeBytes: content.length,
    read: async (offset: number, length: number) => {
      readBytes += length;
      return content.slice(offset, offset + length);
    },
  };
  const layout = { sizeBytes: STICK.bytes, pieces: [{ start: 0, content: counting }] };
  const { folder } = await device();
  expect(await write(folder, layout)).toMatchObject({ state: "verified" });
  // Once all of it, and once more the first block alone.
  expect(readBytes).toBe(24 * MIB);
  const { folder: false_ } = await device({ flipsAt: 13 * MIB + 7 });
  expect(await write(false_, layout)).toMatchObject({ state: "differs", start: 12 * MIB });
});

test("a device that is taken out of its berth meanwhile is gone", async () => {
  const { folder } = await device();
  const opened = await openSimulated(folder, { write: true });
  rmSync(folder, { recursive: true });
  await expect(opened.write(0, new Uint8Array(512))).rejects.toMatchObject({ code: "gone" });
  await opened.close();
});

test("slow flash is slow, and right in the end", async () => {
  const { folder } = await device({ slowAfter: { bytes: 20 * MIB, writeRate: 200 * MIB } }, { writeRate: 4000 * MIB });
  expect(await write(folder, layoutOf(3))).toMatchObject({ state: "verified" });
});

test("a source that is cut short is said, and nothing is verified", async () => {
  const { folder } = await device();
  const short = {
    sizeBytes: 8 * MIB,
    read: async (at: number, length: number) => new Uint8Array(Math.max(0, Math.min(length, 5 * MIB - at))),
  };
  const layout = { sizeBytes: 64 * MIB, pieces: [{ start: 0, content: short }] };
  expect(await write(folder, layout)).toMatchObject({ state: "source-failed", offset: 5 * MIB });
});

test("pulled out and put back, it goes on from the last block that is known to be there", async () => {
  const { folder, simulated } = await device({ pulledAfterBytes: 18 * MIB });
  const layout = layoutOf(4);
  const journal = await FileJournal.open(`${folder}.journal`, blocksOf(layout).length);
  expect(await write(folder, layout, journal)).toMatchObject({ code: "gone" });
  const known = journal.flushedBlocks();
  expect(known).toBeGreaterThan(0);
  expect(await holds(folder, layout, known)).toBe(true);
  await journal.close();
  await saveSimulated(folder, { ...simulated, faults: {} });
  const again = await FileJournal.open(`${folder}.journal`, blocksOf(layout).length);
  expect(again.flushedBlocks()).toBe(known);
  expect(await write(folder, layout, again)).toMatchObject({ state: "verified" });
  await again.close();
  expect(await holds(folder, layout)).toBe(true);
});

test("written to by somebody else between two parts of the reading back, it is not verified", async () => {
  const { folder } = await device();
  const layout = layoutOf(5);
  const journal = await FileJournal.open(`${folder}.journal`, blocksOf(layout).length);
  const opened = await openSimulated(folder, { write: true });
  let verifying = 0;
  const stopped = await writeMedium({
    device: opened,
    layout,
    journal,
    onProgress: ({ phase }) => {
      if (phase === "verify") verifying++;
    },
    shouldStop: () => (verifying >= 3 ? "pause" : null),
  });
  expect(stopped).toEqual({ state: "stopped", why: "pause", phase: "verify" });
  expect(journal.verifiedBlocks()).toBe(3);
  const handle = await open(contentPath(folder), "r+");
  await handle.write(new Uint8Array(512).fill(1), 0, 512, 1000);
  await handle.close();
  expect(await write(folder, layout, journal)).toMatchObject({ state: "differs", block: 0 });
  await journal.close();
});

test("a journal that was half written, or of another job, counts for nothing", async () => {
  const folder = join(w.folder, "journal");
  const journal = await FileJournal.open(folder, 5);
  await journal.saveFlushed(3);
  await journal.saveVerified(1);
  await journal.close();
  const kept = await FileJournal.open(folder, 5);
  expect([kept.flushedBlocks(), kept.verifiedBlocks(), kept.isBegun]).toEqual([3, 1, true]);
  await kept.close();
  const other = await FileJournal.open(folder, 6);
  expect(other.flushedBlocks()).toBe(0);
  await other.close();
  const handle = await open(join(folder, "journal.bin"), "r+");
  await handle.write(Uint8Array.of(9), 0, 1, 4);
  await handle.close();
  const spoilt = await FileJournal.open(folder, 5);
  expect(spoilt.flushedBlocks()).toBe(0);
  await spoilt.close();
});

describe("capacity", () => {
  const measure = async (faults: Partial<Simulated["faults"]>) => {
    const { folder } = await device(faults);
    const opened = await openSimulated(folder, { write: true });
    const result = await testCapacity({ device: opened, seed: `test ${numbers}` });
    await opened.close();
    return result;
  };

  test("a sound stick is sound, with its rates", async () => {
    const result = await measure({});
    expect(result).toMatchObject({ state: "sound" });
    expect(result.state === "sound" && result.writeRate).toBeGreaterThan(0);
  });

  test.each([
    ["wraps", 16 * MIB],
    ["wraps", 30 * MIB],
    ["wraps", 33 * MIB + 512],
    ["wraps", 7 * MIB - 1024],
    ["drops", 16 * MIB],
    ["drops", 31 * MIB + 4096],
  ] as const)("one that %s at %i is found with its true size", async (how, trueBytes) => {
    expect(await measure({ counterfeit: { trueBytes, how } })).toEqual({ state: "counterfeit", trueBytes, how });
  });

  test("bad places are told, and a failing stick is no counterfeit", async () => {
    const bad = [
      { start: 5 * MIB, lengthBytes: 512 },
      { start: 40 * MIB, lengthBytes: 2 * MIB },
    ];
    expect(await measure({ bad })).toEqual({
      state: "failing",
      bad: [
        { start: 5 * MIB, end: 6 * MIB },
        { start: 40 * MIB, end: 42 * MIB },
      ],
    });
    expect(await measure({ flipsAt: 3 * MIB + 600 })).toEqual({
      state: "failing",
      bad: [{ start: 3 * MIB + 512, end: 4 * MIB }],
    });
  });

  test("pulled out in the middle", async () => {
    expect(await measure({ pulledAfterBytes: 10 * MIB })).toMatchObject({ state: "fault", code: "gone" });
  });
});

/** The writing process, bundled once: it is started, and killed, many times. */
const WRITER = join(w.folder, "writer.cjs");
beforeAll(() => {
  const options = {
    bundle: true,
    platform: "node",
    format: "cjs",
    alias: { "@": join(process.cwd(), "src") },
  } as const;
  buildSync({ ...options, entryPoints: ["test/bench/writer.ts"], outfile: WRITER, logLevel: "error" });
});

/** Runs the writer and kills it after so many lines of progress, or lets it end. The last line it wrote. */
function writer(
  folder: string,
  seed: number,
  killAfterLines: number | null,
): Promise<{ killed: boolean; last: string }> {
  const child = spawn(process.execPath, [WRITER, folder, `${folder}.journal`, String(seed)], {
    detached: true,
    stdio: ["ignore", "pipe", "inherit"],
  });
  return new Promise((resolve) => {
    let [out, killed] = ["", false];
    child.stdout.on("data", (data: Buffer) => {
      out += data.toString();
      if (killAfterLines === null || killed || out.split("\n").length - 1 < killAfterLines) return;
      killed = true;
      process.kill(-(child.pid as number), "SIGKILL");
    });
    child.on("close", () => resolve({ killed, last: out.trim().split("\n").at(-1) ?? "" }));
  });
}

/** So many kills by default; a hundred and more with CREEL_KILLS. */
const KILLS = Number(process.env.CREEL_KILLS ?? 12);

test(`killed at ${KILLS} moments: what the journal says is there is there, and it goes on to the end`, async () => {
  const roll = dice(KILLS);
  const { folder } = await device({}, { writeRate: 300 * MIB, readRate: 600 * MIB });
  let seed = 100;
  for (let kill = 0; kill < KILLS; kill++) {
    const layout = layoutOf(seed);
    const { killed, last } = await writer(folder, seed, 1 + roll(18));
    const journal = await FileJournal.open(`${folder}.journal`, blocksOf(layout).length);
    expect(await holds(folder, layout, journal.flushedBlocks())).toBe(true);
    expect(journal.verifiedBlocks()).toBeLessThanOrEqual(journal.flushedBlocks());
    await journal.close();
    if (killed && !last.startsWith("{")) continue;
    expect(JSON.parse(last)).toMatchObject({ state: "verified" });
    expect(await holds(folder, layout)).toBe(true);
    // The next medium is another one.
    rmSync(`${folder}.journal`, { recursive: true });
    seed++;
  }
  const layout = layoutOf(seed);
  expect(JSON.parse((await writer(folder, seed, null)).last)).toMatchObject({ state: "verified" });
  expect(await holds(folder, layout)).toBe(true);
});

test("many small files of a layout are one run of blocks", () => {
  const pieces = Array.from({ length: 1000 }, (_, at) => ({
    start: at * 1000,
    content: new MemorySource(new Uint8Array(1000)),
  }));
  expect(blocksOf({ sizeBytes: MIB, pieces })).toEqual([{ start: 0, lengthBytes: 1_000_000 }]);
});
