import { biosStart } from "@/server/host/bios-start";
import { IMAGES, type ImageName } from "../../../../scripts/demo/images";
import { memory, tempWorkshop } from "../../../../test/support/workshop";
import { FatTree } from "../../formats/fat";
import { openPath } from "../../formats/file-tree";
import { LayoutSource } from "../../formats/pieces";
import { CachedSource, MemorySource, WindowSource } from "../../kernel/source";
import type { Inspection } from "../../medium/inspection/schema";
import { startPathsOf } from "../../medium/inspection/start-paths";
import { DISCS, discsFor } from "./discs";
import { type MediumPlan, type PlanInput, type PlanRequest, planMedium } from "./plan";
import { releaseTree } from "./release-tree";
import { ownMenuOf, startConfig } from "./start-config";

// Disc capacities: the ECMA standards named in discs.ts. Media: made by xorriso, mkfs.fat and mtools.
const w = tempWorkshop();
const about = {
  path: "/CREEL/about.txt",
  content: new MemorySource(new TextEncoder().encode("RM-09\n")),
  modified: null,
};

async function plan(
  image: ImageName | string,
  request: Partial<PlanRequest>,
  more: Partial<PlanInput> = {},
): Promise<MediumPlan> {
  const path = image in IMAGES ? IMAGES[image as ImageName].make(w) : image;
  return planMedium({
    request: { way: "as-it-is", table: "gpt", store: false, tag: "RM-09", ...request },
    image: memory(path),
    name: "release.iso",
    device: { kind: "usb", bytes: 1e9, sectorBytes: 512 },
    bios: await biosStart(),
    pack: [about],
    madeAt: "2026-11-25T12:00:00Z",
    ...more,
  });
}

function works(made: MediumPlan): Extract<MediumPlan, { ok: true }> {
  if (!made.ok) throw new Error(JSON.stringify(made.problems));
  return made;
}

const ways = ({ predicted }: { predicted: Inspection }) =>
  [
    ...new Set(
      startPathsOf(predicted)
        .filter(({ as, problem }) => as === "usb" && problem === null)
        .map(({ firmware, arch }) => `${firmware} ${arch}`),
    ),
  ].sort();

test("a hybrid disc file goes on a stick as it is, and with a store in the rest", async () => {
  const plain = works(await plan("bollard5", { way: "as-it-is" }));
  expect(plain.writtenBytes).toBe(memory(IMAGES.bollard5.make(w)).sizeBytes + 34 * 512);
  expect(plain.notes.map(({ code }) => code)).toEqual(["pack-left-out"]);
  const stored = works(await plan("bollard5", { way: "as-it-is-with-store" }));
  expect(stored.parts).toMatchObject([{ role: "store", filesystem: "exfat" }]);
  expect(ways(stored)).toEqual(ways(plain));
  expect(ways(plain)).toEqual(["bios x86", "uefi ia32", "uefi x64"]);
});

test("the same release laid out starts the same computers, and carries what Creel puts with it", async () => {
  for (const table of ["gpt", "mbr"] as const) {
    const made = works(await plan("bollard5", { way: "laid-out", table, store: true }));
    expect(ways(made)).toEqual(["bios x86", "uefi ia32", "uefi x64"]);
    expect(made.notes).toContainEqual({ code: "bios-by-grub", menu: "/isolinux/isolinux.cfg" });
    const start = made.parts.find(({ role }) => role === "start");
    const source = new CachedSource(
      new WindowSource(new LayoutSource(made.layout), start?.startBytes ?? 0, start?.lengthBytes ?? 0),
    );
    const tree = await FatTree.open(source);
    for (const path of ["/CREEL/about.txt", "/CREEL/start/grub.cfg", "/EFI/BOOT/BOOTX64.EFI", "/isolinux/isolinux.cfg"])
      expect([path, (await openPath(tree as FatTree, path))?.sizeBytes]).toEqual([path, expect.any(Number)]);
  }
});

test("without BIOS stages, or without a menu of its own, it is said that BIOS computers will not start it", async () => {
  const without = works(await plan("bollard5", { way: "laid-out" }, { bios: null }));
  expect(ways(without)).toEqual(["uefi ia32", "uefi x64"]);
  expect(without.notes).toContainEqual({ code: "no-bios-start", why: "no-stages" });
  const bare = w.iso("loader-only.iso", { "EFI/BOOT/BOOTX64.EFI": w.efi("x64") }, ["-V", "BARE"]);
  expect(works(await plan(bare, { way: "laid-out" })).notes).toContainEqual({ code: "no-bios-start", why: "no-menu" });
});

