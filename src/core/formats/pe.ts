import { Fields, hasText, latin1, trimmed } from "../kernel/fields";
import { itemAt } from "../kernel/item-at";
import { type ByteSource, readExactly } from "../kernel/source";

/** PE/COFF, as the Microsoft PE format documentation has it; machine types from its table "Machine Types". */
export type Architecture = "x64" | "ia32" | "aa64" | "arm" | "riscv64";

const MACHINES: Record<number, Architecture> = {
  34404: "x64",
  332: "ia32",
  43620: "aa64",
  450: "arm",
  448: "arm",
  452: "arm",
  20580: "riscv64",
};

/** Subsystem numbers, PE format documentation, "Windows Subsystem". */
export const SUBSYSTEM_EFI_APPLICATION = 10;

type PeFault =
  | "not-pe"
  | "headers-cut"
  | "optional-header-odd"
  | "section-outside-file"
  | "section-outside-image"
  | "certificates-outside-file";

interface PeSection {
  name: string;
  virtualAddress: number;
  virtualBytes: number;
  fileOffset: number;
  fileBytes: number;
}

export interface PeImage {
  /** The file has MZ, PE and an optional header: enough to tell what it is. */
  recognised: boolean;
  /** The raw machine number; null where not recognised. */
  machineNumber: number | null;
  /** Null for a machine type that no UEFI start path has. */
  machine: Architecture | null;
  subsystem: number | null;
  sections: PeSection[];
  /** What keeps a loader of programs from accepting it. Empty where it would. */
  faults: PeFault[];
  /** Where the parts lie that a digest leaves out or treats apart; null where the headers are odd. Byte offsets. */
  layout: PeLayout | null;
}

interface PeLayout {
  checksumAt: number;
  /** The data directory's entry for certificates; null where the file has no such entry. */
  certificateEntryAt: number | null;
  headersBytes: number;
  certificates: { start: number; lengthBytes: number } | null;
}

/** Ceiling for the headers read: real ones are 1 to 4 KiB. */
const HEADERS_MAX_BYTES = 64 * 1024;
const SECTIONS_MAX = 96;

/**
 * Reads the headers and checks what EDK2's image loader checks (BasePeCoffLib, PeCoffLoaderGetImageInfo): the
 * optional header, and that each section and the certificate table end inside the file.
 */
export async function readPe(file: ByteSource): Promise<PeImage> {
  const image: PeImage = {
    recognised: false,
    machineNumber: null,
    machine: null,
    subsystem: null,
    sections: [],
    faults: [],
    layout: null,
  };
  const headers = await file.read(0, HEADERS_MAX_BYTES);
  const fields = new Fields(headers);
  const peAt = headers.length >= 64 && hasText(headers, 0, "MZ") ? fields.u32le(60) : 0;
  // Without a DOS header the PE signature may stand at the very start (EDK2 takes that too).
  if (!hasText(headers, peAt, "PE\0\0")) return { ...image, faults: ["not-pe"] };
  if (peAt + 24 + 70 > headers.length) return { ...image, faults: ["headers-cut"] };
  const optionalAt = peAt + 24;
  const magic = fields.u16le(optionalAt);
  if (magic !== 0x10b && magic !== 0x20b) return { ...image, faults: ["optional-header-odd"] };

  image.recognised = true;
  image.machineNumber = fields.u16le(peAt + 4);
  image.machine = MACHINES[image.machineNumber] ?? null;
  image.subsystem = fields.u16le(optionalAt + 68);
  const faults = new Set<PeFault>();
  const directoriesAt = optionalAt + (magic === 0x20b ? 112 : 96);
  const optionalBytes = fields.u16le(peAt + 20);
  const sectionCount = fields.u16le(peAt + 6);
  const sectionsAt = optionalAt + optionalBytes;
  const headersBytes = fields.u32le(optionalAt + 60);
  const imageBytes = fields.u32le(optionalAt + 56);
  if (directoriesAt > headers.length) return { ...image, faults: ["headers-cut"] };
  const directoryCount = fields.u32le(directoriesAt - 4);
  if (directoryCount > 16 || optionalBytes < directoriesAt - optionalAt + directoryCount * 8)
    faults.add("optional-header-odd");
  if (headersBytes > file.sizeBytes || sectionCount > SECTIONS_MAX || sectionsAt + sectionCount * 40 > headers.length) {
    faults.add("headers-cut");
  }
  if (faults.size === 0) {
    image.layout = { checksumAt: optionalAt + 64, certificateEntryAt: null, headersBytes, certificates: null };
    if (directoryCount > 4) {
      const start = fields.u32le(directoriesAt + 4 * 8);
      const bytes = fields.u32le(directoriesAt + 4 * 8 + 4);
      image.layout = {
        checksumAt: optionalAt + 64,
        certificateEntryAt: directoriesAt + 4 * 8,
        headersBytes,
        certificates: bytes > 0 ? { start, lengthBytes: bytes } : null,
      };
      if (bytes > 0 && (start < headersBytes || start + bytes > file.sizeBytes))
        faults.add("certificates-outside-file");
    }
    for (let i = 0; i < sectionCount; i++) image.sections.push(decodeSection(fields, sectionsAt + i * 40));
    await readLongNames(file, image.sections, fields.u32le(peAt + 12) + fields.u32le(peAt + 16) * 18);
    for (const section of image.sections) {
      if (section.fileBytes > 0 && section.fileOffset + section.fileBytes > file.sizeBytes)
        faults.add("section-outside-file");
      if (section.virtualAddress + section.virtualBytes > imageBytes) faults.add("section-outside-image");
    }
  }
  image.faults = [...faults];
  return image;
}

