import type { Simulated } from "@/server/devices/simulated";
import type { ImageName } from "./images";

/** The bench of Skerry Line's workshop: what is in its berths, what it says of itself, and what it really is. */
export interface DemoDevice {
  name: string;
  kind: Simulated["kind"];
  model: string;
  serial: string | null;
  bytes: number;
  faults?: Partial<Simulated["faults"]>;
  /** Bytes a second. */
  writeRate?: number;
  readRate?: number;
  /** What stands on it. */
  image?: ImageName;
  /** The medium that it is. */
  medium?: string;
  isStore?: boolean;
  /** What it was bought with. */
  batch?: string;
}

const GB = 1e9;
const MIB = 1 << 20;
const MB = 1e6;
const DART = { kind: "usb", model: "Norlight Dart", writeRate: 40 * MB, readRate: 120 * MB } as const;
const PEBBLE = { kind: "usb", model: "Halyde Pebble", writeRate: 25 * MB, readRate: 90 * MB } as const;

export const DEVICES: DemoDevice[] = [
  { name: "rm-01", ...DART, serial: "ND20417731", bytes: 16 * GB, image: "bollard5", medium: "RM-01" },
  { name: "ln-01", ...DART, serial: "ND20417802", bytes: 16 * GB, image: "lantern12", medium: "LN-01" },
  { name: "blank-1", ...PEBBLE, serial: "HP7714", bytes: 1 * GB, batch: "spring 2026" },
  { name: "blank-2", ...PEBBLE, serial: "HP7715", bytes: 1 * GB, batch: "spring 2026" },
  {
    name: "false-4",
    kind: "usb",
    model: "Gigaspeed Ultra",
    serial: "0000000001",
    bytes: 512 * MIB,
    faults: { counterfeit: { trueBytes: 128 * MIB, how: "wraps" } },
    writeRate: 200 * MB,
    readRate: 300 * MB,
  },
  {
    name: "slow",
    ...PEBBLE,
    serial: "HP7690",
    bytes: 1 * GB,
    faults: { slowAfter: { bytes: 8 * MIB, writeRate: 2 * MB } },
  },
  {
    name: "worn",
    ...DART,
    serial: "ND18800412",
    bytes: 1 * GB,
    faults: { bad: [{ start: 5 * MIB, lengthBytes: 64 * 512 }] },
  },
  { name: "loose-plug", ...PEBBLE, serial: "HP7702", bytes: 1 * GB, faults: { pulledAfterBytes: 6 * MIB } },
  {
    name: "locked-card",
    kind: "card",
    model: "Ostrel Card 32",
    serial: null,
    bytes: 32 * GB,
    faults: { writeProtected: true },
  },
  {
    name: "image-disk",
    kind: "disk",
    model: "Halyde Vault 2000",
    serial: "HV55120098",
    bytes: 2000 * GB,
    image: "spindle3",
    medium: "SP-01",
    isStore: true,
  },
  { name: "blank-disc", kind: "optical", model: "DVD-R", serial: null, bytes: 2_298_496 * 2048 },
  { name: "spare-1", ...DART, serial: "ND20418840", bytes: 64 * GB },
  { name: "spare-2", ...PEBBLE, serial: "HP7720", bytes: 1 * GB, batch: "spring 2026" },
];

/** Berths in their order, with the device that is in each. */
export const BERTHS: { name: string; accepts: Simulated["kind"]; device: string | null }[] = [
  { name: "Front 1", accepts: "usb", device: "rm-01" },
  { name: "Front 2", accepts: "usb", device: "ln-01" },
  { name: "Hub 1", accepts: "usb", device: "blank-1" },
  { name: "Hub 2", accepts: "usb", device: "blank-2" },
  { name: "Hub 3", accepts: "usb", device: "false-4" },
  { name: "Hub 4", accepts: "usb", device: "slow" },
  { name: "Hub 5", accepts: "usb", device: "worn" },
  { name: "Hub 6", accepts: "usb", device: "loose-plug" },
  { name: "Card reader", accepts: "card", device: "locked-card" },
  { name: "Disk dock", accepts: "disk", device: "image-disk" },
  { name: "Burner", accepts: "optical", device: "blank-disc" },
  { name: "Rear", accepts: "usb", device: null },
];

/** A file that lies in the library to be carried along: tools of the workshop on a disc of their own. */
export const CARRIED = "workshop-tools.iso";
