import type { ImageInput } from "../../src/server/images/images";
import { dated } from "./days";

/** What is known of the demo's media: when they were written and last compared with what they should hold. */
export const STATES: Record<
  string,
  {
    condition?: "good" | "worn" | "distrusted";
    writtenOn?: string;
    verified?: { on: string; whole: boolean };
    /** Days on which it was verified before that, and found intact. */
    earlier?: string[];
  }
> = dated({
  "RM-01": {
    ...{ condition: "good", writtenOn: "2025-10-06", verified: { on: "2026-10-05", whole: true } },
    earlier: ["2025-10-06", "2026-04-02"],
  },
  "RM-02": {
    ...{ condition: "good", writtenOn: "2025-10-06", verified: { on: "2026-03-02", whole: true } },
    earlier: ["2025-10-06"],
  },
  "RM-03": { writtenOn: "2026-08-14", verified: { on: "2026-09-01", whole: false } },
  "RM-04": { condition: "worn", writtenOn: "2021-04-19" },
  "RM-05": {
    ...{ condition: "good", writtenOn: "2025-10-07", verified: { on: "2026-10-05", whole: true } },
    earlier: ["2025-10-07", "2026-03-30"],
  },
  "RM-06": {
    ...{ condition: "good", writtenOn: "2025-10-20", verified: { on: "2026-09-14", whole: true } },
    earlier: ["2025-10-20", "2026-04-11"],
  },
  "RM-07": {
    ...{ condition: "good", writtenOn: "2025-10-21", verified: { on: "2026-09-12", whole: true } },
    earlier: ["2025-10-21", "2026-04-18"],
  },
  "RM-08": {
    ...{ condition: "good", writtenOn: "2025-10-23", verified: { on: "2026-08-20", whole: true } },
    earlier: ["2025-10-23", "2026-03-12"],
  },
  "LN-01": { condition: "good", writtenOn: "2026-02-10", verified: { on: "2026-10-05", whole: true } },
  "LN-02": { condition: "worn", writtenOn: "2026-02-10" },
  "LN-04": { condition: "good", writtenOn: "2026-02-11", verified: { on: "2026-08-30", whole: true } },
  "LN-05": { condition: "good", writtenOn: "2026-02-12", verified: { on: "2026-09-14", whole: true } },
  "SP-01": { condition: "good", writtenOn: "2026-01-08", verified: { on: "2026-11-02", whole: true } },
  "SP-02": { writtenOn: "2026-01-08" },
  "SP-03": { condition: "good", writtenOn: "2020-09-01", verified: { on: "2026-06-20", whole: true } },
  "XX-01": { condition: "distrusted" },
});

/** Drills that were held: medium, computer, day, what came of it; with the firmware of that day where it was another. */
export const DRILLS: [string, string, string, "started" | "restored" | "failed", string?][] = dated([
  ["RM-01", "HO-001", "2025-10-09", "started"],
  ["RM-05", "HO-007", "2025-10-09", "started"],
  ["RM-01", "NP-K1", "2025-10-14", "started"],
  ["RM-01", "HO-SRV1", "2026-04-02", "started"],
  ["RM-02", "WS-004", "2025-10-10", "started"],
  ["RM-06", "FU-B1", "2025-10-27", "started"],
  ["RM-06", "FU-E1", "2025-10-27", "started"],
  ["RM-07", "PE-B1", "2025-10-28", "failed"],
  ["RM-07", "PE-B1", "2025-11-04", "started"],
  ["RM-07", "PE-E1", "2025-11-04", "started"],
  ["RM-08", "SA-001", "2025-10-30", "started"],
  ["RM-08", "SA-K1", "2025-10-30", "started"],
  ["LN-01", "HO-005", "2026-02-12", "started"],
  ["LN-05", "FU-C1", "2026-02-19", "started"],
  ["RM-01", "HO-001", "2026-10-06", "started"],
  ["RM-01", "HO-005", "2026-10-06", "started"],
  ["RM-01", "HO-004", "2026-04-02", "started", "2.14"],
  ["RM-05", "HO-001", "2026-10-06", "started"],
  ["LN-01", "HO-002", "2026-10-07", "started"],
  ["LN-01", "HO-003", "2026-10-07", "failed"],
  ["LN-04", "PE-B1", "2026-09-12", "started"],
  ["SP-01", "HO-SRV1", "2026-11-03", "restored"],
  ["SP-01", "HO-001", "2026-11-03", "restored"],
  ["SP-03", "WS-002", "2025-05-14", "started"],
  ["RM-04", "FU-E1", "2025-07-30", "started"],
  ["LN-01", "HO-005", "2026-10-07", "started"],
  ["RM-05", "HO-007", "2026-10-06", "started"],
  ["RM-01", "HO-SRV1", "2026-10-06", "started"],
  ["RM-02", "WS-004", "2026-05-21", "started"],
  ["RM-01", "NP-K1", "2026-10-09", "started"],
  ["RM-06", "FU-B1", "2026-09-14", "started"],
  ["RM-06", "FU-E1", "2026-09-14", "started"],
  ["RM-06", "FU-C1", "2026-09-14", "started"],
  ["LN-05", "FU-C1", "2026-09-14", "started"],
  ["RM-07", "PE-B1", "2026-09-12", "started"],
  ["RM-07", "PE-E1", "2026-09-12", "started"],
  ["RM-08", "SA-001", "2026-08-20", "started"],
  ["RM-08", "SA-002", "2026-08-20", "started"],
  ["RM-08", "SA-K1", "2026-08-20", "started"],
]);