/** Names of more than 8 characters stand in the string table behind the symbols; the header has "/offset". */
async function readLongNames(file: ByteSource, sections: PeSection[], stringsAt: number): Promise<void> {
  for (const section of sections) {
    const offset = /^\/(\d{1,7})$/.exec(section.name)?.[1];
    if (!offset || stringsAt === 0) continue;
    const bytes = await file.read(stringsAt + Number(offset), LONG_NAME_MAX_BYTES);
    section.name = trimmed(latin1(bytes)) || section.name;
  }
}

const LONG_NAME_MAX_BYTES = 64;

function decodeSection(fields: Fields, at: number): PeSection {
  return {
    name: trimmed(fields.ascii(at, 8)),
    virtualBytes: fields.u32le(at + 8),
    virtualAddress: fields.u32le(at + 12),
    fileBytes: fields.u32le(at + 16),
    fileOffset: fields.u32le(at + 20),
  };
}

export interface SbatRow {
  component: string;
  generation: number;
}

const SBAT_MAX_BYTES = 16 * 1024;

/**
 * The least generations that a first-stage loader brings along and stores where nothing later is stored, as text: the
 * first payload of its `.sbatlevel` section (shim's sbat_var.S: a format version, then offsets from behind it). ""
 * where there is none.
 */
export async function readSbatLevelSection(file: ByteSource, image: PeImage): Promise<string | null> {
  if (!image.sections.some((each) => each.name === ".sbat")) return null;
  const section = image.sections.find((each) => each.name === ".sbatlevel");
  const bytes = section && (await file.read(section.fileOffset, Math.min(section.fileBytes, SBAT_MAX_BYTES)));
  if (!bytes || bytes.length < 12) return "";
  const at = 4 + new Fields(bytes).u32le(4);
  return at < bytes.length ? trimmed(latin1(bytes.subarray(at))) : "";
}

/** The rows of the `.sbat` section: component and generation (the SBAT text published with shim); null without one. */
export async function readSbat(file: ByteSource, image: PeImage): Promise<SbatRow[] | null> {
  const section = image.sections.find((each) => each.name === ".sbat");
  if (!section) return null;
  const bytes = await readExactly(
    file,
    section.fileOffset,
    Math.min(section.virtualBytes || section.fileBytes, section.fileBytes, SBAT_MAX_BYTES),
  );
  if (!bytes) return null;
  return trimmed(latin1(bytes))
    .split("\n")
    .map((line) => line.trim().split(","))
    .filter((cells) => cells.length >= 2 && /^\d+$/.test(itemAt(cells, 1)))
    .map((cells) => ({ component: itemAt(cells, 0), generation: Number(cells[1]) }));
}
