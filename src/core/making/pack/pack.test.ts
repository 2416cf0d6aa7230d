import { run } from "../../../../scripts/media/workshop";
import { tempWorkshop } from "../../../../test/support/workshop";
import { writeLayout } from "../../../../test/support/written";
import { readLine } from "../../computer/exchange/lines";
import { factsSchema } from "../../computer/facts/schema";
import { planFat32 } from "../../formats/fat32-writing";
import { Seed } from "../../kernel/seed";
import { MemorySource } from "../../kernel/source";
import { inspect } from "../../medium/inspection/inspect";
import { type PagesInput, packPages } from "../../words/pack-pages";
import { bytesOf, PACK_PATHS, type PackFile, type PackInput, packFiles, packToWrite } from "./pack";
import { readPack } from "./pack-read";

// Reference: sha256sum -c and mtools, on a volume as it would stand on a medium.
const w = tempWorkshop();
const facts = factsSchema.parse({
  schema: "creel.facts/1",
  computer: { tag: "HO-001", make: "Ostrel", model: "Block <3>" },
  firmware: { kind: "uefi", arch: "x64" },
});
const starts = { verdict: "holds" as const, basis: null, changes: [], reasons: [], trace: [] };
const input: PackInput = {
  medium: { tag: "RM-09", kind: "usb", bytes: 16e9 },
  release: {
    kit: "Bollard",
    family: "Linux",
    name: "5.0",
    madeOn: "2026-01-01",
    facts: { purposes: ["file-rescue"], opens: [], abilities: [] },
  },
  read: null,
  keyCards: [{ make: "Ostrel", model: "Block", setup: "F2", startMenu: null, save: null, quirks: "Beeps twice." }],
  pages: { about: "", sheets: [] },
  records:
    '{"schema":"creel.computer/1","tag":"HO-001","facts":{"schema":"creel.facts/1","computer":{"tag":"HO-001"}}}\n',
  sums: [{ path: "/boot/readme.txt", sha256: "5891b5b522d5df086d0ff0b110fbd9d21bb4fc7163af34d08286a2e846f6be03" }],
  madeAt: "2026-11-25T12:00:00Z",
};

const served: PagesInput["served"] = [
  {
    sheet: {
      computer: { tag: "HO/001", name: "Reception & more", siteName: "Head office", facts },
      medium: {
        tag: "RM-09",
        name: null,
        kind: "usb",
        siteName: null,
        lentTo: null,
        loads: ["Bollard 5.0"],
      },
      as: "usb",
      starts,
      keyCard: null,
    },
    links: { atHand: "holds", starts: "holds", sees: "holds", restores: "holds", proven: "unknown" },
    weakest: "unknown",
    outcome: { kind: "files" as const, image: null },
  },
];
input.pages = packPages({ ...input, served });

const textOf = (file: PackFile | undefined) => (file ? new TextDecoder().decode(bytesOf(file)) : "");

test("sha256sum -c accepts what the pack says of itself and of the release's files", async () => {
  const release = {
    path: "/boot/readme.txt",
    content: new MemorySource(new TextEncoder().encode("hello\n")),
    modified: null,
  };
  const files = [release, ...packToWrite(packFiles(input), input.madeAt)];
  const options = {
    sizeBytes: 64 << 20,
    sectorBytes: 512,
    startLba: 0,
    label: "RM-09",
    seed: new Seed("x"),
    madeAt: input.madeAt,
  } as const;
  const planned = planFat32(files, options);
  if (!planned.ok) throw new Error(JSON.stringify(planned.problems));
  await writeLayout(planned.value, w.path("pack.img"));
  run("sh", ["-c", `cd ${w.folder} && mkdir out && mcopy -s -i pack.img ::/ out/`]);
  const told = run("sh", ["-c", `cd ${w.folder}/out && sha256sum -c CREEL/SHA256SUMS`]);
  expect(told.trim().split("\n")).toHaveLength(5);
  expect(told).not.toContain("FAILED");
});

test("its pages are plain, escape what they are given, and lead to each other", () => {
  const of = Object.fromEntries(packFiles(input).map((file) => [file.path, textOf(file)]));
  expect(Object.keys(of)).toEqual([
    "/CREEL/about.html",
    "/CREEL/pack.json",
    "/CREEL/records.jsonl",
    "/CREEL/sheets/HO_001.html",
    "/CREEL/SHA256SUMS",
  ]);
  expect(of["/CREEL/about.html"]).toContain('<a href="sheets/HO_001.html">HO/001</a>');
  const sheet = of["/CREEL/sheets/HO_001.html"] ?? "";
  expect(sheet).toContain("Reception &amp; more");
  expect(sheet).toContain("Ostrel Block &lt;3&gt;");
  expect(sheet).not.toMatch(/<script|src=|href="http/);
  expect(sheet.match(/<li>/g)?.length).toBeGreaterThan(6);
});

test("its records are read again as computers", () => {
  const files = packFiles(input);
  const records = textOf(files.find(({ path }) => path === PACK_PATHS.records));
  const reading = readLine(records.trim());
  expect(reading.ok && reading.record.tag).toBe("HO-001");
  expect(JSON.parse(textOf(files[1]))).toMatchObject({
    schema: "creel.pack/1",
    medium: { tag: "RM-09" },
  });
});

/** A pack as `readPack` finds it, with some of its files replaced; null: taken away. */
function readWith(replaced: Record<string, string | null> = {}, given: PackInput = input) {
  const files = new Map(packFiles(given).map((file) => [file.path, bytesOf(file)]));
  for (const [path, text] of Object.entries(replaced)) {
    if (text === null) files.delete(path);
    else files.set(path, new TextEncoder().encode(text));
  }
  return readPack(async (path) => {
    const bytes = files.get(path);
    return bytes ? new MemorySource(bytes) : null;
  });
}

test("a pack is read again as it was written, with what was read from its release's file", async () => {
  const { inspection, drivers } = await inspect(new MemorySource(new Uint8Array(4096)), { name: "a.img" });
  const read = { inspection, drivers, listing: null, manifest: null };
  const reading = await readWith({}, { ...input, read });
  if (!reading.ok) throw new Error(JSON.stringify(reading.problem));
  const { head, release, computers } = reading.pack;
  expect(head).toMatchObject({ medium: { tag: "RM-09" }, release: { kit: "Bollard" }, keyCards: input.keyCards });
  expect(release).toEqual(read);
  expect(computers.map(({ record }) => record.tag)).toEqual(["HO-001"]);
});

test.each([
  ["no sums", { [PACK_PATHS.sums]: null }, "no-pack"],
  ["a file that is gone", { [PACK_PATHS.records]: null }, "missing"],
  ["a file that was changed", { [PACK_PATHS.records]: input.records.replace("HO-001", "HO-002") }, "damaged"],
  ["a head that was changed", { [PACK_PATHS.head]: "{}" }, "damaged"],
  ["sums that name nothing", { [PACK_PATHS.sums]: "" }, "damaged"],
])("%s: nothing of it is taken in", async (_what, replaced, code) => {
  expect(await readWith(replaced)).toMatchObject({ ok: false, problem: { code } });
});

test("what its own sums vouch for and is no pack all the same is not understood", async () => {
  const head = readWith({}, { ...input, medium: { ...input.medium, tag: "" } });
  expect(await head).toMatchObject({ ok: false, problem: { code: "not-understood", path: PACK_PATHS.head } });
  const records = readWith({}, { ...input, records: '{"schema":"creel.computer/9"}\n' });
  expect(await records).toMatchObject({
    ok: false,
    problem: { code: "record-not-understood", path: PACK_PATHS.records, line: 1 },
  });
});
