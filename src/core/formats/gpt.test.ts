import { readFileSync } from "node:fs";
import { MemorySource } from "@/core/kernel/source";
import { run } from "../../../scripts/media/workshop";
import { tempWorkshop } from "../../../test/support/workshop";
import { checkGptEntries, GPT_LEGACY_BOOTABLE, type GptFault, type GptHeader, readGptHeader } from "./gpt";

const w = tempWorkshop();
// Reference: sgdisk (GPT fdisk) lays the table, and reads it back in other words.
const file = w.gpt("gpt.img", 8, [
  "-n",
  "1:2048:4095",
  "-t",
  "1:ef00",
  "-c",
  "1:Start ⚓",
  "-n",
  "3:4096:8191",
  "-t",
  "3:0700",
  "-A",
  "3:set:2",
  "-U",
  "5A4D3F6E-1111-4222-8333-444455556666",
]);
const bytes = () => new Uint8Array(readFileSync(file));
const LAST = 8 * 2048 - 1;

async function header(at = 1, of = bytes()): Promise<GptHeader> {
  const reading = await readGptHeader(new MemorySource(of), at, 512);
  if (!reading.ok) throw new Error(reading.fault);
  return reading.header;
}

test("reads what sgdisk wrote", async () => {
  const { entries, diskGuid, alternateLba } = await header();
  expect(diskGuid.toUpperCase()).toBe("5A4D3F6E-1111-4222-8333-444455556666");
  expect(alternateLba).toBe(LAST);
  expect(entries.map(({ number, startLba, endLba, name }) => ({ number, startLba, endLba, name }))).toEqual([
    { number: 1, startLba: 2048, endLba: 4095, name: "Start ⚓" },
    { number: 3, startLba: 4096, endLba: 8191, name: "" },
  ]);
  expect(run("sgdisk", ["-i", "1", file]).toLowerCase()).toContain(entries[0]?.type);
  expect((entries[1]?.attributes ?? 0n) & GPT_LEGACY_BOOTABLE).toBe(GPT_LEGACY_BOOTABLE);
});

test("the backup in the last sector says the same", async () => {
  expect((await header(LAST)).entries).toEqual((await header()).entries);
});

// UEFI 2.10, 5.3.2: what each field of a header must be for it to count.
test.each<[string, number, number[], GptFault]>([
  ["signature", 512, [0], "no-signature"],
  ["header CRC", 512 + 16, [0xff], "header-crc"],
  ["a field under the CRC", 512 + 40, [0xff], "header-crc"],
  ["an entry", 1024 + 40, [0x55], "entries-crc"],
  ["header size", 512 + 12, [0, 0, 0, 0], "header-size"],
])("damage to %s is named", async (_, at, values, fault) => {
  const damaged = bytes();
  damaged.set(values, at);
  expect(await readGptHeader(new MemorySource(damaged), 1, 512)).toEqual({ ok: false, fault });
});

test("a header past the end of the source is not there", async () => {
  expect(await readGptHeader(new MemorySource(bytes().subarray(0, 700)), 1, 512)).toEqual({
    ok: false,
    fault: "outside-medium",
  });
});

test("an impossible number of entries is not believed, whatever the CRC says", async () => {
  const { crc32 } = await import("@/core/kernel/crc32");
  const hostile = bytes();
  const view = new DataView(hostile.buffer);
  view.setUint32(512 + 80, 0xffff_ffff, true);
  view.setUint32(512 + 16, 0, true);
  view.setUint32(512 + 16, await crc32(hostile.subarray(512, 512 + 92)), true);
  expect(await readGptHeader(new MemorySource(hostile), 1, 512)).toEqual({ ok: false, fault: "entries-too-many" });
});

test("overlapping and outlying entries are told apart", async () => {
  const good = await header();
  const [first, second] = good.entries as [GptHeader["entries"][number], GptHeader["entries"][number]];
  const third = { ...second, number: 5, startLba: 100_000, endLba: 100_001 };
  const faults = checkGptEntries({ ...good, entries: [first, { ...second, startLba: 4000 }, third] });
  expect([...faults].sort()).toEqual([
    [1, "overlaps"],
    [3, "overlaps"],
    [5, "outside-usable"],
  ]);
});
