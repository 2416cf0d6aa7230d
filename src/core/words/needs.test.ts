import { endName, hintText, rangeText, signerNeedText, supportText, termText } from "./needs";

test.each([
  [1e9, 1e9, "1 GB (954 MiB)"],
  [1e9, 2e9, "1 GB (954 MiB) to 2 GB (1.86 GiB)"],
  [null, 2e9, "at most 2 GB (1.86 GiB)"],
  [1e9, null, "at least 1 GB (954 MiB)"],
  [null, null, "not recorded"],
])("from %j to %j is %s", (least, most, text) => {
  expect(rangeText(least, most)).toBe(text);
});

test.each([
  ["kit", null, "the kit itself"],
  ["installer", "Kittiwake", "system files for a full reinstall of Kittiwake"],
  ["used-data", "partition 2 on sda", "stored content of partition 2 on sda: 0.5 to 0.7 of the used space"],
  ["whole-partition", "x", "stored content of x: encrypted, taken whole unless unlocked first"],
  ["unknown-use", null, "content of the disks: not recorded"],
  ["unknown-use", "x", "stored content of x: used space not recorded"],
  ["rescued-data", "x", "files of x, copied as they are"],
  ["spare", null, "room for tables and file system: 2 in 100"],
] as const)("the term %s of %j is %s", (code, of, text) => {
  expect(termText({ code, of, least: 1, most: 1, basis: "practice" })).toBe(text);
});

test.each([
  [{ code: "usb-ports", count: 0 }, /use a disc/],
  [{ code: "usb-ports", count: 1 }, /a hub is needed/],
  [{ code: "usb-ports", count: 4 }, /4 USB ports/],
  [{ code: "usb-ports", count: null }, /not recorded/],
  [{ code: "usb-start-off" }, /Allow it in setup/],
  [{ code: "usb-start-unknown" }, /not recorded/],
  [{ code: "fast-boot" }, /may skip USB/],
  [{ code: "optical", present: true }, /a disc works too/],
  [{ code: "optical", present: false }, /No optical drive/],
  [{ code: "optical", present: null }, /not recorded/],
  [{ code: "raid-mode", disk: "sda" }, /sda is behind a RAID controller/],
  [{ code: "unlock", partition: "2 on sda", keyPlace: null }, /Recovery key location not recorded/],
  [{ code: "unplug-others", disks: ["sdb", "sdc"] }, /Disconnect the other disks \(sdb, sdc\)/],
] as const)("the hint %j", (hint, text) => {
  expect(hintText(hint as Parameters<typeof hintText>[0])).toMatch(text);
});

test("signers: one of them, none, not recorded, not checked", () => {
  const need = { signers: [], revokedDigests: 0, leastGenerations: [] };
  expect(signerNeedText({ ...need, state: "signed", signers: ["A", "B"] })).toBe("A signature from one of: A; B.");
  expect(signerNeedText({ ...need, state: "nothing-allowed" })).toMatch(/^None/);
  expect(signerNeedText({ ...need, state: "unknown" })).toMatch(/Collect facts on the computer/);
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
  expect(supportText({ state: "open", end: null }, date)).toBe("no end of support set");
  expect(supportText({ state: "not-released", end: null }, date)).toBe("not released yet");
  expect(endName("eol-own")).toBe("support (own)");
});
