import { z } from "zod";
import { flag, isRecord, statedText, wholeNumber } from "../../kernel/stated-values";
import { type PartialDisk, type PartialFacts, pathPart } from "../facts/paths";
import { roleOfType } from "../facts/roles";
import { type FORMS, uuidOf } from "../facts/schema";
import type { DocumentNote, Told } from "./document";

/**
 * `creel.cim/1`: what a Windows says of itself, as its documented classes and registry values have it; see
 * `collect/creel-collect.ps1`, which does no more than ask. Microsoft, "CIM Win32 provider", "Storage Management API
 * classes", "Win32_EncryptableVolume"; numbers below are theirs.
 */
const CIM_SCHEMA = "creel.cim/1";

type Row = Record<string, unknown>;
const rows = z
  .unknown()
  .transform((value): Row[] => (Array.isArray(value) ? value : [value]).slice(0, ROWS_MAX).filter(isRecord));
const ROWS_MAX = 5_000;
const named = <T extends z.ZodType>(schema: T) => z.record(z.string().max(200), schema).catch({});

const cimSchema = z.object({
  schema: z.literal(CIM_SCHEMA),
  at: z.iso.datetime({ offset: true }).nullish().catch(null),
  by: z.string().max(100).nullish().catch(null),
  tag: z.string().max(60).nullish().catch(null),
  /** The language of the system's texts, such as "en-GB". */
  culture: z.string().max(35).nullish().catch(null),
  classes: named(rows),
  registry: named(z.unknown()),
  /** EFI variables as Get-SecureBootUEFI gives them, base64; null where it could not be read. */
  variables: named(
    z
      .string()
      .max(1 << 20)
      .nullish()
      .catch(null),
  ),
  /** What Confirm-SecureBootUEFI said: true, false, or null where the platform has no such thing. */
  secureBoot: z.boolean().nullish().catch(null),
});
type Cim = z.infer<typeof cimSchema>;

export function isCim(value: unknown): boolean {
  return isRecord(value) && value.schema === CIM_SCHEMA;
}

/** Win32_Processor, Architecture. */
const PROCESSORS: Record<number, "ia32" | "x64" | "arm" | "aa64"> = { 0: "ia32", 5: "arm", 9: "x64", 12: "aa64" };
/** MSFT_Disk, BusType. */
const BUSES: Record<number, string> = {
  ...{ 1: "scsi", 3: "ata", 4: "ieee1394", 7: "usb", 8: "raid", 9: "iscsi", 10: "sas", 11: "sata" },
  ...{ 12: "sd", 13: "mmc", 17: "nvme" },
};
/** Behind these are disks of a host, of a file or of a pool, and not of this computer. */
const NO_DISKS = new Set([14, 15, 16]);
/** MSFT_Disk, PartitionStyle. */
const TABLES: Record<number, string> = { 1: "mbr", 2: "gpt" };

/** Win32_SystemEnclosure, ChassisTypes: those of SMBIOS (DSP0134, 7.4.1). */
function formOf(type: number | null): (typeof FORMS)[number] | null {
  if (type === null || type < 3) return null;
  if ([3, 4, 5, 6, 7, 13, 15, 16, 24, 35].includes(type)) return "desktop";
  if ([8, 9, 10, 11, 12, 14, 31, 32].includes(type)) return "laptop";
  if (type === 30) return "tablet";
  return [17, 22, 23, 25, 28, 29].includes(type) ? "server" : "other";
}

/** Facts of what a Windows said; null where it is no such document. */
export function readCim(value: unknown): Told | null {
  const parsed = cimSchema.safeParse(value);
  if (!parsed.success) return null;
  const cim = parsed.data;
  const notes: DocumentNote[] = [];
  const disks = disksOf(cim);
  const devices = devicesOf(cim);
  const facts: PartialFacts = {
    computer: identityOf(cim),
    firmware: firmwareOf(cim),
    cpu: cpuOf(cim),
    memoryBytes: memoryOf(cim),
    ...(disks ? { disks } : {}),
    ...(devices ? { devices } : {}),
    ...(systemsOf(cim) ?? {}),
    ports: { optical: "Win32_CDROMDrive" in cim.classes ? of(cim, "Win32_CDROMDrive").length > 0 : null },
  };
  const complete = disks ? ["disks", ...disks.map(({ name }) => `disks/${pathPart(name)}/partitions`)] : [];
  return { facts, complete, notes, at: cim.at ? new Date(cim.at).toISOString() : null, by: "collector" };
}

const of = (cim: Cim, name: string): Row[] => cim.classes[name] ?? [];
const first = (cim: Cim, name: string): Row => of(cim, name)[0] ?? {};