const WHOLE_UEFI = [
  { role: "esp", active: false },
  { role: "msr", active: false },
  { role: "system", active: false },
  { role: "recovery", active: false },
];
const WHOLE_BIOS = [{ role: "system", active: true }];
const SPINDLE = { kit: "Spindle", kitVersion: "3.0", sectorBytes: 512, encrypted: false, keyPlace: null } as const;
const FULL = { kind: "full", parent: null } as const;
const gigabytes = (count: number) => Math.round(count * 1e9);

/** System images that were taken; make and model as of the computer. */
export const IMAGES_TAKEN: (Omit<ImageInput, "body"> & { body: Omit<ImageInput["body"], "make" | "model"> })[] = dated([
  {
    name: "HO-001 2026-10-30",
    computer: "HO-001",
    takenAt: "2026-10-30T18:00:00Z",
    body: {
      ...SPINDLE,
      ...FULL,
      mode: "uefi",
      diskBytes: gigabytes(500.107862016),
      partitions: WHOLE_UEFI,
      ...{
        usedBytes: gigabytes(61.4),
        storedBytes: gigabytes(35.9),
        compression: "zstd",
        takenSeconds: 840,
        state: "with all updates",
      },
      verified: { on: "2026-10-30", whole: true },
      places: [{ on: "medium", tag: "SP-01" }],
    },
  },
  {
    name: "HO-SRV1 2026-11-01",
    computer: "HO-SRV1",
    takenAt: "2026-11-01T02:00:00Z",
    body: {
      ...SPINDLE,
      ...FULL,
      mode: "uefi",
      diskBytes: gigabytes(480.103981056),
      partitions: WHOLE_UEFI,
      ...{ usedBytes: gigabytes(143), storedBytes: gigabytes(92), compression: "zstd", takenSeconds: 2300 },
      verified: { on: "2026-11-03", whole: true },
      places: [{ on: "medium", tag: "SP-01" }],
    },
  },
  {
    name: "HO-004 2026-05-12",
    computer: "HO-004",
    takenAt: "2026-05-12T17:30:00Z",
    body: {
      ...SPINDLE,
      ...FULL,
      mode: "uefi",
      diskBytes: gigabytes(256.060514304),
      partitions: WHOLE_UEFI,
      ...{ usedBytes: gigabytes(48.2), storedBytes: gigabytes(27.1), compression: "zstd" },
      verified: { on: "2026-05-12", whole: true },
      places: [],
    },
  },
  {
    name: "WS-002 2026-02-20",
    computer: "WS-002",
    takenAt: "2026-02-20T16:00:00Z",
    body: {
      ...SPINDLE,
      ...FULL,
      kitVersion: "2.3",
      mode: "bios",
      diskBytes: gigabytes(250.059350016),
      partitions: WHOLE_BIOS,
      verified: null,
      places: [{ on: "computer", tag: "WS-002", diskSerial: null }],
    },
  },
  {
    name: "NP-001 2026-09-14 increment",
    computer: "NP-001",
    takenAt: "2026-09-14T20:00:00Z",
    body: {
      ...SPINDLE,
      kind: "incremental",
      parent: "NP-001 2026-03-01",
      mode: "uefi",
      diskBytes: gigabytes(500.107862016),
      partitions: WHOLE_UEFI,
      verified: null,
      places: [{ on: "medium", tag: "SP-01" }],
    },
  },
  {
    name: "SA-001 2026-07-02",
    computer: "SA-001",
    takenAt: "2026-07-02T19:00:00Z",
    body: {
      ...SPINDLE,
      ...FULL,
      mode: "uefi",
      diskBytes: gigabytes(1000.204886016),
      partitions: [{ role: "system", active: false }],
      verified: { on: "2026-07-02", whole: true },
      places: [{ on: "disk", name: "Disk 3", site: "Sandsay" }],
    },
  },
]);
