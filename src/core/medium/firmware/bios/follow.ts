import { ISO_SECTOR_BYTES } from "../../../formats/iso9660";
import { decodeMbr } from "../../../formats/mbr";
import { Fields, hasText, latin1 } from "../../../kernel/fields";
import { type ByteSource, readExactly, WindowSource } from "../../../kernel/source";
import { followBootmgr, followBootmgrDisc } from "./bootmgr";
import { followGrub, followGrubDisc } from "./grub";
import { followGrubLegacy, followGrubLegacyDisc } from "./grub-legacy";
import { type Drive, driveOf, geometryOf, type Outcome, type Run, SECTOR_BYTES, stop } from "./machine";
import { isSigned, recogniseStartCode } from "./start-code";
import { followIsolinux, followIsolinuxHybrid, followSyslinux } from "./syslinux";
import {
  type Choice,
  chooseByChs,
  chooseFirstActive,
  chooseLegacyGpt,
  chooseNumbered,
  chooseOnlyActive,
  chooseValidActive,
  type Target,
} from "./tables";
import type { BiosView } from "./view";

/**
 * A stick: sector 0 runs if it ends in 55 AA (common practice; the reference BIOS checks nothing else). One with other
 * sectors than of 512 bytes is not started (SeaBIOS, usb-msc.c; BIOS calls read sectors of 512 bytes).
 */
export async function followStick(source: ByteSource, sectorBytes = SECTOR_BYTES): Promise<BiosView> {
  const run: Run = { steps: [], leniencies: new Set() };
  if (sectorBytes !== SECTOR_BYTES) return finish(run, stop(run, { code: "sectors-too-large", bytes: sectorBytes }));
  const sector = await readExactly(source, 0, SECTOR_BYTES);
  if (!sector || geometryOf(sector, driveOf(source).sectors).cylinders === 0)
    return finish(run, stop(run, { code: "medium-too-short" }));
  if (!isSigned(sector)) return finish(run, stop(run, { code: "sector-unsigned", place: [] }));
  const outcome = await runSector(run, driveOf(source), sector, null);
  // Some firmware wants an active partition before it calls a stick startable (common practice): noted, not judged.
  if (!decodeMbr(sector).entries.some((entry) => entry.indicator === 0x80)) run.leniencies.add("no-active-partition");
  return finish(run, outcome);
}

/**
 * A disc: the default entry of the El Torito catalogue that sector 17 names. The reference BIOS (SeaBIOS, cdrom.c)
 * asks for header 1, platform 0 and indicator 0x88, and does not add up the checksum.
 */
export async function followDisc(source: ByteSource): Promise<BiosView> {
  const run: Run = { steps: [], leniencies: new Set() };
  return finish(run, await runDisc(run, source));
}

function finish(run: Run, outcome: Outcome): BiosView {
  return { steps: run.steps, outcome, leniencies: [...run.leniencies] };
}

async function runDisc(run: Run, source: ByteSource): Promise<Outcome> {
  const record = await readExactly(source, 17 * ISO_SECTOR_BYTES, ISO_SECTOR_BYTES);
  if (!record || record[0] !== 0 || !hasText(record, 1, "CD001\x01EL TORITO SPECIFICATION"))
    return stop(run, { code: "no-boot-record" });
  const catalogue = await readExactly(source, new Fields(record).u32le(71) * ISO_SECTOR_BYTES, ISO_SECTOR_BYTES);
  if (!catalogue) return stop(run, { code: "catalogue-outside" });
  const fields = new Fields(catalogue);
  // The order is the firmware's own: the first of these that does not fit is the one that it would stop at.
  if (fields.u8(0) !== 1) return stop(run, { code: "catalogue-header" });
  if (fields.u8(1) !== 0) return stop(run, { code: "default-entry-platform", platform: fields.u8(1) });
  if (fields.u8(32) !== 0x88) return stop(run, { code: "default-entry-not-startable" });
  if (!addsUp(fields)) run.leniencies.add("catalogue-checksum");
  return runDefaultEntry(run, source, fields);
}

