import { createHash } from "node:crypto";
import { mkdirSync, readdirSync, readFileSync, readlinkSync, statSync, symlinkSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { FileSource } from "@/server/host/file-source";
import { run } from "../../../../scripts/media/workshop";
import { type ExfatFolder, fillExfat } from "../../../../test/support/exfat";
import { tempWorkshop } from "../../../../test/support/workshop";
import { findEntry, walk } from "../../formats/file-tree";
import { SquashfsTree } from "../../formats/squashfs";
import { type ByteSource, CachedSource } from "../../kernel/source";
import { type Volume, volumesOf } from "./volumes";

const w = tempWorkshop();
const content = (seed: number, length: number) =>
  Uint8Array.from({ length }, (_, at) => (Math.imul(at + 1, 2654435761 + seed) >>> 11) & 0xff);

/** One folder that every tool packs: long and foreign names, depth, many files, an empty one, a large one, one of zeros. */
const TREE = w.path("tree");
const FILES: Record<string, Uint8Array> = {
  "readme.txt": Buffer.from("Skerry Line\n"),
  "empty.bin": new Uint8Array(0),
  "exactly one cluster.bin": content(1, 4096),
  "Vögel, Fähren und ein ziemlich langer Name für eine Datei.txt": content(2, 5000),
  "boot/large.bin": content(3, 3_300_000),
  "boot/zeros.bin": new Uint8Array(1_500_000),
  "a/b/c/d/e/f/g/h/i/j/deep.txt": Buffer.from("deep"),
};
for (let i = 0; i < 300; i++) FILES[`many/file number ${i} of three hundred.dat`] = content(i, i * 7);
for (const [path, bytes] of Object.entries(FILES)) {
  mkdirSync(join(TREE, path, ".."), { recursive: true });
  writeFileSync(join(TREE, path), bytes);
}
const LINKS = { "by-link.txt": "readme.txt", "a/up": "../boot/large.bin" };
const LINKED = w.path("linked");
run("cp", ["-r", TREE, LINKED]);
for (const [path, target] of Object.entries(LINKS)) symlinkSync(target, join(LINKED, path));

const sha = (bytes: Uint8Array) => createHash("sha256").update(bytes).digest("hex");

async function readAll(source: ByteSource): Promise<Uint8Array> {
  const pieces: Uint8Array[] = [];
  // A step that fits no cluster, so that every read begins and ends inside one.
  for (let at = 0; at < source.sizeBytes; at += 99_991) pieces.push(await source.read(at, 99_991));
  return Buffer.concat(pieces);
}

/** What is in a folder of this machine: path → what it is. */
function told(folder: string, path = ""): Record<string, string> {
  const found: Record<string, string> = {};
  for (const entry of readdirSync(join(folder, path), { withFileTypes: true })) {
    const at = `${path}/${entry.name}`;
    if (entry.isSymbolicLink()) found[at] = `link ${readlinkSync(join(folder, at))}`;
    else if (entry.isDirectory()) Object.assign(found, { [at]: "folder" }, told(folder, at));
    else found[at] = `${statSync(join(folder, at)).size} ${sha(readFileSync(join(folder, at)))}`;
  }
  return found;
}

/** The same of a volume. */
async function read(volume: Volume): Promise<Record<string, string>> {
  const found: Record<string, string> = {};
  for await (const { path, entry } of walk(volume.tree)) {
    if (path === "/lost+found") continue;
    if (entry.link !== undefined) found[path] = `link ${entry.link}`;
    else if (entry.directory) found[path] = "folder";
    else {
      const source = await volume.tree.open(entry);
      found[path] = `${entry.sizeBytes} ${source ? sha(await readAll(source)) : "unread"}`;
    }
  }
  return found;
}

async function open(file: string): Promise<Volume[]> {
  const source = await FileSource.open(file);
  opened.push(source);
  return volumesOf(new CachedSource(source));
}
const opened: FileSource[] = [];
afterEach(() => Promise.all(opened.splice(0).map((source) => source.close())));

async function only(file: string): Promise<Volume> {
  const volumes = await open(file);
  expect(volumes).toHaveLength(1);
  return volumes[0] as Volume;
}

describe("a whole tree, as the tool that wrote it had it", () => {
  // Reference: mke2fs -d of e2fsprogs.
  test.each([
    ["ext2", ["-t", "ext2", "-b", "1024"]],
    ["ext3", ["-t", "ext3"]],
    ["ext4", ["-t", "ext4", "-b", "4096"]],
    ["ext4", ["-t", "ext4", "-O", "inline_data", "-I", "256"]],
    ["ext4", ["-t", "ext4", "-b", "1024", "-O", "meta_bg,^resize_inode,^64bit"]],
    ["ext4", ["-t", "ext4", "-b", "1024", "-O", "bigalloc"]],
  ])("%s by mke2fs %j", async (kind, options) => {
    const image = w.blank("ext.img", 40);
    run("mke2fs", ["-q", "-L", "KIT", ...options, "-d", LINKED, image]);
    const volume = await only(image);
    expect([volume.kind, volume.tree.label]).toEqual([kind, "KIT"]);
    expect(await read(volume)).toEqual(told(LINKED));
  });

  // Reference: wimlib, which writes an NTFS volume through libntfs-3g.
  test.each([[512], [4096]])("NTFS in clusters of %d bytes", async (cluster) => {
    const image = w.blank("ntfs.img", 40);
    run("mkntfs", ["-F", "-q", "-c", String(cluster), "-L", "KIT", image]);
    run("wimcapture", [LINKED, w.path("tree.wim"), "--quiet"]);
    run("wimapply", [w.path("tree.wim"), "1", image, "--quiet"]);
    const volume = await only(image);
    expect([volume.kind, volume.tree.label]).toEqual(["ntfs", "KIT"]);
    expect(await read(volume)).toEqual(told(LINKED));
  });

  // Reference: mksquashfs.
  test.each([
    ["gzip", []],
    ["xz", []],
    ["zstd", []],
    ["lz4", []],
    ["lzo", []],
    ["lzo", ["-Xalgorithm", "lzo1x_1"]],
    ["gzip", ["-no-fragments", "-noI", "-noD"]],
    ["gzip", ["-b", "1M", "-always-use-fragments"]],
  ])("squashfs by %s %j", async (compressor, options) => {
    const image = w.path("tree.squashfs");
    run("mksquashfs", [LINKED, image, "-noappend", "-quiet", "-no-progress", "-comp", compressor, ...options]);
    expect(await read(await only(image))).toEqual(told(LINKED));
  });

  // Reference: mkfs.btrfs.
  test.each([
    ["nodes of 16 KiB", []],
    ["nodes of 4 KiB, data and metadata together", ["-n", "4096", "-s", "4096", "-M"]],
    ["nodes of 64 KiB, one copy of metadata", ["-n", "65536", "-m", "single"]],
  ])("btrfs with %s", async (_what, options) => {
    const image = w.blank("btrfs.img", 160);
    run("mkfs.btrfs", ["-q", "-f", "-L", "KIT", "--rootdir", LINKED, ...options, image]);
    const volume = await only(image);
    expect([volume.kind, volume.tree.label]).toEqual(["btrfs", "KIT"]);
    expect(await read(volume)).toEqual(told(LINKED));
  });

  // Reference: written after the specification, judged by fsck.exfat of exfatprogs.
  test("exFAT", async () => {
    const image = w.blank("exfat.img", 40);
    run("mkfs.exfat", ["-L", "KIT", image]);
    const folder: ExfatFolder = {};
    for (const [path, bytes] of Object.entries(FILES)) {
      const parts = path.split("/");
      let at = folder;
      for (const part of parts.slice(0, -1)) {
        at[part] ??= {};
        at = at[part] as ExfatFolder;
      }
      at[parts.at(-1) as string] = bytes;
    }
    fillExfat(image, folder);
    expect(run("fsck.exfat", ["-n", image])).toMatch(/clean.*files 307/);
    const volume = await only(image);
    expect([volume.kind, volume.tree.label]).toEqual(["exfat", "KIT"]);
    expect(await read(volume)).toEqual(told(TREE));
    expect((await findEntry(volume.tree, "/readme.txt"))?.modified).toBe("2026-03-01T06:15:30.000Z");
  });

  // Reference: mcopy of mtools.
  test.each([
    ["fat16", 16],
    ["fat32", 32],
  ])("%s", async (kind, bits) => {
    const image = w.blank("fat.img", 40);
    run("mkfs.fat", ["-F", String(bits), "-s", bits === 16 ? "4" : "1", "-n", "KIT", image]);
    run("mcopy", ["-s", "-i", image, ...readdirSync(TREE).map((name) => join(TREE, name)), "::/"]);
    const volume = await only(image);
    expect([volume.kind, volume.tree.label]).toEqual([kind, "KIT"]);
    expect(await read(volume)).toEqual(told(TREE));
  });

  // Reference: genisoimage (UDF 1.02 beside ISO 9660 with Joliet), and xorriso with Rock Ridge.
  test("the UDF side and the ISO side of a bridge disc", async () => {
    const image = w.path("bridge.iso");
    run("genisoimage", ["-quiet", "-udf", "-R", "-input-charset", "utf-8", "-V", "KIT", "-o", image, LINKED]);
    const volumes = await open(image);
    expect(volumes.map((each) => each.id)).toEqual(["iso9660", "udf"]);
    const { rr_moved: _gone, ...iso } = await read(volumes[0] as Volume);
    expect(withoutMoved(iso)).toEqual(told(LINKED));
    const udf = await read(volumes[1] as Volume);
    const plain = told(TREE);
    expect(withoutMoved(Object.fromEntries(Object.keys(plain).map((path) => [path, udf[path] as string])))).toEqual(
      plain,
    );
  });

  test("a disc by xorriso, with names that only Rock Ridge keeps", async () => {
    const image = w.path("rr.iso");
    run("xorriso", ["-as", "mkisofs", "-quiet", "-J", "-R", "-V", "KIT", "-o", image, LINKED]);
    expect(await read(await only(image))).toEqual(told(LINKED));
  });
});

/** genisoimage keeps a folder for what it moved up; it is empty to a reader that follows the moves. */
function withoutMoved(found: Record<string, string>): Record<string, string> {
  return Object.fromEntries(Object.entries(found).filter(([path]) => path !== "/rr_moved"));
}

test("links are followed inside a volume, and ones in a circle end", async () => {
  const folder = w.path("circle");
  mkdirSync(folder);
  symlinkSync("two", join(folder, "one"));
  symlinkSync("one", join(folder, "two"));
  symlinkSync("/real/../real/file", join(folder, "good"));
  mkdirSync(join(folder, "real"));
  writeFileSync(join(folder, "real/file"), "there");
  run("mksquashfs", [folder, w.path("circle.squashfs"), "-quiet", "-no-progress"]);
  const { tree } = await only(w.path("circle.squashfs"));
  expect((await findEntry(tree, "/good"))?.sizeBytes).toBe(5);
  expect(await findEntry(tree, "/one")).toBeNull();
  expect(await findEntry(tree, "/real/file/further")).toBeNull();
});

test("a file of more than 4 GiB on a disc, in several extents", async () => {
  const folder = w.path("huge");
  mkdirSync(folder);
  const huge = join(folder, "huge.bin");
  run("truncate", ["-s", "4300000000", huge]);
  w.put(huge, 4_299_999_990, Buffer.from("the end...."));
  const image = w.path("huge.iso");
  run("xorriso", ["-as", "mkisofs", "-quiet", "-iso-level", "3", "-R", "-o", image, folder]);
  const { tree } = await only(image);
  const entry = await findEntry(tree, "/huge.bin");
  expect(entry?.sizeBytes).toBe(statSync(huge).size);
  const file = entry && (await tree.open(entry));
  expect(Buffer.from((await file?.read(4_299_999_990, 100)) ?? []).toString()).toBe("the end....");
});

test("a hybrid disc: the tree, its partitions and the boot image in its catalogue", async () => {
  const volumes = await open(
    (() => {
      const esp = w.fat("esp.img", 4, 12, { "EFI/BOOT/BOOTX64.EFI": w.efi("x64") });
      return w.iso("hybrid.iso", { "notes.txt": w.text("notes.txt", "x"), "efi.img": esp }, [
        "-e",
        "efi.img",
        "-no-emul-boot",
        "-isohybrid-gpt-basdat",
        "-append_partition",
        "2",
        "0xef",
        esp,
      ]);
    })(),
  );
  expect(volumes.map((each) => each.id)).toEqual(expect.arrayContaining(["iso9660", 2, "eltorito:0"]));
  for (const volume of volumes.filter((each) => each.id !== "iso9660"))
    expect(await findEntry(volume.tree, "/EFI/BOOT/BOOTX64.EFI")).toMatchObject({ directory: false });
});

test("a squashfs whose compressor has no decoder here says so", async () => {
  run("mksquashfs", [TREE, w.path("lzma.squashfs"), "-comp", "lzma", "-quiet", "-no-progress"]);
  const source = await FileSource.open(w.path("lzma.squashfs"));
  opened.push(source);
  expect((await SquashfsTree.open(source))?.unread).toContain("lzma");
});
