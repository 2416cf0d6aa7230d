import { randomBytes } from "node:crypto";
import { readFileSync, writeFileSync } from "node:fs";
import { run } from "../../../../scripts/media/workshop";
import { memory, tempWorkshop } from "../../../../test/support/workshop";
import { nativeHasher } from "../../../server/host/native-hasher";
import { MemorySource } from "../../kernel/source";
import { Cancelled } from "./hashing";
import { makeManifest } from "./manifest";
import { verifySample } from "./sample";

// Reference: discs by xorriso, and the same files on ext4 by mke2fs.
const w = tempWorkshop();
const FILES = 40;
for (let at = 0; at < FILES; at++) writeFileSync(w.path(`f${at}.bin`), randomBytes(4 << 20));
const tree = Object.fromEntries(Array.from({ length: FILES }, (_, at) => [`data/f${at}.bin`, w.path(`f${at}.bin`)]));
const disc = w.iso("disc.iso", { ...tree, "EFI/BOOT/BOOTX64.EFI": w.efi("x64") }, []);
const bytes = new Uint8Array(readFileSync(disc));
const made = makeManifest(new MemorySource(bytes), { name: "disc.iso", make: nativeHasher });
const options = { share: 0.2, seed: "a", make: nativeHasher };

test("a part of it is compared, and says how much", async () => {
  const result = await verifySample(new MemorySource(bytes), await made, options);
  expect(result).toMatchObject({ by: "blocks", ofBytes: bytes.length, differing: [], outsideFiles: [] });
  expect(result.comparedBytes / bytes.length).toBeGreaterThan(0.2);
  expect(result.comparedBytes / bytes.length).toBeLessThan(0.4);
});

test("damage is found where it was looked, and in the end everywhere: seeds choose other places", async () => {
  const manifest = await made;
  const file = manifest.volumes[0]?.files.find(({ path }) => path === "/data/f17.bin");
  const changed = bytes.slice();
  const place = (file?.at?.[0]?.[0] ?? 0) + 2_000_000;
  changed[place] = (changed[place] as number) ^ 1;
  const results = [];
  for (let seed = 0; seed < 12; seed++)
    results.push(await verifySample(new MemorySource(changed), manifest, { ...options, seed: String(seed) }));
  const found = results.filter(({ differing }) => differing.length > 0);
  expect(found.length).toBeGreaterThan(0);
  expect(found.length).toBeLessThan(12);
  // A block of four mebibytes has two files in it.
  for (const { differing } of found) expect(differing.map(({ path }) => path)).toContain("/data/f17.bin");
  const again = await verifySample(new MemorySource(changed), manifest, { ...options, seed: "7" });
  expect(again).toEqual(results[7]);
});

test("laid out otherwise, every file is looked for by size, and loaders are compared whichever the seed", async () => {
  const folder = w.path("tree");
  run("sh", [
    "-c",
    `mkdir ${folder} && cd ${folder} && xorriso -osirrox on -indev stdio:${disc} -extract / . 2>/dev/null && chmod -R u+w .`,
  ]);
  const image = w.blank("laid.img", 200);
  run("mke2fs", ["-q", "-t", "ext4", "-d", folder, image]);
  const whole = await verifySample(memory(image), await made, options);
  expect(whole).toMatchObject({ by: "files", differing: [] });
  run("sh", [
    "-c",
    `cd ${folder} && rm data/f3.bin && truncate -s 5 data/f4.bin && printf X | dd of=EFI/BOOT/BOOTX64.EFI bs=1 seek=700 conv=notrunc 2>/dev/null`,
  ]);
  const other = w.blank("other.img", 200);
  run("mke2fs", ["-q", "-t", "ext4", "-d", folder, other]);
  for (const seed of ["a", "b"]) {
    const { differing } = await verifySample(memory(other), await made, { ...options, share: 0.05, seed });
    expect(Object.fromEntries(differing.map(({ path, why }) => [path, why]))).toEqual({
      "/data/f3.bin": "missing",
      "/data/f4.bin": "size",
      "/EFI/BOOT/BOOTX64.EFI": "content",
    });
  }
});

test("it stops where it is asked to", async () => {
  const asked = verifySample(new MemorySource(bytes), await made, { ...options, onProgress: () => false });
  await expect(asked).rejects.toThrow(Cancelled);
});
