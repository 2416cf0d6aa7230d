import { readKernelImage } from "../../../formats/kernel-image";
import type { PeImage } from "../../../formats/pe";
import { latin1 } from "../../../kernel/fields";
import type { ByteSource } from "../../../kernel/source";
import type { Loader, ProgramKind } from "./view";

/** Larger programs are not looked through for what they say of themselves. */
const NAMED_MAX_BYTES = 2 << 20;
/** Syslinux names the module that it cannot do without (its sources, core/). */
const MODULES = ["ldlinux.e64", "ldlinux.e32"];

/** Rows of a program's SBAT section that say what it is. */
const BY_SBAT: readonly [RegExp, ProgramKind][] = [
  [/^grub$/, "grub"],
  [/^memtest86/, "memory-tester"],
];

/**
 * What a program is. Where it has them, its sections and its SBAT rows tell (the texts published with the shim boot
 * loader); else what its authors left in it: systemd's `LoaderInfo`, the names of the files that it looks for, its
 * greeting. Read off the binaries that Debian ships.
 */
export async function programKindOf(
  content: ByteSource,
  image: PeImage,
  sbat: Loader["sbat"],
): Promise<ProgramKind | null> {
  const hasSection = (name: string) => image.sections.some((each) => each.name === name);
  const rows = sbat?.map(({ component }) => component) ?? [];
  for (const [pattern, kind] of BY_SBAT) if (rows.some((row) => pattern.test(row))) return kind;
  // The first stage carries what it trusts; the programs that are made with it do not.
  if (hasSection(".vendor_cert")) return "first-stage";
  if (hasSection(".linux")) return "unified-kernel";
  if (content.sizeBytes > NAMED_MAX_BYTES) return (await readKernelImage(content)) ? "kernel" : null;
  const text = latin1(await content.read(0, NAMED_MAX_BYTES));
  const has = (words: string) => text.includes(words);
  const hasWide = (words: string) => text.includes([...words].join("\0"));
  if (rows.includes("shim"))
    return hasWide("key management") ? "key-manager" : hasWide("boot.csv") || hasWide("BOOT.CSV") ? "fallback" : null;
  if (has("LoaderInfo: systemd-stub")) return "unified-kernel";
  if (has("LoaderInfo: systemd-boot")) return "boot-manager";
  if (hasWide("\\EFI\\Microsoft\\Boot\\BCD") || hasWide("\\Boot\\BCD")) return "windows-boot-manager";
  if (has("UEFI SHIM\n$Version: ")) return "first-stage";
  if (fixedNextOf(text)) return "fixed-next";
  if (MODULES.some((module) => has(`\0${module}\0`))) return "syslinux";
  if (has("Memtest86+ v")) return "memory-tester";
  if (has("iPXE") && has("ipxe.org")) return "network-boot";
  if (hasWide("UEFI Interactive Shell")) return "shell";
  return (await readKernelImage(content)) ? "kernel" : null;
}

/** Whether a unified kernel has a kernel of Linux in it (its boot protocol: "HdrS" at 0x202; other machines have none). */
export async function hasKernelInside(content: ByteSource, image: PeImage): Promise<boolean> {
  const section = image.sections.find(({ name }) => name === ".linux");
  if (!section) return false;
  if (image.machine !== "x64" && image.machine !== "ia32") return true;
  return latin1(await content.read(section.fileOffset + 0x202, 4)) === "HdrS";
}

/** The file that some first stages look for beside themselves, and give up without (efitools, Loader.c, PreLoader.c). */
function fixedNextOf(text: string): string | null {
  const hasWide = (words: string) => text.includes([...words].join("\0"));
  if (hasWide("\\linux-loader.efi")) return "linux-loader.efi";
  return hasWide("\\loader.efi") && hasWide("\\HashTool.efi") ? "loader.efi" : null;
}

export async function fixedNext(content: ByteSource): Promise<string | null> {
  return fixedNextOf(latin1(await content.read(0, NAMED_MAX_BYTES)));
}
