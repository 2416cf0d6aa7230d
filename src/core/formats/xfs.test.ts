import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { FileSource } from "@/server/host/file-source";
import { run } from "../../../scripts/media/workshop";
import { readDamaged } from "../../../test/support/damage";
import { dice } from "../../../test/support/dice";
import { tempWorkshop } from "../../../test/support/workshop";
import { readExactly } from "../kernel/source";
import { findEntry, openPath } from "./file-tree";
import { XfsTree } from "./xfs";

// Reference: mkfs.xfs, which fills a volume by a description of its files (a prototype), and xfs_db, which reads it.
const w = tempWorkshop();
const FILES: Record<string, Uint8Array> = {
  "empty.txt": new Uint8Array(0),
  "os-release": new TextEncoder().encode('NAME="Kit"\n'),
  "program.bin": new Uint8Array(readFileSync(process.execPath).subarray(0, 5_000_003)),
};
const MANY = 1_200;

/** A prototype: a mode, an owner, a group and a source for each file; folders end by a sign of their own. */
function prototype(): string {
  const own = w.path("own");
  mkdirSync(own, { recursive: true });
  for (const [name, bytes] of Object.entries(FILES)) writeFileSync(join(own, name), bytes);
  writeFileSync(join(own, "one"), "1");
  const files = Object.keys(FILES).map((name) => `${name} ---644 0 0 ${join(own, name)}`);
  const many = Array.from({ length: MANY }, (_, nth) => `file-number-${nth}.txt ---644 0 0 ${join(own, "one")}`);
  return w.text(
    "prototype",
    [
      ...["/", "0 0", "d--755 0 0", ...files],
      ...["small d--755 0 0", `inside ---600 0 0 ${join(own, "one")}`, "$"],
      ...["many d--755 0 0", ...many, "$"],
      ...["some d--755 0 0", ...many.slice(0, 40), "$"],
      `short l--777 0 0 os-release`,
      `long l--777 0 0 ${"a-very-long-folder-name/".repeat(30)}end`,
      ...["$", ""],
    ].join("\n"),
  );
}

function volume(name: string, options: string[]): string {
  const image = w.blank(name, 320);
  run("mkfs.xfs", ["-q", "-f", "-L", "KIT", ...options, "-p", prototype(), image]);
  return image;
}

test.each([
  ["version 5", []],
  ["version 5 with blocks of 1 KiB", ["-b", "size=1024"]],
  ["version 5 with folders in blocks of 16 KiB", ["-n", "size=16384"]],
  ["version 5, times of old", ["-m", "bigtime=0"]],
  ["version 4", ["-m", "crc=0"]],
  ["version 4 without kinds in folders", ["-m", "crc=0", "-n", "ftype=0"]],
])("%s: files, folders of all sizes, links", async (name, options) => {
  const source = await FileSource.open(volume("xfs.img", options));
  const tree = await XfsTree.open(source);
  if (!tree) throw new Error(`${name} was not opened`);
  expect(tree.label).toBe("KIT");
  for (const [path, bytes] of Object.entries(FILES)) {
    const content = await openPath(tree, path);
    const read = content && (await readExactly(content, 0, content.sizeBytes));
    expect([path, read && Buffer.compare(read, bytes)]).toEqual([path, 0]);
  }
  const names = async (path: string) => {
    const folder = await findEntry(tree, path);
    return folder ? (await tree.list(folder)).map((each) => each.name) : [];
  };
  expect(new Set(await names("many")).size).toBe(MANY);
  expect(await names("some")).toHaveLength(40);
  expect(await names("small")).toEqual(["inside"]);
  const links = (await tree.list(null)).filter(({ link }) => link !== undefined);
  expect(links.map(({ link }) => link?.length).sort()).toEqual([10, 30 * 24 + 3]);
  const [file] = (await tree.list(null)).filter((each) => each.name === "os-release");
  expect(Math.abs(Date.now() - Date.parse(file?.modified ?? ""))).toBeLessThan(86_400_000);
  await source.close();
});

test("damage ends what is read of it, and never throws", async () => {
  const bytes = new Uint8Array(w.bytes(volume("damage.img", [])));
  const listed = await readDamaged(bytes, (source) => XfsTree.open(source), { rounds: 40, first: 24, roll: dice(41) });
  expect(listed).toBeGreaterThan(500);
});
