import { damaged, dice } from "../../../test/support/dice";
import { MemorySource } from "../kernel/source";
import { groupFiles, type StoreFile } from "./grouping";
import { readListing } from "./listing";
import { compilePattern, nameBy, readName } from "./names";
import { compareScan } from "./scan";
import { readStored } from "./stored";

const WORDS = [
  "HO-001",
  "sda1",
  "nvme0n1p3",
  "img",
  "gz",
  "001",
  "aa",
  "swm",
  "sha256",
  "..",
  "",
  " ",
  "Ü",
  "2026-10-30",
  "part2",
  "\u0000",
];

function files(seed: number): StoreFile[] {
  const roll = dice(seed);
  const word = () => WORDS[roll(WORDS.length)] as string;
  return Array.from({ length: roll(30) }, (_, at) => ({
    path: `${roll(2) === 0 ? `${word()}/` : ""}${word()}${"-._ "[roll(4)]}${word()}.${word()}${roll(3) === 0 ? `.${word()}` : ""}${at}`.replace(
      /\d+$/,
      (end) => (roll(2) === 0 ? "" : end),
    ),
    bytes: roll(2) === 0 ? roll(1000) : 100 << 20,
    modified: roll(4) === 0 ? null : new Date(Date.UTC(2026, roll(12), 1 + roll(28), roll(24))).toISOString(),
  }));
}

test("whatever files are called, each is in one group at most, and nothing is made up", () => {
  for (let seed = 1; seed <= 500; seed++) {
    const given = files(seed).filter((file, at, all) => all.findIndex(({ path }) => path === file.path) === at);
    const groups = groupFiles(given);
    const used = groups.flatMap((group) => group.members.flatMap((member) => member.files));
    expect(new Set(used).size).toBe(used.length);
    for (const file of used) expect(given).toContain(file);
    expect(groups.reduce((sum, { storedBytes }) => sum + storedBytes, 0)).toBe(
      used.reduce((sum, { bytes }) => sum + bytes, 0),
    );
    // The order of a listing says nothing.
    expect(
      groupFiles([...given].reverse())
        .map(({ key }) => key)
        .sort(),
    ).toEqual(groups.map(({ key }) => key).sort());
  }
});

test("a store that is as it was is as it was; one that is empty has lost everything", () => {
  for (let seed = 1; seed <= 200; seed++) {
    const groups = groupFiles(files(seed));
    const known = groups.map((group, at) => ({
      image: `image ${at}`,
      files: group.members.flatMap((member) => member.files),
    }));
    const again = compareScan(groups, known);
    expect(again.missing).toEqual([]);
    expect(new Set(again.groups.map(({ state }) => state.state))).toEqual(new Set(groups.length > 0 ? ["same"] : []));
    expect(compareScan([], known).missing).toHaveLength(known.length);
  }
});

test("content that is noise, cut or changed is told, and never thrown at anybody", async () => {
  const names = ["a.img", "a.img.gz", "a.img.xz", "a.img.zst", "a.wim", "a.001"];
  const starts = [
    [0x1f, 0x8b, 8, 0],
    [0xfd, 0x37, 0x7a, 0x58, 0x5a, 0],
    [0x28, 0xb5, 0x2f, 0xfd],
    [0x4d, 0x53, 0x57, 0x49, 0x4d, 0, 0, 0],
    [0, 0, 0, 0],
  ];
  for (let seed = 1; seed <= 120; seed++) {
    const roll = dice(seed);
    const bytes = Uint8Array.from({ length: 2000 + roll(40_000) }, () => roll(256));
    bytes.set(starts[roll(starts.length)] as number[]);
    if (roll(2) === 0) bytes.set([0x55, 0xaa], 510);
    const content = damaged(bytes, roll);
    const path = names[roll(names.length)] as string;
    const [group] = groupFiles([{ path, bytes: 100 << 20, modified: null }]);
    if (!group) throw new Error(path);
    const reading = await readStored(group, async () => new MemorySource(content));
    expect(["disk", "partitions", "wim", "unknown"]).toContain(reading.container);
    for (const { lengthBytes } of reading.partitions)
      expect(lengthBytes === null || Number.isFinite(lengthBytes)).toBe(true);
  }
});

test("a file that is not there is told by its name", async () => {
  const [group] = groupFiles([{ path: "a.img", bytes: 100 << 20, modified: null }]);
  if (!group) throw new Error("no group");
  const reading = await readStored(group, async () => null);
  expect(reading.findings).toEqual([{ code: "not-readable", path: "a.img" }]);
});

test("listings and names that are noise are read to their end", () => {
  for (let seed = 1; seed <= 200; seed++) {
    const roll = dice(seed);
    const text = Array.from({ length: 200 }, () => String.fromCharCode(roll(3) === 0 ? 10 : 32 + roll(90))).join("");
    for (const { bytes, path } of readListing(text).files) {
      expect(Number.isSafeInteger(bytes)).toBe(true);
      expect(path.startsWith("/")).toBe(false);
    }
    const pattern = compilePattern("{computer}-{site}-{state} {date} {version}");
    if (!pattern.ok) throw new Error("no pattern");
    for (const facts of readName(pattern.pattern, text.slice(0, 60))) expect(facts.date).toMatch(/^\d{4}-\d{2}-\d{2}$/);
  }
});

test("a long name with many ways to be read ends soon", () => {
  const pattern = compilePattern("{site}-{computer}-{system}-{state}-{date}");
  if (!pattern.ok) throw new Error("no pattern");
  const name = `${"a-".repeat(40)}2026-10-30`;
  expect(readName(pattern.pattern, name, ["a"]).length).toBeGreaterThan(0);
  expect(nameBy(pattern.pattern, { computer: "a/b", date: "2026-10-30" })).toBe("a_b-2026-10-30");
});
