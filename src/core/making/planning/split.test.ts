import { writeFileSync } from "node:fs";
import { run } from "../../../../scripts/media/workshop";
import { memory, tempWorkshop } from "../../../../test/support/workshop";
import { LayoutSource } from "../../formats/pieces";
import { MemorySource } from "../../kernel/source";
import { startPathsOf } from "../../medium/inspection/start-paths";
import { makeManifest } from "../../medium/integrity/manifest";
import { verifySample } from "../../medium/integrity/sample";
import { verifyAgainst } from "../../medium/integrity/verify";
import { type MediumPlan, planMedium } from "./plan";

// References: wimlib makes the archive and verifies its parts, mtools takes them off the finished stick.
const w = tempWorkshop();
run("mkdir", ["-p", w.path("system")]);
for (let i = 0; i < 24; i++) w.text(`system/part${i}.txt`, `${i} `.repeat(20_000));
run("wimcapture", [w.path("system"), w.path("install.wim"), "Halyard Bosun", "--compress=none", "--quiet"]);
run("wimexport", [w.path("install.wim"), "all", w.path("solid.wim"), "--solid", "--quiet"]);

const disc = (name: string, archive: string) =>
  w.iso(name, { "EFI/BOOT/BOOTX64.EFI": w.efi("x64"), "sources/install.wim": archive }, ["-V", "SETUP"]);
const installer = disc("installer.iso", w.path("install.wim"));
const MOST_BYTES = 400_000;

/** The disc laid out on a stick on which no file may be larger than `fileMostBytes`; a small stand-in for FAT32's 4 GiB. */
const planned = (image: string, fileMostBytes = MOST_BYTES): Promise<MediumPlan> =>
  planMedium({
    request: { way: "laid-out", table: "gpt", store: false, tag: "RM-09" },
    ...{ image: memory(image), name: "release.iso", bios: null, pack: [], madeAt: "2026-11-25T12:00:00Z" },
    device: { kind: "usb", bytes: 200e6, sectorBytes: 512 },
    fileMostBytes,
  });

async function written(made: MediumPlan): Promise<Uint8Array> {
  if (!made.ok) throw new Error(JSON.stringify(made.problems));
  const source = new LayoutSource(made.layout);
  return source.read(0, source.sizeBytes);
}

test("system files too large for FAT32 are split as Windows Setup takes them, and the stick starts as before", async () => {
  const made = await planned(installer);
  const note = made.ok ? made.notes.find(({ code }) => code === "split") : null;
  expect(note).toMatchObject({ path: "/sources/install.wim", firstPart: "/sources/install.swm" });
  const parts = note?.code === "split" ? note.parts : 0;
  expect(parts).toBeGreaterThan(2);
  const stick = w.path("stick.img");
  writeFileSync(stick, await written(made));
  const start = made.ok ? (made.parts[0]?.startBytes ?? 0) : 0;
  run("mkdir", ["-p", w.path("taken")]);
  run("mcopy", ["-i", `${stick}@@${start}`, "::/sources/*", w.path("taken")]);
  expect(
    run("ls", [w.path("taken")])
      .split("\n")
      .filter(Boolean),
  ).toHaveLength(parts);
  run("wimverify", [w.path("taken/install.swm"), `--ref=${w.path("taken/install*.swm")}`]);
  if (made.ok) {
    expect(startPathsOf(made.predicted).some(({ arch, problem }) => arch === "x64" && problem === null)).toBe(true);
    expect(made.predicted.contents.wims?.map(({ part }) => part).sort()).toEqual(
      Array.from({ length: parts }, (_, nth) => nth + 1),
    );
  }
});

test("verified against its release the parts count as the file that they were; damage in one is found", async () => {
  const manifest = await makeManifest(memory(installer), { name: "installer.iso" });
  const bytes = await written(await planned(installer));
  const whole = await verifyAgainst(new MemorySource(bytes), manifest);
  expect(whole.files.differing).toEqual([]);
  expect(whole.result).toBe("same-files");
  const sample = await verifySample(new MemorySource(bytes), manifest, { share: 1, seed: "one" });
  expect(sample).toMatchObject({ by: "files", differing: [] });
  const found = Buffer.from(bytes.buffer).indexOf("23 23 23 23 ");
  expect(found).toBeGreaterThan(0);
  bytes[found] = 0x39;
  expect(await verifyAgainst(new MemorySource(bytes), manifest)).toMatchObject({
    result: "differs",
    files: { differing: [{ path: "/sources/install.wim", why: "content" }] },
  });
});

test("what is small enough, or is one block, is not split", async () => {
  const whole = await planned(installer, 100_000_000);
  const solid = await planned(disc("solid.iso", w.path("solid.wim")), 10_000);
  for (const made of [whole, solid])
    expect(made.ok ? made.notes.map(({ code }) => code) : made.problems).not.toContain("split");
  expect([whole.ok, solid.ok]).toEqual([true, true]);
});
