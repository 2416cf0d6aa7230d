import { diskSchema, factsSchema } from "../computer/facts/schema";
import { bodyByFacts, disksBeside, disksOfImage, partitionsForRecord } from "./partitions";
import type { StoredPartition } from "./stored";

const stored = (name: string, more: Partial<StoredPartition> = {}): StoredPartition => ({
  ...{ name, role: null, filesystem: null, label: null, lengthBytes: null, active: null },
  ...more,
});
const disk = (name: string, removable = false) =>
  diskSchema.parse({
    ...{ name, bytes: 500e9, removable },
    partitions: [
      { number: 1, bytes: 100e6, role: "esp", filesystem: "vfat" },
      { number: 2, bytes: 400e9, role: "system", filesystem: "ntfs", active: true },
    ],
  });

test("each file of an image has the role that the disk gives the partition of its number", () => {
  const found = partitionsForRecord(
    [
      stored("sda1", { filesystem: "fat32" }),
      stored("sda2", { filesystem: "ntfs", lengthBytes: 4096 }),
      stored("sda7"),
    ],
    [disk("sda"), disk("sdb", true)],
  );
  expect(found).toEqual([
    { name: "sda1", filesystem: "fat32", bytes: null, role: "esp", active: null },
    { name: "sda2", filesystem: "ntfs", bytes: 4096, role: "system", active: true },
    { name: "sda7", filesystem: null, bytes: null, role: null, active: null },
  ]);
});

test("what the image tells itself stays, and another file system is another partition", () => {
  const [own, other] =
    partitionsForRecord([stored("1", { role: "recovery" }), stored("2", { filesystem: "ext4" })], [disk("sda")]) ?? [];
  expect(own?.role).toBe("recovery");
  expect(other).toMatchObject({ role: null, active: null });
});

test("of several disks the one whose name the file has; of none, nothing is said", () => {
  const two = [disk("nvme0n1"), { ...disk("sda"), partitions: [] }];
  expect(partitionsForRecord([stored("nvme0n1p2")], two)?.[0]?.role).toBe("system");
  expect(partitionsForRecord([stored("sda2")], two)?.[0]?.role).toBeNull();
  expect(partitionsForRecord([stored("sda2")], null)?.[0]?.role).toBeNull();
  expect(partitionsForRecord([], two)).toBeNull();
});

test("an image by hand begins with what its computer's facts say: the system's disk, without what is left out", () => {
  const facts = factsSchema.parse({
    schema: "creel.facts/1",
    firmware: { kind: "uefi", legacyMode: "on" },
    disks: [{ ...disk("sda"), sectorBytes: 512 }, disk("sdb", true)],
  });
  const known = facts.disks?.[0]?.partitions[1];
  if (known) known.usedBytes = 41e9;
  expect(bodyByFacts(facts)).toMatchObject({
    ...{ mode: "bios", diskBytes: 500e9, sectorBytes: 512, usedBytes: null },
    partitions: [
      { name: "1", role: "esp" },
      { name: "2", role: "system", active: true },
    ],
  });
  expect(bodyByFacts({ ...facts, disks: null })).toEqual({});
});

test("files of partitions of several disks are told apart by their names; the system's disk comes first", () => {
  const two = [{ ...disk("sda"), partitions: [] }, disk("nvme0n1")];
  const facts = factsSchema.parse({
    ...{ schema: "creel.facts/1", disks: two },
    systems: [{ family: "linux", name: "Fathom", partition: "nvme0n1 2" }],
  });
  const found = partitionsForRecord([stored("sda1"), stored("nvme0n1p1"), stored("nvme0n1p2")], facts.disks);
  expect(disksOfImage(found, facts)).toMatchObject({
    first: [{ name: "nvme0n1p1" }, { name: "nvme0n1p2", role: "system" }],
    ...{ disk: { name: "nvme0n1" }, more: [{ name: "sda", bytes: 500e9 }] },
  });
  expect(disksOfImage(partitionsForRecord([stored("sda1"), stored("sda2")], facts.disks), facts)).toBeNull();
  expect(disksOfImage(partitionsForRecord([stored("1"), stored("2")], facts.disks), facts)).toBeNull();
  // Where only one disk is recorded, a partition of another one is not its.
  const one = partitionsForRecord([stored("sda2"), stored("sdb2")], [disk("sda")]);
  expect(one?.map(({ role }) => role)).toEqual(["system", null]);
});

test("beside the system's disk an image may hold the other built-in ones that hold anything", () => {
  const facts = factsSchema.parse({
    ...{
      schema: "creel.facts/1",
      disks: [disk("sda"), disk("sdb"), { ...disk("sdc"), partitions: [] }, disk("sdd", true)],
    },
    systems: [{ family: "linux", name: "Fathom", partition: "sda 2" }],
  });
  expect(disksBeside(facts).map(({ name }) => name)).toEqual(["sdb"]);
});
