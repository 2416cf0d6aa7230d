import { LOADER_PATHS } from "../../kernel/architecture";
import { imageContents } from "../facts/roles";
import type { DiskFacts, Facts, SystemFacts } from "../facts/schema";
import { type DeviceUse, deviceUse } from "../hardware/modalias";
import type { SecureBootSummary } from "../secure-boot/lists";
import { type StoredRatio, storedSize, USUAL_RATIO } from "./stored-size";
import { internalDisks, systemDisk } from "./system-disk";

/** What a route can give back, and so what a medium for it must bring. */
export const OUTCOMES = ["image", "reinstall", "repair", "files"] as const;
export type Outcome = (typeof OUTCOMES)[number];

/** One summand of the least capacity. `bytes` null: not known, so that the sum is a lower bound. */
export interface CapacityTerm {
  code:
    | "kit"
    | "installer"
    | "used-data"
    | "measured-data"
    | "whole-partition"
    | "unknown-use"
    | "spare"
    | "rescued-data";
  /** What it is of: a partition, a system. */
  of: string | null;
  /** Least and most, in bytes. */
  least: number | null;
  most: number | null;
  basis: "practice" | "measured" | "arithmetic";
}

export interface Capacity {
  terms: CapacityTerm[];
  /** Sums of what is known. */
  least: number;
  most: number;
  /** Whether a term is not known. */
  open: boolean;
}

export interface SignerNeed {
  /** off: nothing is checked; signed: one of these; unknown: which is not known. */
  state: "not-checked" | "signed" | "nothing-allowed" | "unknown";
  /** Names of the certificates that one signature must chain to. */
  signers: string[];
  revokedDigests: number;
  leastGenerations: { component: string; generation: number }[];
}

export type StartNeed =
  | { kind: "uefi"; path: string; arch: string }
  | { kind: "bios" }
  | { kind: "unknown"; missing: "firmwareKind" | "firmwareArch" };

interface DriverNeed {
  use: DeviceUse;
  modalias: string;
  name: string | null;
}

/** What the medium can be attached to, and what is in the way. */
export type AttachHint =
  | { code: "usb-ports"; count: number | null }
  | { code: "usb-start-off" }
  | { code: "usb-start-unknown" }
  | { code: "fast-boot" }
  | { code: "optical"; present: boolean | null }
  | { code: "raid-mode"; disk: string }
  | { code: "unlock"; partition: string; keyPlace: string | null }
  | { code: "unplug-others"; disks: string[] };

export interface Needs {
  outcome: Outcome;
  start: StartNeed;
  signers: SignerNeed;
  /** The processor that the environment and the system need. */
  environmentArch: string | null;
  /** The same system again: what the included files must be of. */
  system: SystemFacts | null;
  capacity: Capacity;
  drivers: DriverNeed[];
  /** False where no devices were collected. */
  driversKnown: boolean;
  hints: AttachHint[];
}

const GB = 1e9;
/** What has been seen to be enough, in bytes (common practice; see docs/rules.md). */
const KIT: Record<Outcome, number> = { image: 1 * GB, reinstall: 0, repair: 2 * GB, files: 2 * GB };
const INSTALLER = 16 * GB;
const NEWER_INSTALLER = 32 * GB;
/** Room that file systems and tables take on a medium, of what is stored (common practice). */
const SPARE = 0.02;

/**
 * Everything that a medium must bring, to give this computer back in this way. Pure: facts in, needs out. `stored`: what
 * used bytes come to in its images; left out: as is usual.
 */
export function needsOf(
  facts: Facts,
  lists: SecureBootSummary,
  outcome: Outcome,
  stored: StoredRatio = USUAL_RATIO,
): Needs {
  const system = facts.systems?.[0] ?? null;
  const devices = facts.devices ?? [];
  const uses: DeviceUse[] =
    outcome === "image" || outcome === "files" ? ["storage", "network", "input"] : ["storage", "input"];
  return {
    outcome,
    start: startOf(facts),
    signers: signersOf(facts, lists),
    environmentArch:
      outcome === "repair" || outcome === "reinstall"
        ? (system?.arch ?? facts.cpu?.arch ?? null)
        : (facts.cpu?.arch ?? null),
    system: outcome === "reinstall" || outcome === "repair" ? system : null,
    capacity: capacityOf(facts, outcome, system, stored),
    drivers: distinct(
      devices
        .map(({ modalias, name }) => ({ use: deviceUse(modalias), modalias, name }))
        .filter((device) => uses.includes(device.use)),
    ),
    driversKnown: facts.devices !== null,
    hints: hintsOf(facts, outcome),
  };
}

function distinct(drivers: DriverNeed[]): DriverNeed[] {
  const seen = new Set<string>();
  return drivers.filter(({ modalias }) => !seen.has(modalias) && seen.add(modalias));
}

function startOf({ firmware }: Facts): StartNeed {
  if (firmware.kind === null) return { kind: "unknown", missing: "firmwareKind" };
  if (firmware.kind === "bios" || firmware.legacyMode === "on") return { kind: "bios" };
  if (firmware.arch === null) return { kind: "unknown", missing: "firmwareArch" };
  return { kind: "uefi", path: LOADER_PATHS[firmware.arch].replaceAll("/", "\\"), arch: firmware.arch };
}

