import { readFileSync } from "node:fs";
import { type ByteSource, MemorySource } from "@/core/kernel/source";
import { FileSource } from "@/server/host/file-source";
import { IMAGES } from "../../../../scripts/demo/images";
import { run } from "../../../../scripts/media/workshop";
import { memory, tempWorkshop } from "../../../../test/support/workshop";
import { inspectionDocument, inspectionDocumentSchema } from "../../words/documents/inspection";
import { findingText } from "../../words/findings";
import { inspect } from "./inspect";
import { type Inspection, inspectionSchema } from "./schema";
import { startPathsOf } from "./start-paths";

const w = tempWorkshop();
const made = new Map<string, Inspection>();

async function inspected(name: keyof typeof IMAGES): Promise<Inspection> {
  const known = made.get(name) ?? (await inspect(memory(IMAGES[name].make(w)), { name: IMAGES[name].file })).inspection;
  made.set(name, known);
  return known;
}

const codes = (inspection: Inspection) =>
  [...inspection.tables.flatMap((table) => table.findings), ...inspection.findings].map((found) => found.code).sort();
const paths = (inspection: Inspection) =>
  startPathsOf(inspection)
    .filter((path) => path.problem === null)
    .map((path) => `${path.as} ${path.firmware} ${path.arch}`);

describe("media made by reference tools", () => {
  test.each<[keyof typeof IMAGES, Inspection["container"], string[], string[]]>([
    [
      "bollard5",
      "iso9660",
      [],
      ["usb uefi x64", "usb uefi ia32", "usb bios x86", "optical uefi x64", "optical uefi ia32", "optical bios x86"],
    ],
    ["bollard4", "iso9660", [], ["usb bios x86", "optical bios x86"]],
    ["spindleDisc", "iso9660", ["iso-not-hybrid"], ["usb uefi x64", "optical uefi x64", "optical bios x86"]],
    ["lantern12", "partitioned", [], ["usb uefi x64"]],
    ["lantern12Worn", "partitioned", ["gpt-from-backup"], ["usb uefi x64"]],
    ["lantern11", "partitioned", [], ["usb uefi x64"]],
    ["spindle3", "partitioned", [], ["usb uefi x64", "usb uefi ia32", "usb bios x86"]],
    ["spindle3Inactive", "partitioned", [], ["usb uefi x64", "usb uefi ia32"]],
    ["bollardCut", "iso9660", ["iso-cut-short"], []],
    ["papers", "partitioned", ["nothing-starts"], []],
  ])("%s is %s", async (name, container, findings, starts) => {
    const inspection = await inspected(name);
    expect(inspectionSchema.parse(inspection)).toEqual(inspection);
    expect(inspection.container).toBe(container);
    expect(codes(inspection)).toEqual(expect.arrayContaining(findings));
    if (name !== "bollardCut") expect(paths(inspection)).toEqual(starts);
  });

  test("partitions with their file systems and labels", async () => {
    const { partitions } = await inspected("spindle3");
    expect(
      partitions.map(({ index, typeName, filesystem, active, start, length }) => ({
        index,
        typeName,
        filesystem,
        active,
        start,
        length,
      })),
    ).toEqual([
      { index: 1, typeName: "FAT32 (LBA)", filesystem: "fat16", active: true, start: 1048576, length: 20971520 },
      {
        index: 2,
        typeName: "NTFS or exFAT",
        filesystem: "exfat",
        active: false,
        start: 43008 * 512,
        length: 61440 * 512,
      },
    ]);
  });
});

// Reference: each file system made by its own tool, as Debian packages it.
test.each<[string, string, string[]]>([
  ["exfat", "mkfs.exfat", []],
  ["ntfs", "mkntfs", ["-F", "-q"]],
  ["ext2", "mke2fs", ["-q", "-t", "ext2"]],
  ["ext4", "mke2fs", ["-q", "-t", "ext4"]],
  ["udf", "mkudffs", ["--utf8", "--blocksize=2048"]],
  ["swap", "mkswap", []],
])("%s is recognised by its signature", async (kind, tool, options) => {
  const volume = w.blank(`${kind}.volume`, 40);
  run(tool, [...options, volume]);
  const { inspection } = await inspect(memory(volume), { name: kind });
  expect(inspection.container).toBe(kind === "udf" ? "udf" : "bare-filesystem");
  const image = w.gpt(`${kind}.gpt`, 44, ["-n", "1:2048:+40M"], { 1: volume });
  expect((await inspect(memory(image), { name: kind })).inspection.partitions[0]?.filesystem).toBe(kind);
});

test("squashfs and WIM files are recognised", async () => {
  run("mksquashfs", [w.text("squashed.txt", "x".repeat(9000)), w.path("s.squashfs"), "-quiet", "-no-progress"]);
  expect((await inspect(memory(w.path("s.squashfs")), { name: "s" })).inspection.container).toBe("bare-filesystem");
  const wim = new Uint8Array(4096);
  wim.set(Buffer.from("MSWIM\0\0\0"));
  const { inspection } = await inspect(new MemorySource(wim), { name: "install.wim" });
  expect(inspection.container).toBe("wim");
  expect(codes(inspection)).toContain("not-a-start-medium");
});

