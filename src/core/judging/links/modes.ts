import type { Facts } from "../../computer/facts/schema";
import { installedMode, systemDisk } from "../../computer/needs/system-disk";
import { switchedMode } from "../model/changes";
import type { Link } from "../model/schema";

export type Mode = "uefi" | "bios";

/** The mode in which a computer starts its systems as it is set now; null where it is not known. */
export function modeOf({ firmware }: Pick<Facts, "firmware">): Mode | null {
  if (firmware.kind === null) return null;
  return firmware.kind === "bios" || firmware.legacyMode === "on" ? "bios" : "uefi";
}

/** The mode in which a medium comes up, with the changes that its start needs; null where it is not known. */
export function startMode(facts: Pick<Facts, "firmware">, { changes }: Pick<Link, "changes">): Mode | null {
  return switchedMode(changes) ?? modeOf(facts);
}

/** The mode in which the computer's system was installed: as its disk tells, else as the computer starts now. */
export function systemMode(facts: Facts, told: string | null = null): Mode | null {
  const disk = told === null ? systemDisk(facts) : null;
  return (disk && installedMode(disk)) ?? modeOf(facts);
}

/** Whether the mode can be switched in firmware set-up; null where that is not recorded. */
export function isSwitchable({ firmware }: Pick<Facts, "firmware">): boolean | null {
  if (firmware.kind === "bios") return false;
  if (firmware.kind === null || firmware.legacyMode === null) return null;
  return firmware.legacyMode !== "absent";
}
