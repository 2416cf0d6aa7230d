import type { MediumKind } from "../../src/core/judging/model/parts";
import type { ReleaseFacts } from "../../src/core/medium/releases/facts";
import { dated } from "./days";
import type { ImageName } from "./images";
import { MODELS, type Mode, type Model, NEW_RAID } from "./models";
import { allowing, revoking } from "./signers";

/** Skerry Line, a small island ferry operator. All makers, models, kits, people and systems are invented. */
export const PEOPLE = [
  { name: "Ina Torvald", role: "Technician", access: "lead" },
  { name: "Col Marrick", role: "Technician", access: "technician" },
  { name: "Runa Esk", role: "Head of IT", access: "administrator" },
  { name: "Tam Gorrie", role: "Trainee", access: "reader" },
];

export const SITES = [
  { name: "Head office", place: "Harrick, Quay Street 4" },
  { name: "Workshop", place: "Harrick, slipway" },
  { name: "North Pier", place: "Ticket office, Harrick" },
  { name: "Sandsay", place: "Ticket office, Sandsay harbour" },
  { name: "MV Petrel", place: "Harrick to Sandsay" },
  { name: "MV Fulmar", place: "Outer isles" },
];

/** `image`: the file that a release was born from; `by`: the release that takes its place. */
export const KITS: {
  name: string;
  family: string;
  purpose: string;
  releases: {
    name: string;
    madeOn: string;
    image?: ImageName;
    by?: string;
    facts: ReleaseFacts;
    note?: string;
  }[];
}[] = dated([
  {
    name: "Bollard",
    family: "Linux",
    purpose: "General rescue environment: files, partitions, start-up repair",
    releases: [
      {
        name: "4.1",
        madeOn: "2021-02-11",
        image: "bollard4",
        by: "Bollard 5.0",
        facts: { purposes: ["file-rescue", "partition-repair"], opens: [], abilities: [] },
        note: "Kept for the bridge computers that start by BIOS only.",
      },
      {
        name: "5.0",
        madeOn: "2025-09-30",
        image: "bollard5",
        facts: {
          purposes: ["start-up-repair", "file-rescue", "partition-repair", "network"],
          opens: [],
          abilities: [],
        },
      },
    ],
  },
  {
    name: "Lantern",
    family: "PE",
    purpose: "Repair environment for the office systems",
    releases: [
      {
        name: "11",
        madeOn: "2023-05-04",
        image: "lantern11",
        by: "Lantern 12",
        facts: { purposes: ["start-up-repair"], opens: [], abilities: [] },
      },
      {
        name: "12",
        madeOn: "2026-01-19",
        image: "lantern12",
        facts: { purposes: ["start-up-repair", "reinstall", "remote-help"], opens: [], abilities: [] },
      },
    ],
  },
  {
    name: "Spindle",
    family: "Linux",
    purpose: "Takes and puts back system images",
    releases: [
      {
        name: "2.3",
        madeOn: "2020-08-27",
        image: "spindleDisc",
        by: "Spindle 3.0",
        facts: { purposes: ["put-back-images"], opens: [{ kit: "Spindle", upTo: "2.3" }], abilities: [] },
      },
      {
        name: "3.0",
        madeOn: "2025-11-12",
        image: "spindle3",
        facts: {
          purposes: ["put-back-images", "network", "copy-disks"],
          opens: [{ kit: "Spindle", upTo: "3.0" }],
          abilities: ["hardware-move", "single-partitions"],
        },
      },
    ],
  },
]);

/** Release calendars of the invented systems, in the form of distro-info-data. */
export const CALENDARS = dated([
  {
    product: "Kittiwake",
    fileName: "kittiwake.csv",
    text: [
      "version,codename,series,created,release,eol,eol-lts",
      "6,Kelp,kelp,2014-06-01,2015-04-25,2018-06-17,2020-06-30",
      "8,Marram,marram,2018-05-01,2019-07-06,2022-09-10,2027-06-30",
      "9,Samphire,samphire,2021-05-01,2022-08-14,2027-08-14,2030-06-30",
    ].join("\n"),
  },
  {
    product: "Gannet Desk",
    fileName: "gannet-desk.csv",
    text: [
      "version,codename,series,created,release,eol",
      "10.2,Gannet Desk 10.2,g102,,2021-11-16,2025-10-14",
      "11.4,Gannet Desk 11.4,g114,,2024-10-01,2026-12-08",
    ].join("\n"),
  },
]);

export const VIEWS = [
  { name: "Secure Boot on", query: "?secure=on" },
  { name: "To be collected", query: "?missing=any&sort=-missing" },
];