test("HFS+ is recognised by its signature (Apple, TN1150: volume header at byte 1,024)", async () => {
  const volume = new Uint8Array(8192);
  volume.set(Buffer.from("H+\0\x04"), 1024);
  expect((await inspect(new MemorySource(volume), { name: "h" })).inspection.container).toBe("bare-filesystem");
});

test("a 6 GB image is inspected by reading less than 8 MB", async () => {
  const file = w.copy(IMAGES.bollard5.make(w), "large.iso");
  w.truncate(file, 6_000_000_000);
  const source = await FileSource.open(file);
  const { bytesRead, inspection } = await inspect(source, { name: "large.iso" });
  await source.close();
  expect(inspection.file.bytes).toBe(6_000_000_000);
  expect(paths(inspection)).toContain("usb uefi ia32");
  expect(bytesRead).toBeLessThan(8_000_000);
});

describe("bytes that nobody meant", () => {
  /** A small generator with a fixed seed (mulberry32, public domain), so that a failure can be repeated. */
  function random(seed: number): () => number {
    let state = seed;
    return () => {
      state = (state + 0x6d2b79f5) | 0;
      let t = Math.imul(state ^ (state >>> 15), 1 | state);
      t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
      return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
    };
  }

  /** Counts what is asked of a source, to see that reading is bounded. */
  class Counted implements ByteSource {
    reads = 0;
    constructor(private readonly inner: MemorySource) {}
    get sizeBytes(): number {
      return this.inner.sizeBytes;
    }
    read(offset: number, length: number): Promise<Uint8Array> {
      this.reads++;
      if (!(offset >= 0) || length < 0 || length > 64 << 20)
        throw new Error(`unbounded read of ${length} at ${offset}`);
      return this.inner.read(offset, length);
    }
  }

  async function survives(bytes: Uint8Array): Promise<Inspection> {
    const source = new Counted(new MemorySource(bytes));
    const { inspection } = await inspect(source, { name: "odd" });
    inspectionSchema.parse(inspection);
    expect(source.reads).toBeLessThan(50_000);
    for (const found of inspection.findings) expect(findingText(found)).toMatch(/\S+ \S+/);
    inspectionDocumentSchema.parse(inspectionDocument(inspection));
    return inspection;
  }

  test.each([0, 1, 511, 512, 513, 2048, 4096, 40_000])("random bytes, %d of them, get a sentence", async (length) => {
    const next = random(length + 1);
    const inspection = await survives(Uint8Array.from({ length }, () => Math.floor(next() * 256)));
    expect(inspection.findings.length).toBeGreaterThan(0);
  });

  const smallGpt = () =>
    w.gpt("small.img", 8, ["-n", "1:2048:+6M", "-t", "1:ef00"], {
      1: w.fat("small.fat", 6, 12, { "EFI/BOOT/BOOTX64.EFI": w.efi("x64") }, ["-s", "8"]),
    });

  test.each([
    ["a hybrid disc image", () => IMAGES.bollard4.make(w)],
    ["a disc image for both firmwares", () => IMAGES.bollard5.make(w)],
    ["a GPT with a FAT12 volume", smallGpt],
    ["an MBR with a FAT16 volume", () => IMAGES.papers.make(w)],
  ])("%s with bytes changed where its structures are", async (name, make) => {
    const whole = new Uint8Array(readFileSync(make()));
    const places = hotPlaces(whole);
    const next = random(name.length);
    let [told, started] = [0, 0];
    for (let round = 0; round < 100; round++) {
      const changed = whole.slice();
      for (let i = 0; i < 1 + Math.floor(next() * 12); i++) {
        const at = (places[Math.floor(next() * places.length)] as number) + Math.floor(next() * 512);
        changed[at % changed.length] = next() < 0.3 ? 0xff : Math.floor(next() * 256);
      }
      const bytes = next() < 0.2 ? changed.subarray(0, Math.floor(next() * changed.length)) : changed;
      const inspection = await survives(bytes);
      if (inspection.findings.length > 0) told++;
      if (paths(inspection).length > 0) started++;
    }
    // Damage is told, and most of what starts still does.
    expect(told).toBeGreaterThan(10);
    if (paths(await survives(whole)).length > 0) expect(started).toBeGreaterThan(30);
    else expect(started).toBe(0);
  });

  /** Sectors that are not blank in the first 400 KiB and the last sector: tables, descriptors, directories. */
  function hotPlaces(bytes: Uint8Array): number[] {
    const places = [0, bytes.length - 512];
    for (let at = 0; at < Math.min(bytes.length, 400 * 1024); at += 512)
      if (bytes.subarray(at, at + 512).some((byte) => byte !== 0)) places.push(at);
    return places;
  }
});
