import { run } from "../../../scripts/media/workshop";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { type MbrEntry, readLogicalPartitions, readMbr } from "./mbr";

const w = tempWorkshop();
// Reference: sfdisk of util-linux writes the table and dumps it as JSON.
const file = w.mbr("mbr.img", 64, "2048,20480,c,*\n22528,40960,5\n24576,8192,83\n34816,8192,7\n65536,2048,ef");

interface Dump {
  partitiontable: { partitions: { start: number; size: number; type: string; bootable?: boolean }[] };
}

test("primary and logical partitions are those that sfdisk lists", async () => {
  const listed = (JSON.parse(run("sfdisk", ["--json", file])) as Dump).partitiontable.partitions;
  const mbr = await readMbr(memory(file));
  const extended = mbr?.entries.find((entry) => entry.type === 5) as MbrEntry;
  const { partitions, broken } = await readLogicalPartitions(memory(file), extended, 512);
  const ours = [...(mbr?.entries ?? []).filter((entry) => entry.sectors > 0), ...partitions].map((each) => ({
    start: each.startLba,
    size: each.sectors,
    type: each.type.toString(16),
    bootable: each.indicator === 0x80,
  }));
  const theirs = listed.map((each) => ({
    start: each.start,
    size: each.size,
    type: each.type,
    bootable: each.bootable ?? false,
  }));
  expect(broken).toBe(false);
  expect(ours.sort((a, b) => a.start - b.start)).toEqual(theirs.sort((a, b) => a.start - b.start));
  expect(theirs).toHaveLength(5);
});

test("a chain of logical partitions that comes back to its start is broken, and ends", async () => {
  const image = w.copy(file, "circle.img");
  const next = w.bytes(image).readUInt32LE(22528 * 512 + 446 + 16 + 8);
  // The second table's link leads to the first one again.
  const link = Buffer.alloc(16);
  link[4] = 5;
  link.writeUInt32LE(0, 8);
  link.writeUInt32LE(100, 12);
  w.put(image, (22528 + next) * 512 + 446 + 16, link);
  const { partitions, broken } = await readLogicalPartitions(memory(image), { startLba: 22528, sectors: 40960 }, 512);
  expect(broken).toBe(true);
  expect(partitions).toHaveLength(2);
});

test("a source shorter than a sector has no table", async () => {
  expect(await readMbr(memory(w.text("short.img", "too short")))).toBeNull();
});
