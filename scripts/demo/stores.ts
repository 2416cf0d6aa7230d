import type { Happening } from "../../src/core/callout/happenings";
import type { CalloutOutcome } from "../../src/core/callout/record";
import type { StoreInput } from "../../src/server/images/stores";
import { dated } from "./days";

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
      (_, week) => 2.8 * TB + week * 44 * GB + (week % 4) * 9 * GB - (week > 14 ? 160 * GB : 0),
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
export const COPIES: { image: string; store: string; path: string; verified?: { on: string; whole: boolean } }[] =
  dated([
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
  ]);

/** Files that lie on the share and are recorded nowhere yet: for a look through it to find. */
export const STRAYS = dated([
  "HO-002 2026-11-20 before the update.img.gz",
  "old/NP-001 2026-03-01 clean.img.gz",
  "old/scan of receipts.img.gz",
]);

/** Call-outs of the last months, and one that is open; `minutes`: until the computer was handed back. */
export const CALLOUTS: {
  computer: string;
  happening: Happening;
  at: string;
  minutes: number;
  cameBack: CalloutOutcome["cameBack"] | null;
  lost: string | null;
  failed: string | null;
}[] = dated([
  {
    computer: "HO-005",
    happening: "does-not-start",
    at: "2026-08-03T07:40:00Z",
    minutes: 35,
    cameBack: "start-up",
    lost: null,
    failed: null,
  },
  {
    computer: "NP-001",
    happening: "bad-update",
    at: "2026-08-19T09:05:00Z",
    minutes: 140,
    cameBack: "reinstall",
    lost: "local settings",
    failed: "The first stick was not in the start menu; fast boot was on.",
  },
  {
    computer: "HO-SRV1",
    happening: "disk-gone",
    at: "2026-09-22T05:50:00Z",
    minutes: 118,
    cameBack: "image",
    lost: "one night of bookings",
    failed: null,
  },
  {
    computer: "SA-001",
    happening: "files-lost",
    at: "2026-10-02T10:20:00Z",
    minutes: 75,
    cameBack: "files",
    lost: null,
    failed: null,
  },
  {
    computer: "HO-001",
    happening: "disk-gone",
    at: "2026-10-14T08:15:00Z",
    minutes: 92,
    cameBack: "image",
    lost: "a day of letters",
    failed: null,
  },
  {
    computer: "HO-002",
    happening: "does-not-start",
    at: "2026-11-26T06:30:00Z",
    minutes: 0,
    cameBack: null,
    lost: null,
    failed: null,
  },
]);
