import type { SignerName } from "./signers";

/** The models of computers at Skerry Line, as they usually stand. All makers and systems are invented. */
export type Mode = "x64" | "ia32" | "aa64" | "bios" | "legacy";

export interface Model {
  make: string;
  model: string;
  form: "desktop" | "laptop" | "tablet" | "server" | "other";
  mode: Mode;
  cpu: "x64" | "ia32" | "aa64";
  memoryGiB: number;
  disks: { name: string; gigabytes: number; bus: string }[];
  /** What its key card says; null: nobody has looked yet. */
  keys: { setup: string; startMenu: string; save?: string; quirks?: string; diskFit?: string } | null;
  cpuName: string;
  /** Firmware: the maker's version, and what its Secure Boot allows and revokes. */
  firmwareVersion: string;
  signers: SignerName[];
  revoked: number;
  /** Controllers and adapters, as the kernel names them. */
  devices: { class: string; modalias: string }[];
  usb: number;
  optical: boolean;
  system: { family: string; name: string; version: string; arch: string; edition?: string; build?: number };
}

/** PCI devices by ids of the open list (pci.ids): what they are is told by it, not here. */
const pci = (use: string, vendor: string, device: string, sub: string, kind: string) => ({
  class: use,
  modalias: `pci:v0000${vendor}d0000${device}sv0000${sub.slice(0, 4)}sd0000${sub.slice(4)}bc${kind.slice(0, 2)}sc${kind.slice(2, 4)}i${kind.slice(4)}`,
});
const NVME = pci("storage", "144D", "A808", "144DA801", "010802");
/** So new that no release here drives it. */
export const NEW_RAID = pci("storage", "1000", "10E2", "10284009", "010400");
const AHCI = pci("storage", "8086", "A352", "86867270", "010601");
const RAID = pci("storage", "1000", "0016", "10284003", "010400");
const VMD = pci("storage", "8086", "9A0B", "10280AB0", "010400");
const IDE = pci("storage", "8086", "7111", "00000000", "010180");
const GIGABIT = pci("network", "10EC", "8168", "10EC0123", "020000");
const WIRELESS = pci("network", "8086", "A0F0", "80860074", "028000");
const I219 = pci("network", "8086", "15BC", "86860000", "020000");
/** The host of an eMMC. */
const SD_HOST = pci("storage", "8086", "5ACC", "80867270", "080501");
const KEYBOARD = { class: "input", modalias: "usb:v046DpC31Cd6402dc00dsc00dp00ic03isc01ip01in00" };

const OFFICE = {
  family: "windows",
  name: "Gannet Desk",
  version: "11.4",
  build: 31140,
  edition: "Office",
  arch: "x64",
};
const LINUX = { family: "linux", name: "Kittiwake", version: "9", arch: "x64" };

