import { copyFileSync, rmSync } from "node:fs";
import { biosStart } from "@/server/host/bios-start";
import { MARKER, run } from "../../../../scripts/media/workshop";
import { observe } from "../../../../test/referee/observations";
import { memory, tempWorkshop } from "../../../../test/support/workshop";
import { writeLayout } from "../../../../test/support/written";
import { type Layout, LayoutSource, overlaid, shifted, writtenBytes } from "../../formats/pieces";
import type { FileToWrite } from "../../formats/tree-writing";
import { Seed } from "../../kernel/seed";
import { MemorySource } from "../../kernel/source";
import { severityOf } from "../../medium/findings/findings";
import { inspect } from "../../medium/inspection/inspect";
import { startPathsOf } from "../../medium/inspection/start-paths";
import { START_CONFIG_PATH, startConfig } from "../planning/start-config";
import { type LaidOut, type LayOutOptions, layOut } from "./laid-out";
import { layOutPlainStore } from "./plain-store";
import { asItIs, withStore } from "./with-store";

// References: sgdisk and sfdisk on tables, fsck.fat, fsck.exfat and mtools on volumes, SeaBIOS and OVMF on starting.
const w = tempWorkshop();
const MIB = 1 << 20;

const text = (path: string, content: string): FileToWrite => ({
  path,
  content: new MemorySource(new TextEncoder().encode(content)),
  modified: null,
});
const program = (path: string, file: string): FileToWrite => ({ path, content: memory(file), modified: null });

/** A release's tree with a loader for each architecture and a menu of its own that says that it was reached. */
const TREE: FileToWrite[] = [
  program("/EFI/BOOT/BOOTX64.EFI", w.efi("x64")),
  program("/EFI/BOOT/BOOTIA32.EFI", w.efi("ia32")),
  text("/boot/grub/grub.cfg", `serial --unit=0 --speed=115200\nterminal_output serial\necho ${MARKER}\nhalt\n`),
  text(START_CONFIG_PATH, startConfig({ kind: "grub", path: "/boot/grub/grub.cfg" })),
];

const MADE_AT = "2026-11-25T12:00:00Z";
const STORE = { label: "STORE", files: [text("/CREEL/about.txt", "What this is.\n")] };

async function laid(more: Partial<LayOutOptions>): Promise<LaidOut> {
  const result = await layOut({
    deviceBytes: 400e6,
    sectorBytes: 512,
    table: "gpt",
    start: { label: "KIT", files: TREE },
    store: STORE,
    bios: await biosStart(),
    seed: new Seed("one"),
    madeAt: MADE_AT,
    ...more,
  });
  if (!result.ok) throw new Error(JSON.stringify(result.problems));
  return result.value;
}

/** A partition of a layout as a file of its own. */
async function cut({ pieces }: Layout, startBytes: number, sizeBytes: number): Promise<string> {
  const inside = pieces.filter(({ start }) => start >= startBytes && start < startBytes + sizeBytes);
  await writeLayout({ sizeBytes, pieces: shifted(inside, -startBytes) }, w.path("part.img"));
  return w.path("part.img");
}

async function checkParts({ layout, parts }: LaidOut): Promise<void> {
  for (const part of parts) {
    if (!part.filesystem) continue;
    const volume = await cut(layout, part.startBytes, part.lengthBytes);
    if (part.filesystem === "fat32") run("fsck.fat", ["-n", volume]);
    else expect(run("fsck.exfat", ["-n", volume])).toContain("clean");
  }
}

function checkTable(image: string, table: "gpt" | "mbr"): void {
  if (table === "gpt") expect(run("sgdisk", ["-v", image])).toContain("No problems found");
  else expect(run("sfdisk", ["--verify", image])).toMatch(/No errors detected/);
}

test.each([100e6, 2e9, 32e9 + 512, 4e12])(
  "%d bytes as nothing but a store: its table is good, its volume clean",
  async (deviceBytes) => {
    const made = await layOutPlainStore({
      ...{ deviceBytes, sectorBytes: 512, label: "VAULT", seed: new Seed("vault"), madeAt: MADE_AT },
    });
    if (!made.ok) throw new Error(JSON.stringify(made.problems));
    const image = w.path("store.img");
    await writeLayout(made.value.layout, image);
    checkTable(image, "gpt");
    await checkParts(made.value);
    const [part] = made.value.parts;
    expect(part?.freeBytes).toBeGreaterThan(deviceBytes * 0.95);
    rmSync(image);
    const small = await layOutPlainStore({
      ...{ deviceBytes: 60e6, sectorBytes: 512, label: "VAULT", seed: new Seed("vault"), madeAt: MADE_AT },
    });
    expect(small).toMatchObject({ ok: false, problems: [{ code: "device-too-small" }] });
  },
);

