import { allowing, revoking } from "../../../scripts/demo/signers";
import { MISSING } from "../computer/facts/missing";
import { changeReasonText, factTitle, factValueText, missingText, sourceText } from "./facts";

test.each([
  ["firmware/version", "Firmware's version"],
  ["memoryBytes", "Memory"],
  ["disks/sda", "Disk sda"],
  ["disks/sda/bytes", "Disk sda, size"],
  ["disks/sda/partitions/2", "Disk sda, partition 2"],
  ["disks/sda/partitions/2/usedBytes", "Disk sda, partition 2, used"],
  ["disks/sda/partitions/2/keyPlace", "Disk sda, partition 2, recovery key location"],
  ["disks/sda~HX-1/model", "Disk sda (the other, HX-1), model"],
  ["disks/a%2Fb/bytes", "Disk a/b, size"],
  ["systems/kittiwake/version", "System kittiwake, version"],
  ["devices/pci", "PCI devices"],
  ["something/new", "something/new"],
])("the fact %s is called %s", (path, title) => {
  expect(factTitle(path)).toBe(title);
});

test.each([
  ["disks/sda/bytes", 16e9, "16 GB (14.9 GiB)"],
  ["memoryBytes", 8 * 2 ** 30, "8 GiB"],
  ["disks/sda/sectorBytes", 4096, "4,096 bytes"],
  ["disks/sda/partitions/1/start", 1048576, "at 1.05 MB"],
  ["disks/sda/partitions/1/filesystem", "luks", "an encrypted volume (LUKS)"],
  ["firmware/kind", "uefi", "UEFI"],
  ["firmware/arch", "ia32", "32-bit (ia32)"],
  ["ports/optical", true, "yes"],
  ["ports/optical", false, "no"],
  ["ports/usb", 3, "3"],
  ["computer/make", null, "not recorded"],
  ["devices/pci", [{ modalias: "a" }, { modalias: "b" }], "2 of them"],
  ["firmware/startOrder", ["0001", "0003"], "0001, 0003"],
  ["firmware/entries", [{ id: "0001", name: "Network" }], "0001 Network"],
  ["firmware/secureBoot/sbatLevel", "sbat,1,2024\nshim,4\ngrub,3\n", "shim 4, grub 3"],
  ["firmware/secureBoot/db", allowing("norlight2011", "norlight2023"), "2 certificates"],
  ["firmware/secureBoot/dbx", revoking(77), "77 hashes"],
  ["firmware/secureBoot/dbx", revoking(1, "gannet2011"), "1 certificate, 1 hash"],
  ["firmware/secureBoot/db", "", "empty"],
  ["firmware/secureBoot/db", "%%%", "unreadable"],
  ["firmware/secureBoot/db", "AAAA", "damaged"],
])("%s with %.30j is said as %s", (path, value, text) => {
  expect(factValueText(path, value)).toBe(text);
});

test("what comes from a computer cannot change the direction of writing or break a line", () => {
  expect(factValueText("computer/make", "Cor\u202Evane\nx")).toBe("Cor\u2039202e\u203avane\u2039000a\u203ax");
});

test("where a fact is from, and why it is kept", () => {
  const source = { kind: "hand", name: "form", at: "2026-01-01T00:00:00.000Z", by: "Ina Torvald" } as const;
  expect(sourceText(source)).toBe("set by hand by Ina Torvald");
  expect(sourceText({ ...source, kind: "tool", name: "lsblk" })).toBe("from a tool: lsblk");
  expect(sourceText(null)).toBe("source not recorded");
  expect(changeReasonText({ why: "set-by-hand", currentSource: source })).toMatch(
    /^It was set by hand by Ina Torvald, and stays/,
  );
  expect(changeReasonText({ why: null, currentSource: null })).toBeNull();
});

test("each missing fact has its words", () => {
  expect(new Set(MISSING.map(missingText)).size).toBe(MISSING.length);
});