export interface Machine {
  tag: string;
  name: string;
  site: string;
  model: keyof typeof MODELS;
  /** Departures from the model's usual state. */
  mode?: Mode;
  secureBoot?: "on" | "off" | "setup" | "absent" | null;
  fastBoot?: "on" | "off";
  usbStart?: "on" | "off";
  unknownFirmware?: boolean;
  listsUnknown?: boolean;
  /** Where the recovery key of its encrypted system is kept; null: encrypted, and nobody knows. */
  keyPlace?: string | null;
  system?: { version: string; build?: number };
  /** Takes the place of the model's storage controllers. */
  controller?: Model["devices"][number];
  note?: string;
}

export const MACHINES: Machine[] = [
  { tag: "HO-001", name: "Reception", site: "Head office", model: "ostrel" },
  {
    tag: "HO-002",
    name: "Accounts 1",
    site: "Head office",
    model: "corvane14",
    secureBoot: "on",
    keyPlace: "Safe at head office, envelope 3",
  },
  { tag: "HO-003", name: "Accounts 2", site: "Head office", model: "corvane14", secureBoot: "on", keyPlace: null },
  { tag: "HO-004", name: "Timetables", site: "Head office", model: "corvane14" },
  { tag: "HO-005", name: "Crewing", site: "Head office", model: "corvane13" },
  { tag: "HO-006", name: "Management", site: "Head office", model: "corvane14", secureBoot: "on", listsUnknown: true },
  { tag: "HO-007", name: "Meeting room", site: "Head office", model: "ostrelOld" },
  { tag: "HO-SRV1", name: "Files and bookings", site: "Head office", model: "server" },
  {
    tag: "HO-SRV2",
    name: "Spare server",
    site: "Head office",
    model: "server",
    secureBoot: "setup",
    controller: NEW_RAID,
    note: "Its controller was replaced after the flood.",
  },
  { tag: "WS-001", name: "Parts desk", site: "Workshop", model: "ostrel", fastBoot: "on" },
  {
    tag: "WS-002",
    name: "Welding bay",
    site: "Workshop",
    model: "ostrelOld",
    system: { version: "10.2", build: 20991 },
  },
  { tag: "WS-003", name: "Diagnostics laptop", site: "Workshop", model: "corvane13", secureBoot: "on" },
  {
    tag: "WS-004",
    name: "Lathe control",
    site: "Workshop",
    model: "engine",
    note: "Runs the lathe's own software. Do not update.",
  },
  { tag: "NP-001", name: "Counter 1", site: "North Pier", model: "ostrel" },
  { tag: "NP-002", name: "Counter 2", site: "North Pier", model: "ostrel" },
  { tag: "NP-003", name: "Counter 3", site: "North Pier", model: "ostrel", usbStart: "off" },
  { tag: "NP-K1", name: "Kiosk, pier head", site: "North Pier", model: "marlowe" },
  { tag: "NP-K2", name: "Kiosk, car lane", site: "North Pier", model: "marlowe" },
  { tag: "NP-T1", name: "Boarding tablet", site: "North Pier", model: "halyde", secureBoot: "off" },
  { tag: "SA-001", name: "Counter 1", site: "Sandsay", model: "ostrel" },
  { tag: "SA-002", name: "Counter 2", site: "Sandsay", model: "ostrelOld" },
  { tag: "SA-K1", name: "Kiosk", site: "Sandsay", model: "marlowe" },
  { tag: "SA-T1", name: "Boarding tablet", site: "Sandsay", model: "halyde", secureBoot: "off" },
  { tag: "PE-B1", name: "Bridge, chart table", site: "MV Petrel", model: "bridge" },
  { tag: "PE-B2", name: "Bridge, log", site: "MV Petrel", model: "bridge", secureBoot: "on" },
  { tag: "PE-E1", name: "Engine room", site: "MV Petrel", model: "engine" },
  { tag: "PE-C1", name: "Café till", site: "MV Petrel", model: "ostrel", secureBoot: null },
  { tag: "FU-B1", name: "Bridge, chart table", site: "MV Fulmar", model: "bridge" },
  { tag: "FU-E1", name: "Engine room", site: "MV Fulmar", model: "engine" },
  { tag: "FU-C1", name: "Purser", site: "MV Fulmar", model: "corvane13" },
  {
    tag: "FU-X1",
    name: "Saloon screen",
    site: "MV Fulmar",
    model: "ostrel",
    unknownFirmware: true,
    note: "Bought second-hand; nobody has looked into its set-up yet.",
  },
];

