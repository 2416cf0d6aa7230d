import { FatTree } from "../../../formats/fat";
import { checkGptEntries, type GptHeader, readGptHeader } from "../../../formats/gpt";
import { ISO_SECTOR_BYTES } from "../../../formats/iso9660";
import {
  decodeMbr,
  isProtective,
  isUsed,
  MBR_TYPE_EFI_SYSTEM,
  MBR_TYPE_PROTECTIVE,
  type Mbr,
} from "../../../formats/mbr";
import { recogniseVolume } from "../../../formats/recognise";
import { UdfTree } from "../../../formats/udf";
import { Fields, hasText } from "../../../kernel/fields";
import { type ByteSource, readExactly, WindowSource } from "../../../kernel/source";
import type { Place } from "../place";
import { StartFileReader } from "./loader";
import type { Leniency, UefiNote, UefiView, UefiVolume } from "./view";

/**
 * Finds the volumes of a medium as the reference UEFI firmware does (EDK2: PartitionDxe, FatPkg, UdfDxe). Where
 * the specification leaves room, what EDK2 does is followed; each such place says so.
 *
 * `blockBytes` is the sector size of the device: 512 for a stick, 2,048 for a disc.
 */
export async function enumerateUefi(
  source: ByteSource,
  blockBytes: number,
  reader = new StartFileReader(),
): Promise<UefiView> {
  const walk = new Walk(blockBytes, reader);
  const inside = { insideHardDisk: false, insideElTorito: false };
  await walk.connect({ source, place: [], start: 0, blockBytes, ...inside, leniencies: [] });
  return { notes: walk.notes, volumes: walk.volumes };
}

/** A block device that the firmware has made a handle for. */
interface Device {
  source: ByteSource;
  place: Place;
  /** Byte offset on the medium. */
  start: number;
  /** Size of its blocks: the medium's own, and 512 where an El Torito entry emulates a disk of such. */
  blockBytes: number;
  /** It is a partition of a GPT or MBR: tables found in it are read as chains of logical partitions. */
  insideHardDisk: boolean;
  insideElTorito: boolean;
  leniencies: Leniency[];
}

const EFI_SYSTEM = "c12a7328-f81f-11d2-ba4b-00a0c93ec93b";

/** Partitions looked into at most, all levels together, and levels. */
const DEVICES_MAX = 300;
const DEPTH_MAX = 4;

class Walk {
  readonly notes: UefiNote[] = [];
  readonly volumes: UefiVolume[] = [];
  private devices = 0;
  constructor(
    /** Of the medium itself. */
    private readonly blockBytes: number,
    private readonly reader: StartFileReader,
  ) {}

  /** A device is a table of partitions or, where it is none, a volume; tables are tried in EDK2's order. */
  async connect(device: Device): Promise<void> {
    if (device.place.length > DEPTH_MAX || ++this.devices > DEVICES_MAX) return;
    if (this.lastBlock(device) < 0) return;
    const children = (await this.gpt(device)) ?? (await this.disc(device)) ?? (await this.mbr(device));
    if (children) for (const child of children) await this.connect(child);
    else await this.volume(device);
  }

  private lastBlock(device: Device): number {
    return Math.floor(device.source.sizeBytes / device.blockBytes) - 1;
  }

  private child(
    device: Device,
    startBlock: number,
    blocks: number,
    step: Place[number],
    leniencies: Leniency[] = [],
    blockBytes = device.blockBytes,
  ): Device {
    const start = startBlock * device.blockBytes;
    return {
      source: new WindowSource(device.source, start, blocks * device.blockBytes),
      place: [...device.place, step],
      start: device.start + start,
      blockBytes,
      insideHardDisk: step.kind === "gpt" || step.kind === "mbr" || step.kind === "logical",
      insideElTorito: device.insideElTorito || step.kind === "el-torito",
      leniencies: [...device.leniencies, ...leniencies],
    };
  }