function addsUp(catalogue: Fields): boolean {
  let sum = 0;
  for (let at = 0; at < 32; at += 2) sum = (sum + catalogue.u16le(at)) & 0xffff;
  return sum === 0;
}

/** Sizes of the floppies that media types 1 to 3 stand for, in 512-byte sectors (El Torito 1.0, figure 4). */
const FLOPPY_SECTORS: Record<number, number> = { 1: 2400, 2: 2880, 3: 5760 };

async function runDefaultEntry(run: Run, source: ByteSource, catalogue: Fields): Promise<Outcome> {
  const emulation = catalogue.u8(33);
  const sectors = catalogue.u16le(38);
  const sector = catalogue.u32le(40);
  const start = sector * ISO_SECTOR_BYTES;
  // The count is in 512-byte sectors whatever the disc's are; with an emulation only the first sector is loaded.
  const loadedBytes = emulation === 0 ? Math.ceil(sectors / 4) * ISO_SECTOR_BYTES : ISO_SECTOR_BYTES;
  if (loadedBytes === 0) return stop(run, { code: "default-entry-empty" });
  const image = await readExactly(source, start, loadedBytes);
  if (!image) return stop(run, { code: "default-entry-outside", sector });
  run.steps.push({
    code: "default-entry-loaded",
    sector,
    emulation: ["none", "floppy", "floppy", "floppy", "hard disk"][emulation] ?? "unknown",
  });
  const place = [{ kind: "el-torito" as const, number: 0 }];
  if (emulation === 0) return runDiscImage(run, { ...driveOf(source), place }, image, start);
  const floppy = FLOPPY_SECTORS[emulation];
  run.leniencies.add(floppy ? "floppy-emulation" : "hard-disk-emulation");
  const emulated = floppy
    ? new WindowSource(source, start, floppy * SECTOR_BYTES)
    : new WindowSource(source, start, source.sizeBytes);
  return runSector(run, driveOf(emulated, place, source), image.subarray(0, SECTOR_BYTES), null);
}

function runDiscImage(run: Run, drive: Drive, image: Uint8Array, start: number): Promise<Outcome> | Outcome {
  const program = recogniseStartCode(image);
  run.steps.push({ code: "start-code", place: drive.place, program });
  if (program === "isolinux") return followIsolinux(run, drive, start, image);
  if (program === "grub-disc") return followGrubDisc(run, drive, image);
  if (program === "bootmgr-disc") return followBootmgrDisc(run, drive);
  if (program === "grub-legacy") return followGrubLegacyDisc(run, drive, image, start);
  // Code that is not known may start or not: unknown, and not a failure.
  return program === "blank" || program === "format-stub" || program === "kernel-stub" ? "stops" : "unknown";
}

/** Hand-overs from sector to sector that are followed; real media have two. */
const HANDOVERS_MAX = 4;