export const MODELS = {
  corvane14: {
    make: "Corvane",
    model: "Slate 14",
    form: "laptop",
    mode: "x64",
    cpuName: "Norlight N7 2.4",
    firmwareVersion: "2.18",
    signers: ["norlight2011", "norlight2023", "gannet2011"],
    revoked: 371,
    devices: [VMD, NVME, WIRELESS],
    cpu: "x64",
    memoryGiB: 16,
    disks: [{ name: "nvme0n1", gigabytes: 512.110190592, bus: "nvme" }],
    keys: { setup: "F2", startMenu: "F12" },
    usb: 3,
    optical: false,
    system: OFFICE,
  },
  corvane13: {
    make: "Corvane",
    model: "Slate 13",
    form: "laptop",
    mode: "x64",
    cpuName: "Norlight N5 1.9",
    firmwareVersion: "1.44",
    signers: ["norlight2011", "gannet2011"],
    revoked: 77,
    devices: [NVME, WIRELESS],
    cpu: "x64",
    memoryGiB: 8,
    disks: [{ name: "nvme0n1", gigabytes: 256.060514304, bus: "nvme" }],
    keys: {
      setup: "F2",
      startMenu: "F12",
      diskFit: "One M.2 2280 NVMe slot and no second one; one cross-head screw under the flap.",
    },
    usb: 2,
    optical: false,
    system: OFFICE,
  },
  ostrel: {
    make: "Ostrel",
    model: "Block 3",
    form: "desktop",
    mode: "x64",
    cpuName: "Norlight D4 3.2",
    firmwareVersion: "3.07",
    signers: ["norlight2011", "norlight2023", "gannet2011"],
    revoked: 183,
    devices: [AHCI, I219, KEYBOARD],
    cpu: "x64",
    memoryGiB: 16,
    disks: [{ name: "sda", gigabytes: 500.107862016, bus: "sata" }],
    keys: { setup: "Delete", startMenu: "F11" },
    usb: 6,
    optical: true,
    system: OFFICE,
  },
  ostrelOld: {
    make: "Ostrel",
    model: "Block 1",
    form: "desktop",
    mode: "legacy",
    cpuName: "Norlight D2 2.8",
    firmwareVersion: "1.90",
    signers: ["norlight2011", "gannet2011"],
    revoked: 13,
    devices: [AHCI, GIGABIT, KEYBOARD],
    cpu: "x64",
    memoryGiB: 8,
    disks: [{ name: "sda", gigabytes: 250.059350016, bus: "sata" }],
    keys: {
      setup: "Delete",
      startMenu: "F8",
      save: "F10",
      quirks: "Starts from the ports at the back only. Beeps twice before the menu comes up.",
      diskFit: "Two 2.5 inch SATA bays, one free; four M3 screws; a spare cable is in the case.",
    },
    usb: 6,
    optical: true,
    system: OFFICE,
  },
  marlowe: {
    make: "Marlowe",
    model: "Kiosk K2",
    form: "other",
    mode: "ia32",
    cpuName: "Norlight Z1 1.4",
    firmwareVersion: "5.11",
    signers: ["norlight2011"],
    revoked: 13,
    devices: [SD_HOST, KEYBOARD],
    cpu: "x64",
    memoryGiB: 4,
    disks: [{ name: "mmcblk0", gigabytes: 31.26853632, bus: "mmc" }],
    keys: null,
    usb: 1,
    optical: false,
    system: LINUX,
  },
  engine: {
    make: "Brenn",
    model: "Marine PC 200",
    form: "other",
    mode: "bios",
    cpuName: "Pharos P3 1.0",
    firmwareVersion: "6.00",
    signers: [],
    revoked: 0,
    devices: [IDE, GIGABIT],
    cpu: "ia32",
    memoryGiB: 2,
    disks: [{ name: "sda", gigabytes: 40.02066432, bus: "ide" }],
    keys: { setup: "Delete", startMenu: "F11" },
    usb: 2,
    optical: false,
    system: { family: "linux", name: "Kittiwake", version: "6", arch: "ia32" },
  },
  bridge: {
    make: "Brenn",
    model: "Marine PC 700",
    form: "other",
    mode: "x64",
    cpuName: "Norlight E3 2.0",
    firmwareVersion: "7.02",
    signers: ["norlight2011", "kittiwake"],
    revoked: 77,
    devices: [AHCI, GIGABIT, KEYBOARD],
    cpu: "x64",
    memoryGiB: 8,
    disks: [{ name: "sda", gigabytes: 128.03567616, bus: "sata" }],
    keys: { setup: "F2", startMenu: "F7" },
    usb: 4,
    optical: false,
    system: LINUX,
  },
  halyde: {
    make: "Halyde",
    model: "Tab 10A",
    form: "tablet",
    mode: "aa64",
    cpuName: "Halyde A8 2.6",
    firmwareVersion: "4.00",
    signers: ["norlight2011", "norlight2023", "gannet2011"],
    revoked: 183,
    devices: [],
    cpu: "aa64",
    memoryGiB: 8,
    disks: [{ name: "sda", gigabytes: 127.99967232, bus: "ufs" }],
    keys: null,
    usb: 1,
    optical: false,
    system: { family: "windows", name: "Gannet Desk", version: "11.4", arch: "aa64" },
  },
  server: {
    make: "Brenn",
    model: "Rack 1U-E",
    form: "server",
    mode: "x64",
    cpuName: "Norlight X12 2.2",
    firmwareVersion: "2.18",
    signers: ["norlight2011", "norlight2023", "kittiwake"],
    revoked: 183,
    devices: [RAID, I219],
    cpu: "x64",
    memoryGiB: 64,
    disks: [
      { name: "sda", gigabytes: 960.197124096, bus: "raid" },
      { name: "sdb", gigabytes: 4000.787030016, bus: "raid" },
    ],
    keys: { setup: "F2", startMenu: "F10" },
    usb: 4,
    optical: false,
    system: { family: "linux", name: "Kittiwake Server", version: "9", arch: "x64" },
  },
} satisfies Record<string, Model>;
