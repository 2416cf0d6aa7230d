import type { StoreInput } from "../../src/server/services/stores";

const TB = 1e12;
const GB = 1e9;

/** Where Skerry Line keeps its images. Sites, media and computers by name and tag. */
export const STORES: (Pick<StoreInput, "name" | "kind"> &
  Partial<Omit<StoreInput, "name" | "kind" | "siteId" | "reachedFrom">> & {
    site?: string;
    reachedFrom?: string[];
    /** How full it was, a week apart, the last one of this many weeks ago first; bytes. */
    fills?: number[];
  })[] = [
  {
    name: "Image share",
    kind: "share",
    site: "Head office",
    reachedFrom: ["Head office", "Workshop", "North Pier"],
    address: "smb://keep.skerry.example/images",
    link: "lan-1000",
    capacityBytes: 4 * TB,
    folder: "image-share",
    namePattern: "{computer} {date} {state}",
    fills: Array.from(
      { length: 26 },
      (_, week) => 2.1 * TB + week * 44 * GB + (week % 4) * 9 * GB - (week > 14 ? 160 * GB : 0),
    ),
  },
  {
    name: "Vault behind Spindle",
    kind: "medium",
    medium: "SP-01",
    link: "usb3",
    capacityBytes: 1.9 * TB,
    fills: [0.3 * TB, 0.34 * TB, 0.37 * TB, 0.41 * TB],
  },
  {
    name: "Disk 3",
    kind: "disk",
    site: "Sandsay",
    link: "usb2",
    capacityBytes: 1 * TB,
    fills: [0.62 * TB],
  },
  {
    name: "Second partition of WS-002",
    kind: "computer",
    computer: "WS-002",
    link: "hard-disk",
    capacityBytes: 120 * GB,
    fills: [81 * GB],
  },
];

/** Copies of images, by store and path. Those on the share are real files, small ones. */
export const COPIES: { image: string; store: string; path: string; verified?: { on: string; whole: boolean } }[] = [
  {
    image: "HO-004 2026-05-12",
    store: "Image share",
    path: "HO-004 2026-05-12.img.gz",
    verified: { on: "2026-05-12", whole: true },
  },
  {
    image: "HO-SRV1 2026-11-01",
    store: "Image share",
    path: "servers/HO-SRV1 2026-11-01.img.gz",
    verified: { on: "2026-11-03", whole: true },
  },
  { image: "WS-002 2026-02-20", store: "Second partition of WS-002", path: "WS-002 2026-02-20.img" },
];

/** Files that lie on the share and are recorded nowhere yet: for a look through it to find. */
export const STRAYS = [
  "HO-002 2026-11-20 before the update.img.gz",
  "old/NP-001 2026-03-01 clean.img.gz",
  "old/scan of receipts.img.gz",
];
