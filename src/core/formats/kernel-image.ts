import { Fields, hasText, latin1, trimmed } from "../kernel/fields";
import { itemAt } from "../kernel/item-at";
import { type ByteSource, readExactly } from "../kernel/source";
import { readPe } from "./pe";

export interface KernelImage {
  /** As the kernel says: "6.1.0-18-amd64 (…) #1 SMP …"; the first word is the release. */
  version: string;
  release: string;
  arch: "x86" | "other";
}

const TEXT_MAX_BYTES = 512;

/**
 * The version that a kernel image carries: in the header of x86 images (the kernel's Documentation/arch/x86/boot.rst,
 * "kernel_version"), or in the `.uname` section of a unified image (the UAPI Group's UKI specification). Null where it
 * is neither.
 */
export async function readKernelImage(file: ByteSource): Promise<KernelImage | null> {
  const head = await readExactly(file, 0x1f1, 0x40);
  if (head && hasText(head, 0x202 - 0x1f1, "HdrS")) {
    const pointer = new Fields(head).u16le(0x20e - 0x1f1);
    const text = pointer === 0 ? "" : trimmed(latin1(await file.read(pointer + 0x200, TEXT_MAX_BYTES)));
    return text ? { version: text, release: firstWord(text), arch: "x86" } : null;
  }
  const image = await readPe(file);
  const section = image.sections.find((each) => each.name === ".uname");
  if (!section) return null;
  const text = trimmed(latin1(await file.read(section.fileOffset, Math.min(section.fileBytes, TEXT_MAX_BYTES))));
  return text ? { version: text, release: firstWord(text), arch: image.machine === "x64" ? "x86" : "other" } : null;
}

function firstWord(text: string): string {
  return itemAt(text.split(/\s/, 1), 0);
}
