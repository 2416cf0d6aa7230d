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
  keys: { setup: string; startMenu: string } | null;
  usb: number;
  optical: boolean;
  system: { family: string; name: string; version: string; arch: string };
}

const OFFICE = { family: "windows", name: "Gannet Desk", version: "11.4", arch: "x64" };
const LINUX = { family: "linux", name: "Kittiwake", version: "9", arch: "x64" };

export const MODELS = {
  corvane14: {
    make: "Corvane",
    model: "Slate 14",
    form: "laptop",
    mode: "x64",
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
    cpu: "x64",
    memoryGiB: 8,
    disks: [{ name: "nvme0n1", gigabytes: 256.060514304, bus: "nvme" }],
    keys: { setup: "F2", startMenu: "F12" },
    usb: 2,
    optical: false,
    system: OFFICE,
  },
  ostrel: {
    make: "Ostrel",
    model: "Block 3",
    form: "desktop",
    mode: "x64",
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
    cpu: "x64",
    memoryGiB: 8,
    disks: [{ name: "sda", gigabytes: 250.059350016, bus: "sata" }],
    keys: { setup: "Delete", startMenu: "F8" },
    usb: 6,
    optical: true,
    system: OFFICE,
  },
  marlowe: {
    make: "Marlowe",
    model: "Kiosk K2",
    form: "other",
    mode: "ia32",
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
