import { roleOf } from "../../computer/facts/roles";
import {
  architectureOf,
  type DiskFacts,
  type DiskPartition,
  type Facts,
  type SystemFacts,
} from "../../computer/facts/schema";
import { caddyDisks, internalDisks, isBlank, systemDisk } from "../../computer/needs/system-disk";
import type { ContainedSystem } from "../../medium/contents/schema";
import type { ComputerPart, ReleasePart } from "../model/parts";
import type { Link } from "../model/schema";
import { startMode, systemMode } from "./modes";
import { buildOf } from "./products";
import { all, best, broken, holds, holdsAfter, type Ruling, unknown } from "./ruling";
import { compareVersions, sameName } from "./versions";

/** What repairing a start-up, or rescuing files, is judged from. */
export interface RepairInput {
  computer: Pick<ComputerPart, "facts" | "toldDisk">;
  release: Pick<ReleasePart, "name" | "family" | "arch" | "madeOn" | "systems">;
  /** The day on which the computer's system came out, ISO; null where no calendar tells it. */
  systemReleasedOn: string | null;
  /** How the medium starts, which decides in which mode it repairs; not given: not judged. */
  starts?: Pick<Link, "changes"> | null;
}

/** The same for one of the systems of a computer that has several. */
interface SystemRepairInput extends RepairInput {
  system: SystemFacts;
}

type Rule = (input: SystemRepairInput) => Ruling | null;

/** The families of systems that an environment repairs the start-up of. Common practice. */
const REPAIRS: Record<string, string> = { pe: "windows", windows: "windows", linux: "linux" };

/** An environment repairs systems of its own family: a PE environment Windows, a Linux one Linux. Common practice. */
const ownFamily: Rule = ({ system, release }) => {
  if (system.family === null) return unknown({ code: "system-fact-missing", fact: "family", system: system.name });
  if (release.family === null) return unknown({ code: "release-fact-missing", fact: "family", release: release.name });
  const repairs = REPAIRS[release.family.toLowerCase()] ?? release.family;
  return sameName(repairs, system.family)
    ? null
    : broken({ code: "environment-other-family", release: release.name, family: release.family, system: system.name });
};

/** A repair environment older than the system may not know what it repairs. Common practice. */
const notOlder: Rule = ({ system, release, systemReleasedOn }) => {
  const environment = environmentOf(release, system);
  const older = (): Ruling =>
    holdsAfter(
      { setting: "release", from: release.name, to: `one not older than ${systemText(system)}` },
      { code: "environment-older", release: release.name, system: systemText(system) },
    );
  const order = environment && compareSystems(environment, system);
  if (order !== null) return order < 0 ? older() : holds({ code: "environment-not-older", release: release.name });
  if (release.madeOn && systemReleasedOn)
    return release.madeOn < systemReleasedOn
      ? older()
      : holds({ code: "environment-not-older", release: release.name });
  return release.madeOn === null
    ? unknown({ code: "release-fact-missing", fact: "madeOn", release: release.name })
    : unknown({ code: "system-age-unknown", system: systemText(system) });
};

/**
 * The environment that runs from it: of the same name where there is one, else of the same family. What an installation
 * medium repairs with is of the build that it installs. Common practice.
 */
function environmentOf({ systems }: RepairInput["release"], system: SystemFacts): ContainedSystem | null {
  const sameFamily = (systems ?? []).filter((each) => system.family !== null && sameName(each.family, system.family));
  const running = sameFamily.filter(({ role }) => role === "runs");
  const candidates = running.length > 0 ? running : sameFamily.filter(({ role }) => role === "installs");
  return candidates.find((each) => sameName(each.name, system.name)) ?? candidates[0] ?? null;
}

/** Negative where the environment is the older; null where they cannot be compared. */
function compareSystems(own: ContainedSystem, system: SystemFacts): number | null {
  const [ours, its] = [buildOf(own), buildOf(system)];
  if (ours !== null && its !== null) return ours - its;
  if (!own.version || !system.version || !sameName(own.name, system.name)) return null;
  return compareVersions(own.version, system.version);
}

function systemText({ name, version }: SystemFacts): string {
  return [name, version].filter(Boolean).join(" ");
}

