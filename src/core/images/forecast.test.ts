import { imageContents } from "../computer/facts/roles";
import { type DiskFacts, FACTS_SCHEMA, factsSchema } from "../computer/facts/schema";
import { dayOf } from "../kernel/days";
import { itemAt } from "../kernel/item-at";
import { growthOf, nextImageBytes, secondsFor, storeFit, USUAL_RATES } from "./forecast";

// References: the worked examples of common practice, by hand. 40 GB disk, 5.0 GB used, gave a 3 GB file; ratios of 0.5 to
// 0.7; restoring a small system image from USB at about 100 MB/s takes 4 to 8 minutes.
const none = { own: [], sameKit: [] };
/** A system partition of 40 GB with so much in use. */
const used = (usedBytes: number, encryption: string | null = null) =>
  imageContents(
    readDisk({
      name: "sda",
      bytes: 50e9,
      partitions: [{ number: 1, bytes: 40e9, usedBytes, role: "system", encryption }],
    }),
  );
const readDisk = (disk: object): DiskFacts =>
  itemAt(factsSchema.parse({ schema: FACTS_SCHEMA, disks: [disk] }).disks ?? [], 0);
const past = (usedBytes: number, storedBytes: number, takenAt = "2026-01-01T00:00:00Z") => ({
  ...{ usedBytes, storedBytes, takenAt },
  kind: "full" as const,
});

function sizeOf(...given: Parameters<typeof nextImageBytes>) {
  const size = nextImageBytes(...given);
  if (!size) throw new Error("no size");
  return size;
}

test("a disk of 40 GB with 5.0 GB used goes on a store with 5.1 GB free: what is stored counts", () => {
  const { bytes, source } = sizeOf(used(5e9), none);
  expect(source).toEqual({ from: "usual" });
  expect(bytes).toEqual({ low: 2.5e9, likely: 3e9, high: 3.5e9 });
  const fit = storeFit(5.1e9, bytes);
  expect(fit.verdict).toBe("fits");
  expect(fit.marginBytes.least).toBeCloseTo(5.1e9 - 0.256e9 - 3.5e9, -3);
  expect(storeFit(3.5e9, bytes).verdict).toBe("may-not-fit");
  expect(storeFit(2.6e9, bytes).verdict).toBe("does-not-fit");
});

test("what this computer's images came to counts for more than others', and those for more than what is usual", () => {
  const own = [past(10e9, 4e9), past(12e9, 5e9, "2026-05-01T00:00:00Z"), past(20e9, 9e9, "2026-06-01T00:00:00Z")];
  const mine = sizeOf(used(20e9), { ...none, own });
  expect(mine.source).toEqual({ from: "own", images: 3 });
  expect(mine.bytes.likely).toBeCloseTo(20e9 * (5 / 12), -3);
  expect(mine.bytes.low).toBeCloseTo(20e9 * 0.4 * 0.95, -3);
  expect(mine.bytes.high).toBeCloseTo(20e9 * 0.45 * 1.05, -3);
  expect(sizeOf(used(20e9), { ...none, sameKit: own }).source).toEqual({ from: "kit", images: 3 });
  expect(sizeOf(used(20e9), { ...none, sameKit: own.slice(1) }).source).toEqual({ from: "usual" });
  // Opened first it shrinks as all does; else the whole partition is taken, and cipher text does not shrink.
  const locked = sizeOf(used(20e9, "luks"), { ...none, sameKit: own });
  expect(locked).toEqual({ bytes: { low: 10e9, likely: 20e9, high: 40e9 }, source: { from: "usual" } });
  const opened = sizeOf(used(20e9, "luks"), { ...none, own: own.map((each) => ({ ...each, encrypted: true })) });
  expect(opened.bytes.high).toBeCloseTo(20e9 * 0.45 * 1.05, -3);
  expect(
    nextImageBytes(imageContents(readDisk({ name: "sda", bytes: 1e9, partitions: [{ number: 1, bytes: 1e9 }] })), none),
  ).toBeNull();
});

test("a store that grows by 10 GB a week is full when its room is used up", () => {
  const fills = Array.from({ length: 9 }, (_, week) => ({
    on: dayOf(new Date(Date.UTC(2026, 0, 5 + week * 7))),
    usedBytes: 100e9 + week * 10e9,
  }));
  const growth = growthOf(fills, 250e9);
  expect((growth?.bytesPerDay.likely ?? 0) * 7).toBeCloseTo(10e9, -3);
  // 70 GB are left: seven weeks from 2 March.
  expect(growth?.full).toEqual({ early: "2026-04-20", likely: "2026-04-20", late: "2026-04-20" });
  const cleaned = growthOf([...fills.slice(0, 8), { ...(fills[8] as (typeof fills)[number]), usedBytes: 20e9 }], 250e9);
  expect((cleaned?.bytesPerDay.likely ?? 0) * 7).toBeCloseTo(10e9, -3);
});

test("what does not grow is never full, and of two days nothing is said", () => {
  const still = ["2026-01-01", "2026-02-01", "2026-03-01"].map((on) => ({ on, usedBytes: 5e9 }));
  expect(growthOf(still, 10e9)).toMatchObject({ full: null });
  expect(growthOf(still.slice(1), 10e9)).toBeNull();
  expect(growthOf([], 10e9)).toBeNull();
});

test("the slowest part decides how long it takes", () => {
  const image = { low: 24e9, likely: 36e9, high: 48e9 };
  const byStick = secondsFor([{ bytes: image, rate: { low: 100e6, high: 100e6 } }]);
  // 24 to 48 GB at 100 MB/s: 4 to 8 minutes.
  expect([byStick.low / 60, byStick.high / 60]).toEqual([4, 8]);
  const byNetwork = secondsFor([
    { bytes: image, rate: USUAL_RATES["lan-100"] },
    { bytes: image, rate: USUAL_RATES.internal },
  ]);
  expect(byNetwork.low).toBeCloseTo(24e9 / 11.5e6, 3);
  expect(byNetwork.high).toBeCloseTo(48e9 / 8e6, 3);
  expect(byNetwork.likely).toBeGreaterThan(byNetwork.low);
});

test("what was measured before replaces what is usual", () => {
  const bytes = { low: 10e9, likely: 10e9, high: 10e9 };
  const jobs = [
    { bytes: 20e9, seconds: 400 },
    { bytes: 5e9, seconds: 100 },
    { bytes: 8e9, seconds: 160 },
  ];
  const { low, likely, high } = secondsFor([{ bytes, rate: USUAL_RATES.usb2 }], jobs);
  expect(likely).toBeCloseTo(200, 6);
  expect([low < 200, high > 200, high < 250]).toEqual([true, true, true]);
});