/** `creel.facts/1` of a machine. */
export function factsOf(machine: Machine, index: number): Record<string, unknown> {
  const model: Model = MODELS[machine.model];
  const mode = machine.mode ?? model.mode;
  const uefi = mode !== "bios";
  const arch = mode === "legacy" ? "x64" : mode;
  const state = machine.secureBoot === undefined ? "off" : machine.secureBoot;
  return {
    schema: "creel.facts/1",
    computer: {
      tag: machine.tag,
      make: model.make,
      model: model.model,
      serial: serialOf(model.make, index),
      form: model.form,
    },
    firmware: machine.unknownFirmware
      ? {}
      : {
          kind: uefi ? "uefi" : "bios",
          arch: uefi ? arch : null,
          vendor: uefi ? "Norlight Firmware" : "Pharos BIOS",
          version: model.firmwareVersion,
          legacyMode: uefi ? (mode === "legacy" ? "on" : model.form === "desktop" ? "off" : "absent") : null,
          secureBoot: uefi ? { state, ...listsOf(model, machine.listsUnknown === true) } : null,
          fastBoot: machine.fastBoot ?? (uefi ? "off" : null),
          usbStart: machine.usbStart ?? "on",
          keys: null,
        },
    cpu: { arch: model.cpu, name: model.cpuName },
    memoryBytes: model.memoryGiB * 2 ** 30,
    disks: model.disks.map((disk, at) => ({
      name: disk.name,
      bytes: Math.round(disk.gigabytes * 1e9),
      sectorBytes: 512,
      bus: disk.bus,
      table: uefi && mode !== "legacy" ? "gpt" : "mbr",
      serial: serialOf(disk.name, index * 10 + at),
      removable: false,
      model: `${model.make} ${Math.round(disk.gigabytes)}`,
      partitions:
        at === 0
          ? partitionsOf(Math.round(disk.gigabytes * 1e9), mode, model.system.family, index, machine.keyPlace)
          : [
              {
                number: 1,
                type: null,
                start: 1048576,
                bytes: Math.round(disk.gigabytes * 1e9) - 2097152,
                usedBytes: Math.round(disk.gigabytes * 4.1e8),
                filesystem: "ext4",
                role: "data",
              },
            ],
    })),
    devices: machine.unknownFirmware ? null : devicesOf(model, machine.controller),
    systems: [{ ...model.system, ...(machine.system ?? {}), language: "en-GB" }],
    ports: { usb: model.usb, optical: model.optical },
  };
}

function devicesOf({ devices }: Model, controller: Machine["controller"]): Model["devices"] {
  return controller ? [controller, ...devices.filter((each) => each.class !== "storage")] : devices;
}

function serialOf(seed: string, number: number): string {
  return `${seed.slice(0, 3).toUpperCase()}${((7919 * (number + 11) + seed.length * 104729) % 900000) + 100000}`;
}

const MIB = 1048576;

function listsOf(model: Model, unknown: boolean): Record<string, unknown> {
  if (unknown || model.signers.length === 0) return {};
  return {
    db: allowing(...model.signers),
    dbx: revoking(model.revoked),
    sbatLevel: "sbat,1,2023012900\nshim,2\ngrub,3\n",
  };
}

function partitionsOf(
  diskBytes: number,
  mode: Mode,
  family: string,
  index: number,
  keyPlace?: string | null,
): Record<string, unknown>[] {
  const share = 0.18 + ((index * 37) % 50) / 100;
  const locked = keyPlace === undefined ? {} : { encryption: family === "windows" ? "bitlocker" : "luks", keyPlace };
  const parts: { bytes: number; filesystem: string; role: string; usedBytes?: number }[] = [];
  if (mode !== "bios" && mode !== "legacy")
    parts.push({ bytes: 260 * MIB, filesystem: "fat32", role: "esp", usedBytes: 33 * MIB });
  const recovery = family === "windows" ? 900 * MIB : 0;
  const used = parts.reduce((sum, part) => sum + part.bytes, 0) + recovery + 2 * MIB;
  const rest = Math.floor((diskBytes - used) / MIB) * MIB;
  if (family === "windows")
    parts.push(
      { bytes: rest, filesystem: "ntfs", role: "system", usedBytes: Math.round(rest * share), ...locked },
      { bytes: recovery, filesystem: "ntfs", role: "recovery", usedBytes: 612 * MIB },
    );
  else {
    const system = Math.floor((rest * 0.6) / MIB) * MIB;
    parts.push(
      { bytes: system, filesystem: "ext4", role: "system", usedBytes: Math.round(system * share), ...locked },
      { bytes: rest - system, filesystem: "ext4", role: "data", usedBytes: Math.round((rest - system) * share * 0.7) },
    );
  }
  let start = MIB;
  return parts.map((part, at) => {
    const placed = { number: at + 1, type: null, start, ...part };
    start += part.bytes;
    return placed;
  });
}