  /** UEFI 2.10, 5.3: a protective entry, then either header. EDK2 wants the entry at LBA 1, in any slot, active or not. */
  private async gpt(device: Device): Promise<Device[] | null> {
    const { source, place } = device;
    const sector = await readExactly(source, 0, 512);
    if (!sector) return null;
    const protective = decodeMbr(sector).entries.some(isProtective);
    if (!protective) {
      const stray = await readExactly(source, device.blockBytes, 8);
      if (stray && hasText(stray, 0, "EFI PART")) this.notes.push({ code: "gpt-not-protected", place });
      return null;
    }
    const primary = await readGptHeader(source, 1, device.blockBytes);
    let header: GptHeader;
    if (primary.ok) header = primary.header;
    else {
      // EDK2 looks for the backup in the last sector only, never where the damaged primary says.
      const backup = await readGptHeader(source, this.lastBlock(device), device.blockBytes);
      if (!backup.ok) {
        this.notes.push({ code: "gpt-damaged", place, primary: primary.fault, backup: backup.fault });
        return null;
      }
      header = backup.header;
    }
    this.notes.push({ code: "gpt-used", place, from: primary.ok ? "primary" : "backup" });
    const faults = checkGptEntries(header);
    const children: Device[] = [];
    for (const entry of header.entries) {
      const fault = faults.get(entry.number);
      if (fault) this.notes.push({ code: "gpt-entry-skipped", place, number: entry.number, fault });
      else {
        const lenient: Leniency[] = primary.ok ? [] : ["gpt-backup"];
        if (entry.type !== EFI_SYSTEM) lenient.push("partition-type");
        children.push(
          this.child(
            device,
            entry.startLba,
            entry.endLba - entry.startLba + 1,
            { kind: "gpt", number: entry.number },
            lenient,
          ),
        );
      }
    }
    return children;
  }

  /** El Torito entries and a UDF volume, on whatever device an ISO was copied to. UEFI 2.10, 13.3.2. */
  private async disc(device: Device): Promise<Device[] | null> {
    if (device.insideElTorito) return null;
    const entries = await this.elTorito(device);
    const udf = this.blockBytes === ISO_SECTOR_BYTES ? await UdfTree.open(device.source, ISO_SECTOR_BYTES) : null;
    if (!entries && !udf) return null;
    if (udf) await this.udfVolume(device, udf);
    return entries ?? [];
  }

  private async udfVolume(device: Device, tree: UdfTree): Promise<void> {
    const volume = { filesystem: "udf", start: device.start, length: device.source.sizeBytes } as const;
    this.volumes.push({
      ...volume,
      place: [...device.place, { kind: "udf", number: 1 }],
      label: tree.label,
      leniencies: ["udf"],
      files: await this.reader.read(tree, volume),
    });
  }

  /**
   * EDK2 (PartitionDxe, ElTorito.c) walks the 32-byte records of one block of the catalogue and takes each that is
   * marked 0x88, whatever its platform; section headers are not told from entries. The size of a no-emulation
   * entry counts in blocks of a disc, that of an emulated disk in sectors of 512 bytes; one below 2 means "to the end of
   * the volume".
   */
  private async elTorito(device: Device): Promise<Device[] | null> {
    const { source, place } = device;
    const lastBlock = this.lastBlock(device);
    let volumeBlocks = 0;
    for (let offset = 16 * ISO_SECTOR_BYTES; offset <= lastBlock * this.blockBytes; offset += ISO_SECTOR_BYTES) {
      const descriptor = await readExactly(source, offset, ISO_SECTOR_BYTES);
      if (!descriptor || descriptor[0] === 255 || !hasText(descriptor, 1, "CD001")) return null;
      const fields = new Fields(descriptor);
      if (descriptor[0] === 1) volumeBlocks = fields.u32le(80);
      if (!hasText(descriptor, 7, "EL TORITO SPECIFICATION")) continue;
      const catalogue = await readExactly(source, fields.u32le(71) * ISO_SECTOR_BYTES, ISO_SECTOR_BYTES);
      const refused = catalogue ? catalogueFault(catalogue) : "outside-medium";
      if (!catalogue || refused) {
        this.notes.push({ code: "el-torito-refused", place, fault: refused ?? "outside-medium" });
        continue;
      }
      const children = this.catalogueEntries(device, new Fields(catalogue), volumeBlocks, lastBlock);
      if (children.length > 0) {
        this.notes.push({ code: "el-torito-used", place, entries: children.length });
        return children;
      }
      this.notes.push({ code: "el-torito-refused", place, fault: "nothing-startable" });
    }
    return null;
  }