const WIDE = new Set(["x64", "aa64", "riscv64"]);

/** A 32-bit environment cannot service a 64-bit system, nor one of another make of processor. Common practice. */
const services: Rule = ({ system, release }) => {
  if (release.arch === null) return unknown({ code: "release-fact-missing", fact: "arch", release: release.name });
  if (system.arch === null) return unknown({ code: "system-fact-missing", fact: "arch", system: system.name });
  const [own, other] = [release.arch, system.arch].map((arch) => architectureOf(arch) ?? arch) as [string, string];
  const isSame = own === other || (own === "x64" && other === "ia32");
  if (isSame) return null;
  return broken({
    code: "environment-cannot-service",
    release: release.name,
    arch: own,
    system: other,
    wide: WIDE.has(other),
  });
};

/** What is encrypted is opened first: somebody must have written down where its key is. */
function unlocked({ facts, toldDisk }: RepairInput["computer"]): Ruling | null {
  if (!facts.disks) return unknown({ code: "fact-missing", fact: "disks" });
  const target = systemDisk(facts, toldDisk ?? null);
  // What is on other disks is not touched.
  const disks = target ? [target] : internalDisks(facts);
  const locked = disks
    .flatMap((disk) => disk.partitions.map((partition) => ({ disk, partition })))
    .filter(({ partition }) => partition.encryption !== null);
  const open = locked.find(({ partition }) => partition.keyPlace === null);
  if (open) return unknown({ code: "key-place-unknown", partition: `${open.disk.name} ${open.partition.number}` });
  const kept = locked[0]?.partition.keyPlace;
  return kept ? holds({ code: "key-kept", place: kept }) : null;
}

/** Automatic repair writes what starts a system in the mode that it runs in itself. UEFI 2.10, 3.1; common practice. */
const sameModeAsInstalled: Rule = ({ computer, starts }) => {
  const mode = starts ? startMode(computer.facts, starts) : null;
  const installed = systemMode(computer.facts, computer.toldDisk ?? null);
  if (mode === null || installed === null || mode === installed) return null;
  return unknown({ code: "repair-other-mode", starts: mode, installed });
};

const REPAIR_RULES: Record<string, Rule> = {
  ownFamily,
  notOlder,
  services,
  sameModeAsInstalled,
  unlocked: ({ computer }) => unlocked(computer),
};

/** Whether a release mends a system that is on the disk without reinstalling it. All rules have to be met, of one system. */
export function judgeRepair(input: RepairInput): Ruling {
  if (input.computer.toldDisk) return broken({ code: "disk-empty" });
  const systems = input.computer.facts.systems ?? [];
  const rulings = systems.map((system) => all(Object.values(REPAIR_RULES).map((rule) => rule({ ...input, system }))));
  const ruling = best(rulings, (each) => each);
  if (!ruling) return all([unknown({ code: "fact-missing", fact: "systems" }), unlocked(input.computer)]);
  return ruling.reasons.length > 0 ? ruling : holds({ code: "repairs", release: input.release.name });
}

/** What environments of a family read, by the file system's name as `blkid` writes it. Common practice. */
const READS: Record<string, ReadonlySet<string>> = {
  linux: new Set([
    "ntfs",
    "vfat",
    "fat",
    "fat12",
    "fat16",
    "fat32",
    "exfat",
    "ext2",
    "ext3",
    "ext4",
    "btrfs",
    "xfs",
    "f2fs",
    "hfsplus",
    "jfs",
    "reiserfs",
    "iso9660",
    "udf",
  ]),
  pe: new Set(["ntfs", "vfat", "fat", "fat12", "fat16", "fat32", "exfat", "refs", "udf", "iso9660"]),
};
/** Encryption, and volumes of volumes, that they open. Linux: cryptsetup opens BitLocker too, from 2.3 on. */
const OPENS: Record<string, ReadonlySet<string>> = {
  linux: new Set([
    "luks",
    "luks1",
    "luks2",
    "crypto_luks",
    "bitlocker",
    "lvm2_member",
    "lvm",
    "linux_raid_member",
    "raid",
    "mdraid",
  ]),
  pe: new Set(["bitlocker"]),
};
/** What is well known, and read by neither without more. */
const OTHERS: readonly string[] = ["apfs", "zfs", "zfs_member", "filevault", "vmfs"];
/** What nobody has told of here may be read by its own tool. */
const WELL_KNOWN = new Set(
  [...OTHERS, ...Object.values(READS), ...Object.values(OPENS)].flatMap((each) =>
    typeof each === "string" ? [each] : [...each],
  ),
);
const READS_AS: Record<string, string> = { windows: "pe", pe: "pe", linux: "linux" };
/** What systems of a family are installed on, where nobody recorded it. Common practice. */
const USUAL_FILESYSTEM: Record<string, string> = { windows: "ntfs", linux: "ext4" };
/** Partitions with nothing of people in them. */
const NO_FILES: ReadonlySet<string> = new Set(["esp", "msr", "bios-boot", "boot", "swap", "recovery"]);