export const MEDIA: {
  tag: string;
  name: string;
  kind: MediumKind;
  gigabytes: number | null;
  site: string | null;
  load: string | null;
  image: ImageName | null;
  note?: string;
}[] = [
  {
    tag: "RM-01",
    name: "Rescue stick, head office",
    kind: "usb",
    gigabytes: 32,
    site: "Head office",
    load: "Bollard 5.0",
    image: "bollard5",
  },
  {
    tag: "RM-02",
    name: "Rescue stick, workshop",
    kind: "usb",
    gigabytes: 32,
    site: "Workshop",
    load: "Bollard 5.0",
    image: "bollard5",
  },
  {
    tag: "RM-03",
    name: "Rescue stick, North Pier",
    kind: "usb",
    gigabytes: 16,
    site: "North Pier",
    load: "Bollard 5.0",
    image: "bollardCut",
    note: "Written in a hurry from a download.",
  },
  {
    tag: "RM-04",
    name: "Old rescue stick",
    kind: "usb",
    gigabytes: 4,
    site: "MV Fulmar",
    load: "Bollard 4.1",
    image: "bollard4",
  },
  {
    tag: "RM-05",
    name: "Rescue disc",
    kind: "optical",
    gigabytes: 4.7,
    site: "Head office",
    load: "Bollard 5.0",
    image: "bollard5",
  },
  {
    tag: "RM-06",
    name: "Rescue stick, Fulmar",
    kind: "usb",
    gigabytes: 16,
    site: "MV Fulmar",
    load: "Bollard 5.0",
    image: "bollard5",
  },
  {
    tag: "RM-07",
    name: "Rescue stick, Petrel",
    kind: "usb",
    gigabytes: 16,
    site: "MV Petrel",
    load: "Bollard 5.0",
    image: "bollard5",
  },
  {
    tag: "RM-08",
    name: "Rescue stick, Sandsay",
    kind: "usb",
    gigabytes: 16,
    site: "Sandsay",
    load: "Bollard 5.0",
    image: "bollard5",
  },
  {
    tag: "LN-01",
    name: "Repair stick",
    kind: "usb",
    gigabytes: 64,
    site: "Head office",
    load: "Lantern 12",
    image: "lantern12",
  },
  {
    tag: "LN-02",
    name: "Repair stick, Sandsay",
    kind: "usb",
    gigabytes: 64,
    site: "Sandsay",
    load: "Lantern 12",
    image: "lantern12Worn",
  },
  {
    tag: "LN-03",
    name: "Old repair stick",
    kind: "usb",
    gigabytes: 16,
    site: "North Pier",
    load: "Lantern 11",
    image: "lantern11",
  },
  {
    tag: "LN-04",
    name: "Repair stick, Petrel",
    kind: "usb",
    gigabytes: 64,
    site: "MV Petrel",
    load: "Lantern 12",
    image: "lantern12",
  },
  {
    tag: "LN-05",
    name: "Repair stick, Fulmar",
    kind: "usb",
    gigabytes: 64,
    site: "MV Fulmar",
    load: "Lantern 12",
    image: "lantern12",
  },
  {
    tag: "SP-01",
    name: "Image disk",
    kind: "disk",
    gigabytes: 2000,
    site: "Head office",
    load: "Spindle 3.0",
    image: "spindle3",
  },
  {
    tag: "SP-02",
    name: "Image stick",
    kind: "usb",
    gigabytes: 128,
    site: "Workshop",
    load: "Spindle 3.0",
    image: "spindle3Inactive",
  },
  {
    tag: "SP-03",
    name: "Image disc",
    kind: "optical",
    gigabytes: 0.737,
    site: "Workshop",
    load: "Spindle 2.3",
    image: "spindleDisc",
  },
  {
    tag: "SP-04",
    name: "Image stick made from the disc",
    kind: "usb",
    gigabytes: 8,
    site: "Sandsay",
    load: "Spindle 2.3",
    image: "spindleDisc",
  },
  {
    tag: "XX-01",
    name: "Stick from a drawer",
    kind: "usb",
    gigabytes: 8,
    site: "North Pier",
    load: null,
    image: "papers",
  },
  {
    tag: "FI-01",
    name: "Bollard 5.0, to be written",
    kind: "file",
    gigabytes: null,
    site: "Head office",
    load: "Bollard 5.0",
    image: null,
  },
];