describe.each(["gpt", "mbr"] as const)("files on a fresh %s", (table) => {
  test.each<[string, number, boolean]>([
    ["63 MB, without a store", 63e6, false],
    ["200 MB", 200e6, true],
    ["2 GB", 2e9, true],
    ["32 GB, a sector more", 32e9 + 512, true],
    ["2 TB", 2e12, true],
  ])("%s: tables and volumes are good", async (_what, deviceBytes, withOne) => {
    const store = withOne ? STORE : null;
    const made = await laid({ table, deviceBytes, store });
    const image = w.path("laid.img");
    await writeLayout(made.layout, image);
    checkTable(image, table);
    await checkParts(made);
    expect(made.parts.map(({ role }) => role)).toEqual(["bios-start", "start", ...(withOne ? ["store"] : [])]);
    const { inspection } = await inspect(new LayoutSource(made.layout), { name: "planned.img" });
    expect(inspection.findings.filter((finding) => severityOf(finding) !== "info")).toEqual([]);
    rmSync(image);
  });

  test("BIOS and UEFI computers start it, as the planned medium says that they will", async () => {
    const made = await laid({ table });
    const image = w.path(`start-${table}.img`);
    await writeLayout(made.layout, image);
    const { inspection } = await inspect(new LayoutSource(made.layout), { name: "planned.img" });
    const told = startPathsOf(inspection).filter(({ as, problem }) => as === "usb" && problem === null);
    expect(told.map(({ firmware, arch }) => `${firmware} ${arch}`).sort()).toEqual([
      "bios x86",
      "uefi ia32",
      "uefi x64",
    ]);
    for (const firmware of ["bios", "uefi-x64"] as const) {
      const machine = { firmware, as: "usb", lists: null } as const;
      const { started, log } = await observe(`laid out ${table} ${firmware}`, image, machine, w.folder);
      expect([firmware, started || log]).toEqual([firmware, true]);
    }
  });

  test("the same twice is the same to the byte", async () => {
    const bytes = async (seed: string) => {
      const { layout } = await laid({ table, deviceBytes: 140e6, seed: new Seed(seed) });
      return Buffer.from(await new LayoutSource(layout).read(0, layout.sizeBytes));
    };
    const first = await bytes("one");
    expect(Buffer.compare(first, await bytes("one"))).toBe(0);
    expect(Buffer.compare(first, await bytes("two"))).not.toBe(0);
  });
});

test("a table of before is not found again on a medium with an MBR", async () => {
  const image = w.gpt("before.img", 191, ["-n", "1:2048:+100M", "-t", "1:ef00"]);
  const made = await laid({ table: "mbr", deviceBytes: 191 * MIB });
  const before = memory(image);
  const over = new LayoutSource({
    sizeBytes: before.sizeBytes,
    pieces: overlaid([{ start: 0, content: before }], made.layout.pieces),
  });
  const { inspection } = await inspect(over, { name: "over.img" });
  expect(inspection.tables.map(({ kind }) => kind)).toEqual(["mbr"]);
});

test("what does not go is said with what it wants", async () => {
  const of = async (more: Partial<LayOutOptions>) => {
    const base = { deviceBytes: 400e6, sectorBytes: 512 as const, table: "gpt" as const, store: null, bios: null };
    const start = { label: "KIT", files: TREE };
    const result = await layOut({ ...base, start, seed: new Seed("one"), madeAt: MADE_AT, ...more });
    return result.ok ? [] : result.problems;
  };
  const wim = {
    path: "/sources/install.wim",
    content: { sizeBytes: 5e9, read: async () => new Uint8Array(0) },
    modified: null,
  };
  expect(await of({ deviceBytes: 16e9, start: { label: "KIT", files: [...TREE, wim] } })).toMatchObject([
    { code: "file-too-large", part: "start", path: "/sources/install.wim", mostBytes: 2 ** 32 - 1 },
  ]);
  expect(await of({ deviceBytes: 60e6, store: STORE })).toMatchObject([{ code: "device-too-small", bytes: 60e6 }]);
  expect(await of({ deviceBytes: 3e12, table: "mbr" })).toMatchObject([{ code: "table-too-small" }]);
  expect(await of({ bios: { boot: new Uint8Array(512), core: new Uint8Array(2 * MIB) } })).toMatchObject([
    { code: "bios-start-too-large" },
  ]);
});

