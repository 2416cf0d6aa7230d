import { readFileSync } from "node:fs";
import { MemorySource } from "@/core/kernel/source";
import { run } from "../../../scripts/media/workshop";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { findEntry } from "./file-tree";
import { UdfTree } from "./udf";

const w = tempWorkshop();
// Reference: genisoimage's bridge discs (ISO 9660 and UDF 1.02 beside each other).
const text = w.text("content.txt", "0123456789".repeat(3000));
const tree = w.path("tree");
run("mkdir", ["-p", `${tree}/EFI/BOOT`, `${tree}/Ångström und mehr`]);
run("cp", [text, `${tree}/EFI/BOOT/BOOTX64.EFI`]);
run("cp", [text, `${tree}/Ångström und mehr/datei.txt`]);
run("genisoimage", ["-quiet", "-udf", "-input-charset", "utf-8", "-V", "BRIDGE", "-o", w.path("bridge.iso"), tree]);
const file = w.path("bridge.iso");

test("names and contents of a bridge disc", async () => {
  const udf = (await UdfTree.open(memory(file), 2048)) as UdfTree;
  expect(udf.label).toBe("BRIDGE");
  expect((await udf.list(null)).map((entry) => entry.name).sort()).toEqual(["EFI", "Ångström und mehr"].sort());
  for (const path of ["/EFI/BOOT/bootx64.efi", "/Ångström und mehr/datei.txt"]) {
    const entry = await findEntry(udf, path);
    const content = entry && (await udf.open(entry));
    expect(Buffer.from((await content?.read(0, 40_000)) ?? []).toString()).toBe("0123456789".repeat(3000));
  }
});

test("with another block size there is none", async () => {
  expect(await UdfTree.open(memory(file), 512)).toBeNull();
});

test("an empty volume by mkudffs has an empty root", async () => {
  const image = w.blank("empty.udf", 8);
  run("mkudffs", ["--utf8", "--blocksize=2048", "--udfrev=1.02", "--label=LEER", image]);
  const udf = (await UdfTree.open(memory(image), 2048)) as UdfTree;
  expect(udf.label).toBe("LEER");
  expect((await udf.list(null)).filter((entry) => entry.name !== "lost+found")).toEqual([]);
});

test("each descriptor's damage ends in none or in less, never in an exception", async () => {
  const whole = new Uint8Array(readFileSync(file));
  let readable = 0;
  for (let sector = 32; sector < 300; sector++) {
    const damaged = whole.slice();
    damaged.fill(0xff, sector * 2048, sector * 2048 + 64);
    const udf = await UdfTree.open(new MemorySource(damaged), 2048);
    if (udf && (await findEntry(udf, "/EFI/BOOT/BOOTX64.EFI"))) readable++;
  }
  // Damage elsewhere must not matter; damage to the anchor, the sequence, the file set or a directory must.
  expect(readable).toBeGreaterThan(200);
  expect(readable).toBeLessThan(268);
});

test.each([
  ["1.02", 2048],
  ["1.50", 512],
  ["2.01", 512],
  ["2.01", 4096],
])("a volume of revision %s in blocks of %d is found whatever its blocks", async (revision, blockBytes) => {
  const image = w.blank("any.udf", 8);
  run("mkudffs", ["--utf8", `--blocksize=${blockBytes}`, `--udfrev=${revision}`, "--label=Föhr", image]);
  const udf = await UdfTree.find(memory(image));
  expect(udf?.label).toBe("Föhr");
  expect(await udf?.list(null)).toBeDefined();
});

test("with its first anchor gone the one at the end is used", async () => {
  const image = w.blank("anchors.udf", 8);
  run("mkudffs", ["--utf8", "--blocksize=2048", "--udfrev=2.01", "--label=END", image]);
  w.put(image, 256 * 2048, new Uint8Array(2048));
  expect((await UdfTree.find(memory(image)))?.label).toBe("END");
});

test("times are those of the files", async () => {
  run("touch", ["-d", "2026-03-01T10:20:30Z", `${tree}/EFI/BOOT/BOOTX64.EFI`]);
  run("genisoimage", ["-quiet", "-udf", "-input-charset", "utf-8", "-o", w.path("times.iso"), tree]);
  const udf = (await UdfTree.open(memory(w.path("times.iso")), 2048)) as UdfTree;
  expect((await findEntry(udf, "/EFI/BOOT/BOOTX64.EFI"))?.modified).toBe("2026-03-01T10:20:30.000Z");
});