function identityOf(cim: Cim): NonNullable<PartialFacts["computer"]> {
  const [system, product] = [first(cim, "Win32_ComputerSystem"), first(cim, "Win32_ComputerSystemProduct")];
  const [bios, case_] = [first(cim, "Win32_BIOS"), first(cim, "Win32_SystemEnclosure")];
  const types = Array.isArray(case_.ChassisTypes) ? case_.ChassisTypes : [case_.ChassisTypes];
  const tag = statedText(cim.tag, 60) ?? statedText(case_.SMBIOSAssetTag, 60);
  const addresses = of(cim, "MSFT_NetAdapter")
    // Neither of a virtual machine's host nor of an adapter on USB, which moves from computer to computer.
    .filter((each) => flag(each.Virtual) !== true && !/^USB\\/i.test(String(each.PnPDeviceID ?? "")))
    .flatMap(({ PermanentAddress: told }) =>
      typeof told === "string" && /^[0-9A-F]{12}$/i.test(told) ? [told.toLowerCase().replace(/..(?!$)/g, "$&:")] : [],
    );
  return {
    tag: tag !== null && /^[\p{L}\p{N}._-]+$/u.test(tag) && !/asset|no tag/i.test(tag) ? tag : null,
    make: statedText(system.Manufacturer) ?? statedText(product.Vendor),
    model: statedText(system.Model) ?? statedText(product.Name),
    serial: statedText(bios.SerialNumber) ?? statedText(product.IdentifyingNumber) ?? statedText(case_.SerialNumber),
    form: formOf(wholeNumber(types[0])),
    uuid: uuidOf(product.UUID),
    addresses: addresses.length > 0 ? [...new Set(addresses)].sort() : null,
  };
}

/** PEFirmwareType: 1 is BIOS, 2 is UEFI ("GetFirmwareType", FIRMWARE_TYPE). */
function firmwareOf(cim: Cim): NonNullable<PartialFacts["firmware"]> {
  const bios = first(cim, "Win32_BIOS");
  const type = wholeNumber(cim.registry.PEFirmwareType);
  const kind = type === 1 ? "bios" : type === 2 ? "uefi" : null;
  const { PK: pk, KEK: kek, db, dbx, SetupMode } = cim.variables;
  const inSetup = SetupMode === "AQ==";
  const state = cim.secureBoot === true ? "on" : cim.secureBoot === false ? (inSetup ? "setup" : "off") : null;
  return {
    kind,
    // A Windows runs on firmware of its own width only.
    arch: kind === "uefi" ? widthOf(first(cim, "Win32_OperatingSystem").OSArchitecture) : null,
    vendor: statedText(bios.Manufacturer),
    version: statedText(bios.SMBIOSBIOSVersion),
    ...(kind === "uefi"
      ? { secureBoot: { state: state ?? (isWithoutSecureBoot(cim) ? "absent" : null), pk, kek, db, dbx } }
      : {}),
  };
}

/** Where the platform has no Secure Boot, its key in the registry is not there either. */
const isWithoutSecureBoot = ({ registry }: Cim) =>
  "UEFISecureBootEnabled" in registry && registry.UEFISecureBootEnabled === null;

/** "64-bit", "32-bit", "ARM 64-bit Processor", as Win32_OperatingSystem has it. */
function widthOf(told: unknown): "x64" | "ia32" | "aa64" | null {
  const text = typeof told === "string" ? told : "";
  if (/ARM/i.test(text)) return "aa64";
  return /64/.test(text) ? "x64" : /32/.test(text) ? "ia32" : null;
}

function cpuOf(cim: Cim): PartialFacts["cpu"] {
  const { Architecture: told, Name: name } = first(cim, "Win32_Processor");
  return { arch: PROCESSORS[wholeNumber(told) ?? -1] ?? null, name: statedText(name) };
}

function memoryOf(cim: Cim): number | null {
  const sizes = of(cim, "Win32_PhysicalMemory").flatMap(({ Capacity: told }) => wholeNumber(told) ?? []);
  return sizes.length > 0 ? sizes.reduce((sum, each) => sum + each, 0) : null;
}

/** The disks with their partitions, and the volumes on those; null where the storage classes did not answer. */
function disksOf(cim: Cim): PartialDisk[] | null {
  if (of(cim, "MSFT_Disk").length === 0) return null;
  const system = letterOf(first(cim, "Win32_OperatingSystem").SystemDrive);
  return of(cim, "MSFT_Disk").flatMap((disk): PartialDisk[] => {
    const [number, bytes, bus] = [wholeNumber(disk.Number), wholeNumber(disk.Size), wholeNumber(disk.BusType)];
    if (number === null || !bytes || NO_DISKS.has(bus ?? 0)) return [];
    const table = TABLES[wholeNumber(disk.PartitionStyle) ?? 0] ?? null;
    const own = of(cim, "MSFT_Partition").filter((each) => wholeNumber(each.DiskNumber) === number);
    const partitions = own.flatMap((each) => partitionOf(cim, each, table, system));
    const sectorBytes = wholeNumber(disk.LogicalSectorSize);
    return [
      {
        name: `disk${number}`,
        ...{ bytes, bus: BUSES[bus ?? 0] ?? null, table, model: statedText(disk.FriendlyName) },
        sectorBytes: sectorBytes === 0 ? null : sectorBytes,
        serial: statedText(disk.SerialNumber),
        removable: bus === null ? null : bus === 7 || bus === 12,
        partitions: partitions.sort((a, b) => a.number - b.number),
      },
    ];
  });
}