test("a disc file that is not hybrid is not written raw to a stick: it is laid out, or burned", async () => {
  const bare = w.iso("bare.iso", { "EFI/BOOT/BOOTX64.EFI": w.efi("x64") }, ["-V", "BARE"]);
  const refused = await plan(bare, { way: "as-it-is" });
  expect(refused).toMatchObject({ ok: false, problems: [{ code: "not-hybrid" }] });
  expect(refused.ok ? [] : refused.alternatives.map(({ way }) => way)).toEqual(["laid-out"]);
  const burned = await plan(
    bare,
    { way: "disc" },
    { device: { kind: "optical", bytes: 2_298_496 * 2048, sectorBytes: 2048 } },
  );
  expect(burned.ok).toBe(true);
});

test("a disc a sector too small is seen, and which would do", async () => {
  const path = w.blank("large.iso", (2_295_104 * 2048 + 2048) / 1048576);
  const image = {
    sizeBytes: 2_295_104 * 2048 + 1,
    read: memory(w.text("head", "x")).read.bind(memory(w.path("head"))),
  };
  const made = await plan(
    path.slice(0, 0) + w.path("head"),
    { way: "disc" },
    { image, device: { kind: "optical", bytes: 2_295_104 * 2048, sectorBytes: 2048 } },
  );
  expect(made).toMatchObject({
    ok: false,
    problems: [
      {
        code: "disc-too-small",
        neededBytes: 2_295_105 * 2048,
        disc: { name: "DVD+R" },
        larger: [{ name: "DVD-R" }, { name: "DVD-R DL" }, { name: "DVD+R DL" }, { name: "BD-R" }, { name: "BD-R DL" }],
      },
    ],
  });
  expect(discsFor(1).length).toBe(DISCS.length);
});

test("a device that is too small, one that is far larger than the kit, and a stick in a burner's place", async () => {
  expect(
    await plan("bollard5", { way: "as-it-is" }, { device: { kind: "usb", bytes: 2e6, sectorBytes: 512 } }),
  ).toMatchObject({
    ok: false,
    problems: [{ code: "device-too-small", bytes: 2e6 }],
    alternatives: [],
  });
  const large = works(
    await plan("bollard5", { way: "laid-out" }, { device: { kind: "usb", bytes: 64e9, sectorBytes: 512 } }),
  );
  expect(large.notes.map(({ code }) => code)).toContain("room-left");
  expect(await plan("bollard5", { way: "disc" })).toMatchObject({ problems: [{ code: "not-optical" }] });
  expect(
    await plan("bollard5", { way: "laid-out" }, { device: { kind: "optical", bytes: 4.7e9, sectorBytes: 2048 } }),
  ).toMatchObject({
    problems: [{ code: "stick-wanted" }],
    alternatives: [{ way: "disc" }],
  });
});

test("files of a release that lie in its boot image alone are taken along", async () => {
  const esp = w.fat("esp.img", 6, 12, { "EFI/BOOT/BOOTX64.EFI": w.efi("x64") });
  const iso = w.iso("esp.iso", { "boot/readme.txt": w.text("readme", "x"), "esp.img": esp }, [
    "-V",
    "E",
    "-e",
    "esp.img",
    "-no-emul-boot",
  ]);
  const { files } = await releaseTree(memory(iso));
  expect(files.map(({ path }) => path).sort()).toEqual([
    "/EFI/BOOT/BOOTX64.EFI",
    "/boot.catalog",
    "/boot/readme.txt",
    "/esp.img",
  ]);
});

test("menus of releases are found whatever their letter case, and each kind is gone on with", () => {
  expect(ownMenuOf(["/a", "/ISOLINUX/ISOLINUX.CFG"])).toEqual({ kind: "isolinux", path: "/ISOLINUX/ISOLINUX.CFG" });
  expect(ownMenuOf(["/boot/grub/grub.cfg", "/isolinux/isolinux.cfg"])?.kind).toBe("grub");
  expect(ownMenuOf(["/setup.exe"])).toBeNull();
  expect(startConfig({ kind: "pe", path: "/bootmgr" })).toContain('ntldr "/bootmgr"');
  expect(startConfig({ kind: "isolinux", path: "/isolinux/isolinux.cfg" })).toContain(
    '-c "/isolinux" "/isolinux/isolinux.cfg"',
  );
});