/** Runs the code in a first sector: of the drive (`target` null) or of the partition handed over to. */
async function runSector(run: Run, drive: Drive, sector: Uint8Array, target: Target | null): Promise<Outcome> {
  // Sectors that hand over in a circle end here.
  if (run.steps.filter((step) => step.code === "start-code").length >= HANDOVERS_MAX)
    return stop(run, { code: "too-many-steps" }, "unknown");
  const program = recogniseStartCode(sector);
  const place = target ? [...drive.place, target.step] : drive.place;
  run.steps.push({ code: "start-code", place, program });
  const next = (choice: Choice) =>
    "outcome" in choice ? choice.outcome : handOver(run, drive, choice.target, program !== "classic-chs");
  switch (program) {
    case "classic-strict":
      return next(await chooseOnlyActive(run, drive, sector));
    case "classic-windows":
      return next(chooseValidActive(run, drive, sector));
    case "bootmgr-sector":
      return followBootmgr(run, { ...drive, place }, target);
    case "classic-first-active":
      return next(chooseFirstActive(run, drive, sector));
    case "classic-chs":
      return next(chooseByChs(run, drive, sector));
    case "classic-numbered":
      return next(await chooseNumbered(run, drive, sector));
    case "gpt-legacy":
      return next(await chooseLegacyGpt(run, drive));
    case "grub":
    case "grub-hybrid":
      return followGrub(run, { ...drive, place }, sector, program);
    case "grub-legacy":
      return followGrubLegacy(run, { ...drive, place }, sector);
    case "memory-tester":
      return followMemoryTester(run, { ...drive, place }, sector, target);
    case "isolinux-hybrid":
      return followIsolinuxHybrid(run, { ...drive, place }, sector, target?.startSector ?? 0);
    case "syslinux": {
      // Without a hand-over the sector count before the volume comes from its own boot sector (hidden sectors).
      const startSector = target ? target.startSector : new Fields(sector).u32le(28);
      const start = target ? target.startSector * SECTOR_BYTES : 0;
      const source = new WindowSource(
        drive.source,
        start,
        target ? target.sectors * SECTOR_BYTES : drive.source.sizeBytes,
      );
      return followSyslinux(run, drive, { startSector, source, place }, sector);
    }
    case "blank":
    case "format-stub":
    case "kernel-stub":
      return "stops";
    case "isolinux":
    case "grub-disc":
    case "bootmgr-disc":
    case "unknown":
      return "unknown";
  }
}

/**
 * Memtest86+ as its own floppy: so many sectors of set-up, then the program, which it reads from the first floppy drive
 * whatever it was started from (its sources, boot/bootsect.S).
 */
async function followMemoryTester(run: Run, drive: Drive, sector: Uint8Array, target: Target | null): Promise<Outcome> {
  const { place } = drive;
  const program = "memory-tester" as const;
  const fields = new Fields(sector);
  // The kernel's boot protocol: sectors of set-up at 0x1f1, size of the program in units of 16 bytes at 0x1f4.
  const wantedBytes = (1 + fields.u8(0x1f1)) * SECTOR_BYTES + fields.u32le(0x1f4) * 16;
  const start = (target?.startSector ?? 0) * SECTOR_BYTES;
  const onDisk = programOnDisk(sector);
  // Put before a disc by its hybrid first sector, it reads itself from where that one was told.
  if (onDisk)
    return onDisk.sector + onDisk.sectors <= drive.sectors
      ? stop(run, { code: "core-runs", place, program }, "starts")
      : stop(run, { code: "core-cut", place, program, sector: onDisk.sector });
  if (!run.leniencies.has("floppy-emulation")) return stop(run, { code: "reads-floppy", place, program });
  if (start + wantedBytes > drive.source.sizeBytes)
    return stop(run, { code: "core-cut", place, program, sector: start / SECTOR_BYTES });
  return stop(run, { code: "core-runs", place, program }, "starts");
}

/** `mov cx, units of 32 sectors' sixteenths; add cx, 31; shr cx, 5`, and the address that was patched in at 432. */
function programOnDisk(sector: Uint8Array): { sector: number; sectors: number } | null {
  const text = latin1(sector);
  const at = text.indexOf("\x83\xc1\x1f\xc1\xe9\x05") - 2;
  if (at < 1 || !text.includes("Disk read failed")) return null;
  const fields = new Fields(sector);
  return { sector: fields.u32le(432), sectors: (fields.u16le(at) + 31) >> 5 };
}

async function handOver(run: Run, drive: Drive, target: Target, wantsSignature: boolean): Promise<Outcome> {
  const place = [...drive.place, target.step];
  const sector = await readExactly(
    drive.source,
    (target.codeSector ?? target.startSector) * SECTOR_BYTES,
    SECTOR_BYTES,
  );
  if (!sector) return stop(run, { code: "partition-outside", place });
  // Classic start code asks for 55 AA before it jumps; code by CHS does not look.
  if (wantsSignature && !isSigned(sector)) return stop(run, { code: "sector-unsigned", place });
  return runSector(run, drive, sector, target);
}
