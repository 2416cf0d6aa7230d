import { factDifferences } from "./fact-differences";

const told = (before: Record<string, unknown>, after: Record<string, unknown>) =>
  factDifferences(before, after, (id) => `place ${id}`).map((each) => `${each.title}: ${each.before} → ${each.after}`);

test("groups of facts are told fact by fact, only what differs", () => {
  expect(
    told(
      { siteId: 1, firmware: { version: "1", secureBoot: { sbatLevel: "sbat,1,2023\nshim,2\n" } }, retiredAt: null },
      { siteId: 2, firmware: { version: "2", secureBoot: { sbatLevel: "sbat,1,2024\nshim,4\n" } }, retiredAt: null },
    ),
  ).toEqual([
    "Site: place 1 → place 2",
    "Firmware's version: 1 → 2",
    "Secure Boot, least generations (SBAT): shim 2 → shim 4",
  ]);
});

test("a partition or a disk that came or went is one difference", () => {
  const disk = (partitions: object[]) => ({ disks: [{ name: "sda", bytes: 5e9, partitions }] });
  expect(told(disk([{ number: 1, bytes: 1e9, filesystem: "fat32", role: "esp" }]), disk([]))).toEqual([
    "Disk sda, partition 1: 1 GB (954 MiB), FAT32, esp → none",
  ]);
  expect(told({ disks: null }, disk([{ number: 1, bytes: 1e9 }]))).toEqual(["Disk sda: none → 5 GB (4.66 GiB)"]);
});