function signersOf({ firmware }: Facts, lists: SecureBootSummary): SignerNeed {
  const revokedDigests = lists.dbx?.digests ?? 0;
  const leastGenerations = lists.sbatLevel ?? [];
  const none = { signers: [], revokedDigests, leastGenerations };
  const isBios = firmware.kind === "bios" || firmware.legacyMode === "on";
  const state = firmware.secureBoot?.state ?? null;
  if (isBios || (state !== null && state !== "on")) return { state: "not-checked", ...none };
  if (state === null || lists.signers === null) return { state: "unknown", ...none };
  const names = [...new Set(lists.signers.map((each) => each.name))];
  return { ...none, state: names.length > 0 ? "signed" : "nothing-allowed", signers: names };
}

function capacityOf(facts: Facts, outcome: Outcome, system: SystemFacts | null, stored: StoredRatio): Capacity {
  const terms: CapacityTerm[] = [];
  const kit = KIT[outcome];
  if (kit > 0) terms.push({ code: "kit", of: null, least: kit, most: kit, basis: "practice" });
  if (outcome === "reinstall") {
    const bytes = isNewer(system) ? NEWER_INSTALLER : INSTALLER;
    terms.push({ code: "installer", of: system?.name ?? null, least: bytes, most: bytes, basis: "practice" });
  }
  const disks = internalDisks(facts);
  if (outcome === "image") terms.push(...imageTerms(facts, stored));
  if (outcome === "files") terms.push(...dataTerms(disks));
  if ((outcome === "image" || outcome === "files") && disks.length === 0)
    terms.push({ code: "unknown-use", of: null, least: null, most: null, basis: "measured" });
  const total = (key: "least" | "most") => terms.reduce((sum, term) => sum + (term[key] ?? 0), 0);
  if (outcome === "image") {
    const spare = (key: "least" | "most") => Math.ceil((total(key) - kit) * SPARE);
    terms.push({ code: "spare", of: null, least: spare("least"), most: spare("most"), basis: "practice" });
  }
  return {
    terms,
    least: total("least"),
    most: total("most"),
    open: terms.some((term) => term.least === null || term.most === null),
  };
}

/** Systems whose included files do not fit 16 GB any more: those of version 11 on (from memory). */
function isNewer(system: SystemFacts | null): boolean {
  if (system?.family !== "windows") return false;
  // Version 11 calls itself 10.0; its build tells it. Microsoft, "Windows 11 release information".
  const build = system.build ?? Number(/^10\.0\.(\d+)/.exec(system.version ?? "")?.[1] ?? 0);
  return Number.parseInt(system.version ?? "", 10) >= 11 || build >= FIRST_BUILD_OF_11;
}
const FIRST_BUILD_OF_11 = 22_000;

/** Stored bytes of each partition that the image must hold. Unknown use is between nothing and the whole partition. */
function imageTerms(facts: Facts, stored: StoredRatio): CapacityTerm[] {
  const disk = systemDisk(facts);
  if (!disk)
    return internalDisks(facts).length === 0
      ? []
      : [{ code: "unknown-use", of: null, least: null, most: null, basis: "measured" }];
  return imageContents(disk)
    .filter(({ take }) => take !== "leave")
    .flatMap((content): CapacityTerm[] => {
      const { partition, role } = content;
      const { bytes, mostBytes, isWhole } = storedSize(content, stored);
      // A reserved partition has no file system, and nothing to store.
      if (bytes?.high === 0) return [];
      const of = `partition ${partition.number} on ${disk.name}${role ? ` (${role})` : ""}`;
      const sizes = { of, least: bytes?.low ?? null, most: mostBytes };
      if (isWhole) return [{ code: "whole-partition", ...sizes, basis: "practice" }];
      if (bytes === null) return [{ code: "unknown-use", ...sizes, basis: "practice" }];
      const code = stored.isMeasured ? "measured-data" : "used-data";
      return [{ code, ...sizes, basis: "measured" }];
    });
}

/** Files are copied as they are; what is rescued is what systems and data partitions hold. */
function dataTerms(disks: DiskFacts[]): CapacityTerm[] {
  return disks.flatMap((disk) =>
    imageContents(disk)
      .filter(({ role }) => role === "data" || role === "system" || role === null)
      .map(
        ({ partition, role }): CapacityTerm => ({
          code: partition.usedBytes === null ? "unknown-use" : "rescued-data",
          of: `partition ${partition.number} on ${disk.name}${role ? ` (${role})` : ""}`,
          least: partition.usedBytes,
          most: partition.usedBytes ?? partition.bytes,
          basis: "measured",
        }),
      ),
  );
}

function hintsOf(facts: Facts, outcome: Outcome): AttachHint[] {
  const { firmware, ports } = facts;
  const internal = internalDisks(facts);
  const hints: AttachHint[] = [{ code: "usb-ports", count: ports?.usb ?? null }];
  if (firmware.usbStart === "off") hints.push({ code: "usb-start-off" });
  if (firmware.usbStart === null) hints.push({ code: "usb-start-unknown" });
  if (firmware.fastBoot === "on") hints.push({ code: "fast-boot" });
  hints.push({ code: "optical", present: ports?.optical ?? null });
  for (const disk of internal) if (disk.bus === "raid") hints.push({ code: "raid-mode", disk: disk.name });
  for (const disk of internal)
    for (const partition of disk.partitions)
      if (partition.encryption !== null && outcome !== "reinstall")
        hints.push({ code: "unlock", partition: `${partition.number} on ${disk.name}`, keyPlace: partition.keyPlace });
  const target = systemDisk(facts);
  const others = internal.filter((disk) => target !== null && disk !== target).map((disk) => disk.name);
  if ((outcome === "image" || outcome === "reinstall") && others.length > 0)
    hints.push({ code: "unplug-others", disks: others });
  return hints;
}
