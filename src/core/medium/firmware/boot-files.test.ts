import { writeFileSync } from "node:fs";
import { hive } from "../../../../test/support/hive";
import { memory, tempWorkshop } from "../../../../test/support/workshop";
import { readBootStore } from "../../formats/boot-store";
import { FatTree } from "../../formats/fat";
import { inspect } from "../inspection/inspect";
import { followDisc, followStick } from "./bios/follow";
import { loadProblem } from "./uefi/choose";
import { enumerateUefi } from "./uefi/enumerate";

// Stores are written by hivexregedit after Microsoft's "BCD reference"; boot sectors hold the published messages and names
// alone, since those of Windows may not be shipped. What they load is never started here.
const w = tempWorkshop();
const ENTRY = "{7619dcc9-fafe-11d9-b411-000476eba25f}";
const OPTIONS = "{7619dcc8-fafe-11d9-b411-000476eba25f}";
const texts = (values: string[]) => [...Buffer.from(`${values.join("\0")}\0\0`, "utf16le")];
const hexOf = (bytes: Iterable<number>) => [...bytes].map((byte) => byte.toString(16).padStart(2, "0")).join(",");

/** A device's description: numbers that nobody publishes, and the path as text. */
const device = (path: string) =>
  Buffer.concat([Buffer.alloc(32, 3), Buffer.from(`${path}\0`, "utf16le"), Buffer.alloc(48)]);

function store(name: string, archive: string | null): string {
  const objects = String.raw`HKEY\Objects`;
  const manager = `${objects}\\{9dea862c-5cdd-4e70-acc1-f32b344d4795}\\Elements`;
  const escaped = (path: string) => path.replaceAll("\\", "\\\\");
  return hive(
    w,
    name,
    `
[${manager}\\23000003]
"Element"="${ENTRY}"

[${manager}\\24000001]
"Element"=hex(7):${hexOf(texts([ENTRY]))}

[${manager}\\25000004]
"Element"=hex:1e,00,00,00,00,00,00,00

[${objects}\\${ENTRY}\\Elements\\11000001]
"Element"=hex:${hexOf(archive === null ? Buffer.alloc(72, 6) : device(archive))}

[${objects}\\${ENTRY}\\Elements\\12000002]
"Element"="${escaped(String.raw`\windows\system32\boot\winload.exe`)}"

[${objects}\\${ENTRY}\\Elements\\12000004]
"Element"="Kit"

[${objects}\\${OPTIONS}\\Elements\\32000004]
"Element"="${escaped(String.raw`\boot\boot.sdi`)}"
`,
  );
}

const BCD = store("BCD", String.raw`\sources\boot.wim`);

test("a store: its default entry, what that starts, and how long it waits", async () => {
  expect(await readBootStore(memory(BCD))).toEqual({
    entries: [
      {
        ...{ id: ENTRY, description: "Kit", path: String.raw`\windows\system32\boot\winload.exe` },
        ...{ archive: String.raw`\sources\boot.wim`, sdi: String.raw`\boot\boot.sdi` },
      },
    ],
    defaultId: ENTRY,
    timeoutSeconds: 30,
  });
  expect(await readBootStore(memory(w.text("none", "no store")))).toBeNull();
  const other = await readBootStore(memory(hive(w, "other", String.raw`[HKEY\Software]`)));
  expect(other).toBeNull();
});

type Files = Record<string, string>;
const whole = (): Files => ({
  bootmgr: w.text("bootmgr", "boot manager"),
  "boot/BCD": BCD,
  "boot/boot.sdi": w.text("boot.sdi", "image"),
  "sources/boot.wim": w.text("boot.wim", "archive"),
});
const without = (...paths: string[]): Files =>
  Object.fromEntries(Object.entries(whole()).filter(([path]) => !paths.includes(path)));

/** A stick with one active partition of FAT32 and the boot sector of Windows, as far as Creel reads it. */
function stick(files: Files, { active = true, odd = false } = {}): string {
  const volume = w.fat("bootmgr.vol", 40, 32, files, ["-s", "1", "-h", "2048"]);
  const sector = w.bytes(volume).subarray(0, 512);
  sector.fill(0, 0x5a, 510);
  sector.write("BOOTMGR    ", 0x170, "latin1");
  sector.write("\r\nDisk error\xff\r\nPress any key to restart\r\n", 0x1ac, "latin1");
  w.put(volume, 0, sector);
  const image = w.mbr("bootmgr.img", 42, `2048,81920,c${active ? ",*" : ""}`, { 1048576: volume });
  const first = Buffer.alloc(440);
  first.write("Invalid partition table\0Error loading operating system\0Missing operating system\0", 0x163, "latin1");
  w.put(image, 0, first);
  if (odd) w.put(image, 446 + 16, new Uint8Array([0x80]));
  return image;
}

