import { endName, hintText, rangeText, signerNeedText, supportText, termText } from "./needs";

test.each([
  [1e9, 1e9, "1 GB (954 MiB)"],
  [1e9, 2e9, "1 GB (954 MiB) to 2 GB (1.86 GiB)"],
  [null, 2e9, "at most 2 GB (1.86 GiB)"],
  [1e9, null, "at least 1 GB (954 MiB)"],
  [null, null, "not known"],
])("from %j to %j is %s", (least, most, text) => {
  expect(rangeText(least, most)).toBe(text);
});

test.each([
  ["kit", null, "the kit itself"],
  ["installer", "Kittiwake", "system files for a full reinstall of Kittiwake"],
  ["used-data", "partition 2 on sda", "stored content of partition 2 on sda: 0.5 to 0.7 of what is used"],
  ["whole-partition", "x", "stored content of x: encrypted, taken whole unless it is opened first"],
  ["unknown-use", null, "content of the disks: not known"],
  ["unknown-use", "x", "stored content of x: how much is used is not known"],
  ["rescued-data", "x", "files of x, copied as they are"],
  ["spare", null, "room for tables and file system: 2 in 100"],
] as const)("the term %s of %j is %s", (code, of, text) => {
  expect(termText({ code, of, least: 1, most: 1, basis: "practice" })).toBe(text);
});

test.each([
  [{ code: "usb-ports", count: 0 }, /only a disc will do/],
  [{ code: "usb-ports", count: 1 }, /without a hub/],
  [{ code: "usb-ports", count: 4 }, /It has 4 USB ports/],
  [{ code: "usb-ports", count: null }, /is not known/],
  [{ code: "usb-start-off" }, /set-up must allow it first/],
  [{ code: "usb-start-unknown" }, /not known/],
  [{ code: "fast-boot" }, /may skip USB/],
  [{ code: "optical", present: true }, /a disc will do too/],
  [{ code: "optical", present: false }, /no optical drive/],
  [{ code: "optical", present: null }, /not known/],
  [{ code: "raid-mode", disk: "sda" }, /sda is behind a RAID controller/],
  [{ code: "unlock", partition: "2 on sda", keyPlace: null }, /where its recovery key is kept is not recorded/],
  [{ code: "unplug-others", disks: ["sdb", "sdc"] }, /Disconnect the other disks \(sdb, sdc\)/],
] as const)("the hint %j", (hint, text) => {
  expect(hintText(hint as Parameters<typeof hintText>[0])).toMatch(text);
});

test("signers: one of them, none, not known, not checked", () => {
  const need = { signers: [], revokedDigests: 0, leastGenerations: [] };
  expect(signerNeedText({ ...need, state: "signed", signers: ["A", "B"] })).toBe(
    "A signature that goes back to one of: A; B.",
  );
  expect(signerNeedText({ ...need, state: "nothing-allowed" })).toMatch(/^None/);
  expect(signerNeedText({ ...need, state: "unknown" })).toMatch(/Collect the facts on the computer itself/);
  expect(signerNeedText({ ...need, state: "not-checked" })).toMatch(/^Any/);
});

test("support in words; ends by the names of their columns", () => {
  const date = (iso: string) => iso;
  const end = { name: "eol-lts", date: "2028-06-30" };
  expect(supportText({ state: "supported", end: { name: "eol", date: "2027-01-01" } }, date)).toBe(
    "supported until 2027-01-01",
  );
  expect(supportText({ state: "extended", end }, date)).toBe(
    "past its plain support; long-term support until 2028-06-30",
  );
  expect(supportText({ state: "ended", end }, date)).toBe("support ended on 2028-06-30");
  expect(supportText({ state: "open", end: null }, date)).toBe("no end of support is set");
  expect(supportText({ state: "not-released", end: null }, date)).toBe("not released yet");
  expect(endName("eol-own")).toBe("support (own)");
});
