import { Fields } from "../kernel/fields";
import type { ByteSource } from "../kernel/source";
import { ISO_SECTOR_BYTES } from "./iso9660";

/** El Torito 1.0: the boot catalogue of a disc. */
type ElToritoEmulation = "none" | "floppy-1.2" | "floppy-1.44" | "floppy-2.88" | "hard-disk";

interface ElToritoEntry {
  /** 0 for the default entry, then in the order of the catalogue. */
  index: number;
  /** 0x00 BIOS, 0x01 PowerPC, 0x02 Mac, 0xEF UEFI: of the validation entry or of the section. */
  platform: number;
  /** The boot indicator is 0x88. */
  startable: boolean;
  emulation: ElToritoEmulation | null;
  loadSegment: number;
  /** 512-byte sectors that the firmware loads. */
  sectorCount: number;
  /** In 2,048-byte sectors. */
  startSector: number;
}

export interface ElToritoCatalogue {
  sector: number;
  /** Platform id of the validation entry. */
  platform: number;
  headerId: number;
  /** The 16-bit words of the validation entry add up to zero. */
  checksumRight: boolean;
  /** The validation entry ends in the key bytes 55 AA. */
  keyRight: boolean;
  entries: ElToritoEntry[];
  findings: ("section-header-missing" | "catalogue-too-long")[];
}

const EMULATIONS: readonly ElToritoEmulation[] = ["none", "floppy-1.2", "floppy-1.44", "floppy-2.88", "hard-disk"];
/** One sector holds 64 records; a catalogue longer than four sectors is taken for damage. */
const CATALOGUE_MAX_BYTES = 4 * ISO_SECTOR_BYTES;

/** Reads the catalogue with all its sections; null where it lies outside the medium. */
export async function readElTorito(source: ByteSource, catalogSector: number): Promise<ElToritoCatalogue | null> {
  const bytes = await source.read(catalogSector * ISO_SECTOR_BYTES, CATALOGUE_MAX_BYTES);
  if (bytes.length < 64) return null;
  const fields = new Fields(bytes);
  let sum = 0;
  for (let at = 0; at < 32; at += 2) sum = (sum + fields.u16le(at)) & 0xffff;
  const catalogue: ElToritoCatalogue = {
    sector: catalogSector,
    platform: fields.u8(1),
    headerId: fields.u8(0),
    checksumRight: sum === 0,
    keyRight: fields.u8(30) === 0x55 && fields.u8(31) === 0xaa,
    entries: [decodeEntry(fields, 32, 0, fields.u8(1))],
    findings: [],
  };
  readSections(fields, catalogue);
  return catalogue;
}

/** Section headers 0x90 (more follow) and 0x91 (the last), their entries, and extension records 0x44. */
function readSections(fields: Fields, catalogue: ElToritoCatalogue): void {
  let at = 64;
  while (at + 32 <= fields.length) {
    const header = fields.u8(at);
    if (header !== 0x90 && header !== 0x91) {
      if (header !== 0) catalogue.findings.push("section-header-missing");
      return;
    }
    const platform = fields.u8(at + 1);
    const count = fields.u16le(at + 2);
    at += 32;
    for (let i = 0; i < count; i++) {
      if (at + 32 > fields.length) {
        catalogue.findings.push("catalogue-too-long");
        return;
      }
      catalogue.entries.push(decodeEntry(fields, at, catalogue.entries.length, platform));
      at += 32;
      while (at + 32 <= fields.length && fields.u8(at) === 0x44) at += 32;
    }
    if (header === 0x91) return;
  }
}

function decodeEntry(fields: Fields, at: number, index: number, platform: number): ElToritoEntry {
  return {
    index,
    platform,
    startable: fields.u8(at) === 0x88,
    emulation: EMULATIONS[fields.u8(at + 1) & 0x0f] ?? null,
    loadSegment: fields.u16le(at + 2),
    sectorCount: fields.u16le(at + 6),
    startSector: fields.u32le(at + 8),
  };
}

/** Platform id of a validation entry or section header. El Torito 1.0, 2.1; 0xEF: UEFI 2.10, 13.3.2.1. */
export function elToritoPlatformName(platform: number): string {
  const names: Record<number, string> = { 0: "BIOS", 1: "PowerPC", 2: "Mac", 239: "UEFI" };
  return names[platform] ?? `platform 0x${platform.toString(16)}`;
}