const end = async (image: string) => {
  const { outcome, steps } = await followStick(memory(image));
  const last = steps.at(-1);
  return [outcome, last?.code, last && "file" in last ? last.file : null];
};

test("a stick by BIOS: the first sector, the boot sector, the boot manager, its store and what that names", async () => {
  expect(await end(stick(whole()))).toEqual(["starts", "core-runs", null]);
  expect(await end(stick(without("bootmgr")))).toEqual(["stops", "boot-store", "/bootmgr"]);
  expect(await end(stick(without("boot/BCD")))).toEqual(["stops", "boot-store", "/Boot/BCD"]);
  expect(await end(stick(without("sources/boot.wim")))).toEqual(["stops", "boot-store", "/sources/boot.wim"]);
  expect(await end(stick(without("boot/boot.sdi")))).toEqual(["stops", "boot-store", "/boot/boot.sdi"]);
  expect(await end(stick({ ...whole(), "boot/BCD": w.text("damaged", "regf and nothing more") }))).toEqual([
    ...["stops", "boot-store", "/Boot/BCD"],
  ]);
  expect(await end(stick({ ...whole(), "boot/BCD": store("disk", null) }))).toEqual([
    ...["unknown", "boot-store", "/Boot/BCD"],
  ]);
});

test("its first sector wants one active partition, and no odd marks beside it", async () => {
  expect(await end(stick(whole(), { active: false }))).toEqual(["stops", "no-active-partition", null]);
  expect(await end(stick(whole(), { odd: true }))).toEqual(["stops", "several-active-partitions", null]);
});

test("a disc by BIOS finds the boot manager in its tree", async () => {
  const image = w.path("boot.bin");
  const code = Buffer.alloc(4096);
  code.set([0xfa, 0x33, 0xc0]);
  code.write("CDBOOT: Couldn't find BOOTMGR\r\n", 0x300, "latin1");
  writeFileSync(image, code);
  const disc = (name: string, files: Files) =>
    w.iso(name, { "boot/etfsboot.com": image, ...files }, [
      "-b",
      "boot/etfsboot.com",
      "-no-emul-boot",
      "-boot-load-size",
      "8",
    ]);
  expect((await followDisc(memory(disc("whole.iso", whole())))).outcome).toBe("starts");
  const lacking = await followDisc(memory(disc("lacking.iso", without("sources/boot.wim"))));
  expect([lacking.outcome, lacking.steps.at(-1)?.code]).toEqual(["stops", "boot-store"]);
});

test("UEFI: the boot manager as first program, by its own store", async () => {
  // A program that names the store, as the boot manager does: ours, with the name behind it.
  const program = w.path("manager.efi");
  const name = Buffer.from(String.raw`\EFI\Microsoft\Boot\BCD`, "utf16le");
  writeFileSync(program, Buffer.concat([w.bytes(w.efi("x64")), Buffer.alloc(64), name]));
  const problem = async (files: Files) => {
    const image = w.fat("uefi.img", 40, 16, { "EFI/BOOT/BOOTX64.EFI": program, ...files }, ["-s", "4"]);
    expect(await FatTree.open(memory(image))).not.toBeNull();
    const start = (await enumerateUefi(memory(image), 512)).volumes[0]?.files.x64;
    return [start?.loader.kind, start && loadProblem(start, "x64")];
  };
  const kind = "windows-boot-manager";
  const here: Files = { "EFI/Microsoft/Boot/BCD": BCD, ...without("boot/BCD") };
  expect(await problem(here)).toEqual([kind, null]);
  expect(await problem(without("boot/BCD"))).toMatchObject([
    kind,
    { code: "next-missing", expected: "/EFI/Microsoft/Boot/BCD" },
  ]);
  const { "sources/boot.wim": _archive, ...lacking } = here;
  expect(await problem(lacking)).toMatchObject([kind, { code: "next-missing", expected: "/sources/boot.wim" }]);
});

test("a store that names a file which is not there, or is damaged, is told of the medium", async () => {
  const told = async (files: Files) => {
    const { inspection } = await inspect(memory(stick(files)), { name: "stick.img" });
    return inspection.findings.filter(({ code }) => code.startsWith("boot-store"));
  };
  expect(await told(whole())).toEqual([]);
  expect(await told(without("sources/boot.wim"))).toEqual([
    { code: "boot-store-names-missing", store: "/Boot/BCD", file: "/sources/boot.wim" },
  ]);
  expect(await told({ ...whole(), "boot/BCD": w.text("cut", "regf and no more") })).toEqual([
    { code: "boot-store-damaged", store: "/Boot/BCD" },
  ]);
  // A medium without a store has none that is broken.
  expect(await told(without("boot/BCD"))).toEqual([]);
});
