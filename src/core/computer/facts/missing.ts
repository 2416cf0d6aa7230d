import type { Facts } from "./schema";

/** Facts whose lack leaves a question open, in the order of their bit in a stored mask. Append only. */
export const MISSING = [
  "serial",
  "model",
  "firmwareKind",
  "firmwareArch",
  "secureBootState",
  "secureBootLists",
  "disks",
  "partitions",
  "storageDevices",
  "systems",
  "usbStart",
  "keyPlace",
] as const;
export type MissingFact = (typeof MISSING)[number];

/** Which facts are not known that some link of the chain depends on. */
export function missingFacts(facts: Facts): MissingFact[] {
  const { computer, firmware, disks, devices, systems } = facts;
  const uefi = firmware.kind === "uefi" && firmware.legacyMode !== "on";
  const state = firmware.secureBoot?.state ?? null;
  const internal = (disks ?? []).filter((disk) => disk.removable !== true);
  const lacks: Record<MissingFact, boolean> = {
    serial: computer.serial === null,
    model: computer.make === null || computer.model === null,
    firmwareKind: firmware.kind === null,
    firmwareArch: firmware.kind === "uefi" && firmware.arch === null,
    secureBootState: uefi && state === null,
    secureBootLists: uefi && (state === "on" || state === null) && !firmware.secureBoot?.db,
    disks: disks === null,
    partitions: internal.length > 0 && internal.every((disk) => disk.partitions.length === 0),
    storageDevices: devices === null,
    systems: systems === null || systems.length === 0,
    usbStart: firmware.usbStart === null,
    keyPlace: internal.some((disk) =>
      disk.partitions.some((partition) => partition.encryption !== null && partition.keyPlace === null),
    ),
  };
  return MISSING.filter((name) => lacks[name]);
}

/** The mask of `MISSING` bits, as it is stored and filtered by. */
export function missingMask(facts: Facts): number {
  return missingFacts(facts).reduce((mask, name) => mask | missingBit(name), 0);
}

/** The bit of a missing fact in a computer's set of them, so that a fleet's are counted by one query. */
export function missingBit(name: MissingFact): number {
  return 1 << MISSING.indexOf(name);
}