/** What a partition must be opened and read as, on its own names; a file system that is not known is the system's usual. */
function layersOf({ filesystem, encryption, role }: DiskPartition, family: string | null): string[] {
  const own = filesystem?.toLowerCase() ?? (role === "system" ? (USUAL_FILESYSTEM[family ?? ""] ?? null) : null);
  return [encryption?.toLowerCase() ?? null, own].filter((layer) => layer !== null);
}

/** Whether an environment reads what files would be rescued from: of several possible disks, each of them. Common practice. */
function reads({ computer, release }: RepairInput): Ruling | null {
  const { facts } = computer;
  const target = systemDisk(facts);
  const rulings = (target ? [target] : internalDisks(facts)).map((disk) => readsDisk(disk, facts, release));
  const bad = rulings.filter((ruling) => ruling !== null);
  if (bad.length === 0) return null;
  // Which of them it is decides.
  const isMixed = bad.length < rulings.length || bad.some(({ verdict }) => verdict !== "broken");
  return isMixed ? unknown(...bad.flatMap(({ reasons }) => reasons)) : all(bad);
}

function readsDisk(disk: DiskFacts, facts: Facts, release: RepairInput["release"]): Ruling | null {
  if (isBlank(disk)) {
    const others = caddyDisks(facts).filter((each) => !isBlank(each));
    if (others.length === 0) return broken({ code: "disk-empty" });
    return unknown({ code: "system-disk-open", disks: [disk, ...others].map(({ name }) => name) });
  }
  if (disk.partitions.length === 0) return unknown({ code: "fact-missing", fact: "partitions" });
  const family = facts.systems?.[0]?.family?.toLowerCase() ?? null;
  const partitions = disk.partitions.filter((partition) => !NO_FILES.has(roleOf(partition) ?? ""));
  const layers = partitions.map((partition) => layersOf(partition, family)).filter((own) => own.length > 0);
  if (layers.length === 0) return unknown({ code: "fact-missing", fact: "filesystem" });
  const kind = READS_AS[release.family?.toLowerCase() ?? ""];
  if (!kind) return unknown({ code: "release-fact-missing", fact: "family", release: release.name });
  const isRead = (layer: string) => READS[kind]?.has(layer) === true || OPENS[kind]?.has(layer) === true;
  const unread = layers.filter((own) => !own.every(isRead));
  if (unread.length === 0) return null;
  const names = [...new Set(unread.flat().filter((layer) => !isRead(layer)))];
  const open = names.filter((layer) => !WELL_KNOWN.has(layer));
  if (open.length > 0) return unknown({ code: "filesystems-open", release: release.name, filesystems: open });
  const told = { code: "filesystems-not-read", release: release.name, filesystems: names } as const;
  return unread.length === layers.length ? broken({ ...told, all: true }) : unknown({ ...told, all: false });
}

/** Files are rescued by any environment that sees the disk, opens what is encrypted, and reads its file systems. */
export function judgeRescue(input: RepairInput): Ruling {
  if (input.computer.toldDisk) return broken({ code: "disk-empty" });
  const ruling = all([unlocked(input.computer), reads(input)]);
  return ruling.reasons.length > 0 ? ruling : holds({ code: "rescues", release: input.release.name });
}