  private catalogueEntries(device: Device, fields: Fields, volumeBlocks: number, lastBlock: number): Device[] {
    const children: Device[] = [];
    const perSector = ISO_SECTOR_BYTES / this.blockBytes;
    for (let index = 1; index < this.blockBytes / 32; index++) {
      const at = index * 32;
      const startSector = fields.u32le(at + 8);
      if (fields.u8(at) !== 0x88 || startSector === 0) continue;
      const startBlock = startSector * perSector;
      const blocks = this.entryBlocks(fields, at, startBlock, volumeBlocks, lastBlock);
      const lenient: Leniency[] = this.blockBytes === ISO_SECTOR_BYTES ? [] : ["el-torito-on-stick"];
      if (this.platformAt(fields, index) !== 0xef) lenient.push("el-torito-platform");
      const emulation = fields.u8(at + 1);
      if (emulation !== 0) lenient.push("el-torito-emulation");
      // What is emulated has sectors of a disk; an image without emulation, or of an unknown kind, those of the medium.
      const unitBytes = emulation >= 1 && emulation <= 4 ? 512 : this.blockBytes;
      const step = { kind: "el-torito" as const, number: children.length };
      children.push(this.child(device, startBlock, blocks, step, lenient, unitBytes));
    }
    return children;
  }

  /** The platform of the nearest section header before a record, or of the validation entry. */
  private platformAt(fields: Fields, index: number): number {
    for (let above = index - 1; above > 0; above--) {
      const header = fields.u8(above * 32);
      if (header === 0x90 || header === 0x91) return fields.u8(above * 32 + 1);
    }
    return fields.u8(1);
  }

  private entryBlocks(fields: Fields, at: number, startBlock: number, volumeBlocks: number, lastBlock: number): number {
    const floppySectors: Record<number, number> = { 1: 80 * 2 * 15, 2: 80 * 2 * 18, 3: 80 * 2 * 36 };
    const emulation = fields.u8(at + 1);
    const isKnown = emulation <= 4;
    const sectors = isKnown ? (floppySectors[emulation] ?? fields.u16le(at + 6)) : 0;
    const unitBytes = emulation === 0 || !isKnown ? this.blockBytes : 512;
    // Counted as on a disc, whatever the medium's own blocks: on a stick each counts four times.
    const perSector = ISO_SECTOR_BYTES / this.blockBytes;
    if (sectors >= 2) return Math.ceil((sectors * perSector * unitBytes) / this.blockBytes);
    // To the end of the volume, or of the medium where that is shorter.
    const volumeEnd = volumeBlocks * perSector;
    return Math.max(1, Math.min(volumeEnd, lastBlock + 1) - startBlock);
  }