describe("an image as it is", () => {
  /** A hybrid disc as its own tools make it, with GPT and MBR, whose UEFI path is in its boot image. */
  const hybrid = () => {
    const esp = w.fat("esp.img", 6, 12, { "EFI/BOOT/BOOTX64.EFI": w.efi("x64") });
    const tree = { "grub/eltorito.img": w.grubDisc(), "boot/readme.txt": w.text("readme.txt", "A disc.\n") };
    const options = [
      "-V",
      "HYBRID",
      "-b",
      "grub/eltorito.img",
      "-no-emul-boot",
      "-boot-load-size",
      "4",
      "-boot-info-table",
    ];
    const more = ["--grub2-boot-info", "--grub2-mbr", "/usr/lib/grub/i386-pc/boot_hybrid.img"];
    const gpt = ["-append_partition", "2", "0xef", esp, "-appended_part_as_gpt", "-eltorito-alt-boot"];
    const efi = ["-e", "--interval:appended_partition_2:all::", "-no-emul-boot"];
    return w.iso("hybrid.iso", tree, [...options, ...more, ...gpt, ...efi]);
  };
  const store = { ...STORE, seed: new Seed("one"), madeAt: MADE_AT };

  test("with a store behind it: tables are good, the store is clean, and it starts as before", async () => {
    const iso = hybrid();
    const image = memory(iso);
    const result = await withStore(image, 300e6, store);
    if (!result.ok) throw new Error(JSON.stringify(result.problems));
    const { layout, store: made, mended } = result.value;
    expect(mended).toContain("gpt");
    const written = w.path("with-store.img");
    await writeLayout(layout, written);
    checkTable(written, "gpt");
    expect(made?.freeBytes).toBeGreaterThan(200e6);
    const volume = await cut(layout, made?.startBytes ?? 0, made?.lengthBytes ?? 0);
    expect(run("fsck.exfat", ["-n", volume])).toContain("clean");
    for (const firmware of ["bios", "uefi-x64"] as const) {
      const machine = { firmware, as: "usb", lists: null } as const;
      const { started, log } = await observe(`disc with a store ${firmware}`, written, machine, w.folder);
      expect([firmware, started || log]).toEqual([firmware, true]);
    }
    // Nothing of the disc itself is changed, but the tables.
    const bytes = await new LayoutSource(layout).read(17 * 2048, image.sizeBytes - 64 * 2048);
    expect(Buffer.compare(bytes, await image.read(17 * 2048, image.sizeBytes - 64 * 2048))).toBe(0);
  });

  test("an MBR image keeps its partitions and gets one more", async () => {
    const volume = w.fat("kit.img", 40, 16, { "EFI/BOOT/BOOTX64.EFI": w.efi("x64") });
    const raw = w.mbr("raw.img", 48, "start=2048, size=81920, type=c, bootable", { [MIB]: volume });
    const result = await withStore(memory(raw), 200e6, store);
    if (!result.ok) throw new Error(JSON.stringify(result.problems));
    const written = w.path("mbr-store.img");
    await writeLayout(result.value.layout, written);
    expect(result.value.mended).toEqual(["mbr"]);
    const table = JSON.parse(run("sfdisk", ["--json", written])).partitiontable;
    expect(table.partitions.map((each: { type: string; start: number }) => [each.type, each.start])).toEqual([
      ["c", 2048],
      ["7", 48 * 2048],
    ]);
    checkTable(written, "mbr");
  });

  test("alone, and what stands in the way of a store", async () => {
    const iso = hybrid();
    const plain = asItIs(memory(iso), 300e6);
    // The image, and zeros where a table of before would have had its second copy.
    expect(plain.ok && writtenBytes(plain.value.layout)).toBe(memory(iso).sizeBytes + 34 * 512);
    expect(asItIs(memory(iso), 5e6)).toMatchObject({ problems: [{ code: "device-too-small", bytes: 5e6 }] });
    expect(await withStore(memory(iso), 40e6, store)).toMatchObject({ problems: [{ code: "no-room-for-store" }] });
    const bare = w.iso("bare.iso", { "readme.txt": w.text("bare.txt", "x") }, ["-V", "BARE"]);
    expect(await withStore(memory(bare), 300e6, store)).toMatchObject({ problems: [{ code: "no-table" }] });
    const full = w.path("full-mbr.img");
    copyFileSync(w.mbr("four.img", 20, "size=2048\nsize=2048\nsize=2048\nsize=2048"), full);
    expect(await withStore(memory(full), 300e6, store)).toMatchObject({
      problems: [{ code: "table-full", table: "mbr" }],
    });
  });
});
