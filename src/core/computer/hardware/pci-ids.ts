import type { PciDevice } from "./modalias";

/**
 * Names of PCI devices. Source: pci.ids of the PCI ID project (pci-ids.ucw.cz), in its own syntax: vendors at the
 * margin, devices after one tab, subsystems after two, classes after "C ".
 */
export class PciNames {
  private readonly vendors = new Map<string, string>();
  private readonly devices = new Map<string, string>();
  private readonly subsystems = new Map<string, string>();

  /** Reads the file's text; lines that are not understood are passed over. */
  constructor(text: string) {
    let vendor = "";
    let device = "";
    for (const line of text.split("\n")) {
      if (line.startsWith("C ")) break;
      if (line === "" || line.startsWith("#")) continue;
      if (!line.startsWith("\t")) {
        vendor = line.slice(0, 4);
        this.vendors.set(vendor, line.slice(4).trim());
      } else if (!line.startsWith("\t\t")) {
        device = line.slice(1, 5);
        this.devices.set(`${vendor}${device}`, line.slice(5).trim());
      } else {
        const [, subVendor, subDevice, name] = /^\t\t([0-9a-f]{4}) ([0-9a-f]{4})\s+(.*)$/.exec(line) ?? [];
        if (name) this.subsystems.set(`${vendor}${device}${subVendor}${subDevice}`, name.trim());
      }
    }
  }

  get size(): number {
    return this.devices.size;
  }

  vendor(id: string): string | null {
    return this.vendors.get(id) ?? null;
  }

  /** "Maker Device", as far as the list knows; null where it knows neither. */
  name({ vendor, device }: Pick<PciDevice, "vendor" | "device">): string | null {
    const maker = this.vendors.get(vendor);
    const itself = this.devices.get(`${vendor}${device}`);
    if (!maker && !itself) return null;
    return [maker ?? `vendor ${vendor}`, itself ?? `device ${device}`].join(" ");
  }

  /** What the maker of the whole computer calls it, where the list has that. */
  subsystem({ vendor, device, subVendor, subDevice }: PciDevice): string | null {
    return this.subsystems.get(`${vendor}${device}${subVendor}${subDevice}`) ?? null;
  }
}
