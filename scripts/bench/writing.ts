import { spawnSync } from "node:child_process";
import { closeSync, openSync, rmSync, truncateSync, writeSync } from "node:fs";
import { join } from "node:path";
import { WindowSource } from "@/core/kernel/source";
import { asItIs } from "@/core/making/layout/with-store";
import { blocksOf } from "@/core/making/writing/blocks";
import { writeMedium } from "@/core/making/writing/write-medium";
import { FileJournal } from "@/server/devices/journal";
import { contentPath, makeSimulated, openSimulated } from "@/server/devices/simulated";
import { FileSource } from "@/server/host/file-source";

const BYTES = 2 * 2 ** 30;
const GB = BYTES / 1e9;
/** Of a good stick, bytes a second. */
const STICK_RATE = 60e6;

/** A file of 2 GB without a hole in it. */
function large(path: string): string {
  const handle = openSync(path, "w");
  const piece = new Uint8Array(4 << 20);
  for (let at = 0; at < BYTES; at += piece.length) {
    for (let i = 0; i < piece.length; i += 512) piece[i] = (at / piece.length + i) & 0xff;
    writeSync(handle, piece, 0, piece.length, at);
  }
  closeSync(handle);
  return path;
}

/** Writes 2 GB to simulated berths and reads them back, beside `dd` and `sha256sum` doing the same. */
export async function writingFigures(
  folder: string,
  show: (what: string, milliseconds: number, note?: string) => void,
): Promise<void> {
  const image = large(join(folder, "large.img"));
  const rate = (ms: number, times = 1) => `${((GB * times) / (ms / 1000)).toFixed(2)} GB/s`;
  const plainly = (to: string) => [
    "-c",
    `dd if=${image} of=${to} bs=4M conv=fdatasync,notrunc status=none && sha256sum ${to} > /dev/null`,
  ];
  const write = async (name: string, { bytes = BYTES, rate: deviceRate = null as number | null } = {}) => {
    const device = join(folder, name);
    const rates = { writeRate: deviceRate, readRate: deviceRate };
    await makeSimulated(device, { kind: "usb", model: "Bench", serial: name, bytes: BYTES, ...rates });
    const source = await FileSource.open(image);
    const plan = asItIs(new WindowSource(source, 0, bytes), BYTES);
    if (!plan.ok) throw new Error("The image does not fit.");
    const { layout } = plan.value;
    const journal = await FileJournal.open(join(folder, `${name}.journal`), blocksOf(layout).length);
    const opened = await openSimulated(device, { write: true });
    const isSame = (a: Uint8Array, b: Uint8Array) => Buffer.compare(a, b) === 0;
    const result = await writeMedium({ device: opened, layout, journal, isSame });
    await Promise.all([source.close(), journal.close()]);
    if (result.state !== "verified") throw new Error(`It was not verified: ${result.state}.`);
    return contentPath(device);
  };
  const clock = async (run: () => Promise<unknown>) => {
    const start = performance.now();
    await run();
    return performance.now() - start;
  };
  const plain = join(folder, "plain.img");
  const before = process.memoryUsage().rss;
  let most = before;
  const watching = setInterval(() => {
    most = Math.max(most, process.memoryUsage().rss);
  }, 50);
  const ours: number[] = [];
  const theirs: number[] = [];
  for (let round = 0; round < 3; round++) {
    rmSync(plain, { force: true });
    closeSync(openSync(plain, "w"));
    truncateSync(plain, BYTES);
    theirs.push(await clock(async () => spawnSync("sh", plainly(plain))));
    rmSync(join(folder, "one"), { recursive: true, force: true });
    rmSync(join(folder, "one.journal"), { recursive: true, force: true });
    ours.push(await clock(() => write("one")));
  }
  const [tool, own] = [Math.min(...theirs), Math.min(...ours)];
  show("2 GB by dd and read back by sha256sum, the best of 3", tool, rate(tool));
  show(
    "2 GB written and verified in a berth, the best of 3",
    own,
    `${rate(own)}, ${(tool / own).toFixed(2)} of the plain tools`,
  );
  rmSync(join(folder, "one"), { recursive: true, force: true });
  const two = await clock(() => Promise.all([write("two"), write("three")]));
  show("two berths at once, on one disk", two, `${rate(two, 2)}, ${((2 * own) / two).toFixed(2)} times one`);
  show("memory beyond what it was before", (most - before) / 2 ** 20, "MiB, not ms");
  clearInterval(watching);
  const small = { bytes: 256 << 20, rate: STICK_RATE };
  const alone = await clock(() => write("slow", small));
  const both = await clock(() => Promise.all([write("slow2", small), write("slow3", small)]));
  show("256 MiB to a stick of 60 MB/s", alone, "and read back");
  show("to two such sticks at once", both, `${((2 * alone) / both).toFixed(2)} times one`);
}