  /** UEFI 2.10, 5.2.1. One entry past the end or overlapping voids the whole table (EDK2, PartitionValidMbr). */
  private async mbr(device: Device): Promise<Device[] | null> {
    const sector = await readExactly(device.source, 0, 512);
    if (!sector) return null;
    const table = decodeMbr(sector);
    const used = table.entries.filter(isUsed);
    if (used.length === 0) return null;
    if (!table.signed) {
      if (device.place.length === 0) this.notes.push({ code: "mbr-unsigned", place: device.place });
      return null;
    }
    const bad = firstBadEntry(table, this.lastBlock(device));
    if (bad) {
      // A boot sector's own code reads as a nonsense table; only a medium's first sector is worth a note.
      if (device.place.length === 0) this.notes.push({ code: "mbr-void", place: device.place, ...bad });
      return null;
    }
    if (device.insideHardDisk) return this.logical(device);
    const children = used
      .filter((entry) => entry.type !== MBR_TYPE_PROTECTIVE)
      .map((entry) =>
        this.child(
          device,
          entry.startLba,
          entry.sectors,
          { kind: "mbr", number: entry.slot },
          entry.type === MBR_TYPE_EFI_SYSTEM ? [] : ["partition-type"],
        ),
      );
    this.notes.push({ code: "mbr-used", place: device.place, partitions: children.length });
    return children;
  }

  /** The chain of tables inside a partition of whatever type: EDK2 asks only the link's type, not the holder's. */
  private async logical(device: Device): Promise<Device[] | null> {
    const children: Device[] = [];
    const blocks = this.lastBlock(device) + 1;
    const seen = new Set<number>();
    let at = 0;
    while (at < blocks && !seen.has(at) && children.length < DEVICES_MAX) {
      seen.add(at);
      const sector = await readExactly(device.source, at * device.blockBytes, 512);
      if (!sector) break;
      const [own, next] = decodeMbr(sector).entries as [Mbr["entries"][number], Mbr["entries"][number]];
      if (own.sectors === 0) break;
      if (own.type === 0x05 || own.type === 0x0f) {
        at = own.startLba;
        continue;
      }
      const start = at + own.startLba;
      if (start + own.sectors - 1 >= blocks || start <= 0) break;
      children.push(
        this.child(device, start, own.sectors, { kind: "logical", number: 5 + children.length }, ["logical-partition"]),
      );
      if ((next.type !== 0x05 && next.type !== 0x0f) || next.startLba === 0) break;
      at = next.startLba;
    }
    return children.length > 0 ? children : null;
  }

  private async volume(device: Device): Promise<void> {
    const { source, place } = device;
    const fat = await FatTree.open(source);
    if (fat && !fat.geometry.tooFewClusters) {
      const volume = { filesystem: fat.geometry.kind, start: device.start, length: source.sizeBytes };
      this.volumes.push({
        ...volume,
        place,
        label: fat.label,
        leniencies: fat.geometry.signed ? device.leniencies : [...device.leniencies, "boot-sector-unsigned"],
        files: await this.reader.read(fat, volume),
      });
    } else if (fat) this.notes.push({ code: "fat-too-few-clusters", place, clusters: fat.geometry.clusterCount });
    else this.notes.push({ code: "volume-not-read", place, filesystem: (await recogniseVolume(source)).kind });
  }
}

function catalogueFault(catalogue: Uint8Array): "header" | "checksum" | null {
  const fields = new Fields(catalogue);
  if (fields.u8(0) !== 1 || fields.u16le(30) !== 0xaa55) return "header";
  let sum = 0;
  for (let at = 0; at < 32; at += 2) sum = (sum + fields.u16le(at)) & 0xffff;
  return sum === 0 ? null : "checksum";
}

/** The first entry that makes EDK2 drop the table, as it would find it. */
export function firstBadEntry(
  table: Mbr,
  lastBlock: number,
): { fault: "entry-past-end" | "entries-overlap"; slot: number } | null {
  const used = table.entries.filter(isUsed);
  for (const [index, entry] of used.entries()) {
    const end = entry.startLba + entry.sectors - 1;
    if (end > lastBlock) return { fault: "entry-past-end", slot: entry.slot };
    for (const other of used.slice(index + 1)) {
      const otherEnd = other.startLba + other.sectors - 1;
      if (otherEnd >= entry.startLba && other.startLba <= end) return { fault: "entries-overlap", slot: other.slot };
    }
  }
  return null;
}
