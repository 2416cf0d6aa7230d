import { existsSync, readdirSync } from "node:fs";
import { memory, tempWorkshop } from "../../../../../test/support/workshop";
import { readPe, readSbat } from "../../../formats/pe";
import { programKindOf } from "./program-kind";
import type { ProgramKind } from "./view";

// Programs as Debian's packages ship them.
const w = tempWorkshop();
const kernel = readdirSync("/boot").find((name) => name.startsWith("vmlinuz-"));

test.each<[ProgramKind | null, string]>([
  ["first-stage", "/usr/lib/shim/shimx64.efi.signed"],
  ["fallback", "/usr/lib/shim/fbx64.efi.signed"],
  ["key-manager", "/usr/lib/shim/mmx64.efi.signed"],
  ["boot-manager", "/usr/lib/systemd/boot/efi/systemd-bootx64.efi"],
  ["unified-kernel", "/usr/lib/systemd/boot/efi/linuxx64.efi.stub"],
  ["grub", "/usr/lib/grub/x86_64-efi-signed/grubx64.efi.signed"],
  ["syslinux", "/usr/lib/SYSLINUX.EFI/efi64/syslinux.efi"],
  ["syslinux", "/usr/lib/SYSLINUX.EFI/efi32/syslinux.efi"],
  ["fixed-next", "/usr/lib/efitools/x86_64-linux-gnu/Loader.efi"],
  [null, "/usr/lib/efitools/x86_64-linux-gnu/HelloWorld.efi"],
  ["memory-tester", "/boot/memtest86+x64.efi"],
  ["network-boot", "/boot/ipxe.efi"],
  ["kernel", `/boot/${kernel}`],
])("%s: %s", async (kind, file) => {
  expect(existsSync(file)).toBe(true);
  const content = memory(file);
  const image = await readPe(content);
  expect(await programKindOf(content, image, await readSbat(content, image))).toBe(kind);
});

test("GRUB without rows of its own is told from nothing that it says", async () => {
  const content = memory(w.efi("x64"));
  const image = await readPe(content);
  expect(await programKindOf(content, image, await readSbat(content, image))).toBeNull();
});