type PartialPartition = NonNullable<PartialDisk["partitions"]>[number];

function partitionOf(cim: Cim, row: Row, table: string | null, system: string | null): PartialPartition[] {
  const [number, bytes] = [wholeNumber(row.PartitionNumber), wholeNumber(row.Size)];
  if (!number || bytes === null) return [];
  const volume = volumeOf(cim, row);
  const letter = letterOf(row.DriveLetter) ?? letterOf(volume.DriveLetter);
  const gpt = typeof row.GptType === "string" ? row.GptType.replace(/[{}]/g, "").toLowerCase() : null;
  const mbr = wholeNumber(row.MbrType);
  const type = gpt || (mbr ? `0x${mbr.toString(16).padStart(2, "0")}` : null);
  const [size, free] = [wholeNumber(volume.Size), wholeNumber(volume.SizeRemaining)];
  const told = statedText(volume.FileSystem, 40)?.toLowerCase() ?? null;
  return [
    {
      ...{ number, bytes, type, start: wholeNumber(row.Offset) },
      usedBytes: size && free !== null && free <= size ? size - free : null,
      // What BitLocker locks has no file system for those who ask.
      filesystem: told === "unknown" || told === "raw" ? null : told,
      role: letter !== null && letter === system ? "system" : type && roleOfType(type),
      encryption: encryptionOf(cim, letter),
      label: statedText(volume.FileSystemLabel),
      active: table === "mbr" ? flag(row.IsActive) : null,
    },
  ];
}

/** A partition names its volume among the paths by which it is reached. */
function volumeOf(cim: Cim, { AccessPaths: paths }: Row): Row {
  const told = (Array.isArray(paths) ? paths : [paths]).filter((each) => typeof each === "string");
  return of(cim, "MSFT_Volume").find(({ Path: path }) => typeof path === "string" && told.includes(path)) ?? {};
}

/** "C", from "C", "C:" or the number of the letter, as a char16 comes; null where there is none. */
function letterOf(told: unknown): string | null {
  const text = typeof told === "number" && told > 0 ? String.fromCharCode(told) : typeof told === "string" ? told : "";
  return /^[A-Za-z](:\\?)?$/.test(text) ? text.slice(0, 1).toUpperCase() : null;
}

/** ConversionStatus: 0 is fully decrypted. A volume that nobody asked about is not said to be plain. */
function encryptionOf(cim: Cim, letter: string | null): string | null {
  const volume = of(cim, "Win32_EncryptableVolume").find((each) => letterOf(each.DriveLetter) === letter);
  const status = letter === null ? null : wholeNumber(volume?.ConversionStatus);
  return status === null || status === 0 ? null : "bitlocker";
}

const USES: Record<string, string> = { "01": "storage", "02": "network", "03": "display", "09": "input" };

/** "PCI\\VEN_vvvv&DEV_dddd&SUBSYS_ddddvvvv", and the class, as the kernel of Linux writes them. */
function devicesOf(cim: Cim): NonNullable<PartialFacts["devices"]> | null {
  if (of(cim, "Win32_PnPEntity").length === 0) return null;
  return of(cim, "Win32_PnPEntity").flatMap(({ HardwareID: told, Name: name }) => {
    const ids = (Array.isArray(told) ? told : [told]).join(" ").slice(0, 4_000).toUpperCase();
    const id = /PCI\\VEN_([0-9A-F]{4})&DEV_([0-9A-F]{4})&SUBSYS_([0-9A-F]{4})([0-9A-F]{4})/.exec(ids);
    const kind = /&CC_([0-9A-F]{2})([0-9A-F]{2})([0-9A-F]{2})?/.exec(ids);
    if (!id || !kind) return [];
    const [, vendor, device, subDevice, subVendor] = id;
    const [, base = "", sub, use = "00"] = kind;
    const ids8 = `v0000${vendor}d0000${device}sv0000${subVendor}sd0000${subDevice}`;
    const isUsb = base === "0C" && sub === "03";
    return [
      {
        class: isUsb ? "usb-controller" : (USES[base] ?? "other"),
        modalias: `pci:${ids8}bc${base}sc${sub}i${use}`,
        name: statedText(name),
      },
    ];
  });
}

function systemsOf(cim: Cim): Pick<PartialFacts, "systems"> | null {
  const system = first(cim, "Win32_OperatingSystem");
  const name = statedText(system.Caption);
  if (name === null) return null;
  const drive = letterOf(system.SystemDrive);
  const partition = of(cim, "MSFT_Partition").find(({ DriveLetter: told }) => letterOf(told) === drive);
  const place = drive !== null && partition ? `disk${partition.DiskNumber} ${partition.PartitionNumber}` : null;
  const build = wholeNumber(system.BuildNumber);
  return {
    systems: [
      {
        family: "windows",
        name,
        version: statedText(system.Version, 80),
        build,
        edition: statedText(cim.registry.EditionID, 80),
        arch: widthOf(system.OSArchitecture),
        language: statedText(cim.culture, 35),
        partition: place,
      },
    ],
  };
}
