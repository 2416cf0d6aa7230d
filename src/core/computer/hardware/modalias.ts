import { itemAt } from "../../kernel/item-at";
/** Kernel names of devices ("modalias"). Source: the kernel's drivers/pci/pci-sysfs.c and drivers/usb/core/sysfs.c. */
export interface PciDevice {
  bus: "pci";
  vendor: string;
  device: string;
  subVendor: string;
  subDevice: string;
  /** Base class, sub-class and interface: two hex digits each. */
  class: string;
  subClass: string;
  interface: string;
}

export interface UsbDevice {
  bus: "usb";
  vendor: string;
  product: string;
}

const PCI =
  /^pci:v0000([0-9A-F]{4})d0000([0-9A-F]{4})sv0000([0-9A-F]{4})sd0000([0-9A-F]{4})bc([0-9A-F]{2})sc([0-9A-F]{2})i([0-9A-F]{2})/i;
const USB = /^usb:v([0-9A-F]{4})p([0-9A-F]{4})/i;

/** What a modalias says; ids are lower-case hex. Null for other buses. */
export function parseModalias(modalias: string): PciDevice | UsbDevice | null {
  const pci = PCI.exec(modalias);
  if (pci) {
    const id = (group: number) => itemAt(pci, group).toLowerCase();
    return {
      bus: "pci",
      ...{ vendor: id(1), device: id(2), subVendor: id(3), subDevice: id(4) },
      ...{ class: id(5), subClass: id(6), interface: id(7) },
    };
  }
  const usb = USB.exec(modalias);
  return usb ? { bus: "usb", vendor: itemAt(usb, 1).toLowerCase(), product: itemAt(usb, 2).toLowerCase() } : null;
}

/** The modalias of a PCI device from its ids, as the kernel writes it. Hex digits of any case. */
export function pciModalias(ids: {
  vendor: string;
  device: string;
  subVendor: string;
  subDevice: string;
  class: string;
  interface: string;
}): string {
  const id = (hex: string) => hex.toUpperCase().padStart(8, "0");
  const byte = (hex: string) => hex.toUpperCase().padStart(2, "0");
  return `pci:v${id(ids.vendor)}d${id(ids.device)}sv${id(ids.subVendor)}sd${id(ids.subDevice)}bc${byte(ids.class.slice(0, 2))}sc${byte(ids.class.slice(2, 4))}i${byte(ids.interface)}`;
}

/** What a device is for, from its class. PCI Code and ID Assignment Specification; USB device classes. */
export type DeviceUse = "storage" | "network" | "display" | "input" | "usb-controller" | "other";

/** What a device is for, by its class. PCI Code and ID Assignment 1.11, 1; USB-IF, "Defined Class Codes". */
export function deviceUse(modalias: string): DeviceUse {
  const parsed = parseModalias(modalias);
  if (parsed?.bus === "pci") {
    switch (parsed.class) {
      case "01":
        return "storage";
      case "02":
        return "network";
      case "03":
        return "display";
      case "09":
        return "input";
      case "0c":
        return parsed.subClass === "03" ? "usb-controller" : "other";
      default:
        return "other";
    }
  }
  // Interface class: 03 is human interface, 08 mass storage, e0 wireless, 02 communications.
  const face = /ic([0-9A-F]{2})/i.exec(modalias)?.[1]?.toLowerCase();
  if (modalias.startsWith("usb:") && face === "03") return "input";
  if (modalias.startsWith("usb:") && face === "08") return "storage";
  if (/^(virtio:d0000000(2|8)v|nvme|mmc:)/.test(modalias)) return "storage";
  if (/^virtio:d00000001v/.test(modalias)) return "network";
  if (/^(acpi:PNP0303|acpi:PNP0F|serio:|hid:|i2c:.*hid)/i.test(modalias)) return "input";
  return "other";
}
