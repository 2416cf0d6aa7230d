import { readFile } from "node:fs/promises";
import type { Facts } from "@/core/computer/facts/schema";
import { parseModalias } from "@/core/computer/hardware/modalias";
import { PciNames } from "@/core/computer/hardware/pci-ids";
import { log } from "../log";

/** Where Debian's `hwdata` and `pci.ids` packages keep the list of the PCI ID project. */
const PLACES = ["/usr/share/hwdata/pci.ids", "/usr/share/misc/pci.ids"];

let names: Promise<PciNames> | null = null;

/** Names of PCI devices, read once. Without the list devices keep their numbers. */
export function pciNames(): Promise<PciNames> {
  names ??= readNames();
  return names;
}

/** Facts whose devices have the names that the list knows, where none is recorded. */
export async function withDeviceNames(facts: Facts): Promise<Facts> {
  const names = await pciNames();
  const devices = facts.devices?.map((device) => {
    const parsed = device.name ? null : parseModalias(device.modalias);
    return parsed?.bus === "pci" ? { ...device, name: names.name(parsed) } : device;
  });
  return devices ? { ...facts, devices } : facts;
}

async function readNames(): Promise<PciNames> {
  for (const place of PLACES) {
    try {
      return new PciNames(await readFile(place, "utf8"));
    } catch {
      // The next place, then none.
    }
  }
  log.warn({ places: PLACES }, "the list of PCI names is not installed (package hwdata)");
  return new PciNames("");
}
