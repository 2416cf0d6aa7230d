import type { LinkName } from "@/core/judging/model/schema";
import type { OutcomeKind } from "@/core/judging/routes/outcome";
import { routeDocument } from "@/core/words/documents/world-answers";
import { judgedRoutes, type Question } from "@/core/world/answers";
import { readWorld, worldOf } from "@/core/world/read";

// Whole worlds, as they are judged from outside. Where a rule has a published source it is named; the rest is common practice.
export const NVME = "pci:v0000144Dd0000A808sv0000144Dsd0000A801bc01sc08i02";
export const AHCI = "pci:v00008086d0000A282sv00001234sd00005678bc01sc06i01";
export const RAID = "pci:v00008086d0000282Asv00001234sd00005678bc01sc04i00";
export const RAID_CARD = "pci:v00001000d00000097sv00001000sd00003090bc01sc04i00";
export const USB = "pci:v00008086d0000A0EDsv00001028sd00000A20bc0Csc03i30";
export const SD_HOST = "pci:v00008086d000031CCsv00001028sd00000A20bc08sc05i01";
const [ESP, MSR] = ["c12a7328-f81f-11d2-ba4b-00a0c93ec93b", "e3c9e316-0b5c-4db8-817d-f92df00215ae"];
export const LVM = "e6d6d379-f507-44c2-a23c-238f2a3df928";

export const MODULES = {
  ahci: ["pci:v*d*sv*sd*bc01sc06i01*", "pci:v00008086d0000282Asv*sd*bc*sc*i*"],
  nvme: ["pci:v*d*sv*sd*bc01sc08i02*"],
  xhci_pci: ["pci:v*d*sv*sd*bc0Csc03i30*"],
};

export const system = (more: object = {}) => ({
  ...{ family: "windows", name: "Microsoft Windows 11 Pro", version: "23H2", build: 22631, edition: "Professional" },
  ...{ arch: "x64", language: "en-GB", partition: "nvme0n1 3" },
  ...more,
});
export const main = (more: object = {}) => ({
  ...{
    name: "nvme0n1",
    bytes: 256_060_514_304,
    sectorBytes: 512,
    bus: "nvme",
    table: "gpt",
    serial: "N1",
    removable: false,
  },
  partitions: [
    { number: 1, type: ESP, bytes: 272_629_760, usedBytes: 33_554_432, filesystem: "fat32" },
    { number: 2, type: MSR, bytes: 16_777_216 },
    { number: 3, bytes: 200e9, usedBytes: 60e9, filesystem: "ntfs", role: "system" },
    { number: 4, bytes: 50e9, usedBytes: 10e9, filesystem: "ntfs", role: "data" },
  ],
  ...more,
});
export const second = (more: object = {}) => ({
  ...{
    name: "sda",
    bytes: 1_000_204_886_016,
    sectorBytes: 512,
    bus: "sata",
    table: "gpt",
    serial: "S2",
    removable: false,
  },
  partitions: [
    { number: 1, type: ESP, bytes: 272_629_760 },
    { number: 2, bytes: 900e9, filesystem: "ntfs", role: "data" },
  ],
  ...more,
});
export const firmware = (more: object = {}) => ({
  ...{ kind: "uefi", arch: "x64", version: "2.1", legacyMode: "off", usbStart: "on", fastBoot: "off" },
  ...{ secureBoot: { state: "off" } },
  ...more,
});
const facts = (more: object = {}) => ({
  schema: "creel.facts/1",
  computer: { tag: "HO-1", make: "Corvane", model: "Slate 14", form: "laptop" },
  firmware: firmware(),
  cpu: { arch: "x64" },
  disks: [main()],
  devices: [NVME, AHCI, USB].map((modalias) => ({ modalias })),
  systems: [system()],
  ports: { usb: 3, optical: false },
  ...more,
});
export const image = (more: object = {}) => ({
  ...{ id: "I1", computer: "HO-1", make: "Corvane", model: "Slate 14", takenAt: "2026-06-30T10:00:00Z" },
  ...{ kit: "Spindle", kitVersion: "3", mode: "uefi", diskBytes: 256_060_514_304, sectorBytes: 512 },
  partitions: [
    { role: "esp", active: false },
    { role: "system", active: false },
  ],
  ...{
    encrypted: false,
    kind: "full",
    verified: { on: "2026-06-30", whole: true },
    usedBytes: 60e9,
    storedBytes: 36e9,
  },
  places: [{ on: "disk", name: "Disk 3", site: "Head office" }],
  ...more,
});
const medium = (tag: string, release: string, more: object = {}) => ({
  ...{ tag, kind: "usb", site: "Head office", condition: "good", writtenOn: "2026-05-20", releases: [release] },
  ...{ verified: { on: "2026-06-01", whole: true }, startsBy: { uefi: ["x64"], bios: true } },
  ...more,
});
export const INCLUDED = {
  ...{ family: "windows", name: "Windows 11 Pro", version: "24H2", build: 26100, edition: "Pro", arch: "x64" },
  ...{ language: "en-GB", role: "installs" },
};

export interface Parts {
  facts?: object;
  computer?: object;
  spindle?: object;
  lantern?: object;
  spindleMedium?: object;
  lanternMedium?: object;
  images?: object[];
  more?: object;
}

export function world(parts: Parts = {}) {
  return {
    ...{ schema: "creel.world/1", today: "2026-07-01", sites: [{ name: "Head office" }] },
    travel: [["Head office", "North Pier", 40]],
    computers: [{ tag: "HO-1", site: "Head office", facts: facts(parts.facts), ...parts.computer }],
    releases: [
      {
        ...{ name: "Spindle 3", family: "Linux", arch: "x64", madeOn: "2026-01-01", systems: [] },
        facts: { purposes: ["put-back-images", "file-rescue", "network"] },
        drivers: { kind: "modules", drivers: MODULES },
        ...parts.spindle,
      },
      {
        ...{ name: "Lantern 12", family: "PE", arch: "x64", madeOn: "2026-05-12", systems: [INCLUDED] },
        facts: { purposes: ["reinstall", "start-up-repair"] },
        drivers: { kind: "modules", drivers: MODULES },
        ...parts.lantern,
      },
    ],
    media: [medium("SP-1", "Spindle 3", parts.spindleMedium), medium("LN-1", "Lantern 12", parts.lanternMedium)],
    images: parts.images ?? [image()],
    ...parts.more,
  };
}

export function answers(parts: Parts, question: Question = {}) {
  const reading = readWorld(world(parts));
  if (!reading.ok) throw new Error(`${reading.at}: ${reading.told}`);
  return judgedRoutes(worldOf(reading.document), question).map(routeDocument);
}

/** The first route with an outcome, as one link of it is judged: its verdict and codes. */
export function link(name: LinkName, outcome: OutcomeKind, parts: Parts): string[] {
  const [route] = answers(parts, { outcome });
  const judged = route?.links[name];
  return judged ? [judged.verdict, ...judged.reasons.map(({ code }) => code)] : ["no route"];
}
export const changes = (outcome: OutcomeKind, parts: Parts) =>
  (answers(parts, { outcome })[0]?.changes ?? [])
    .filter(({ link: of }) => of !== "proven")
    .map(({ setting, from, to, phase }) => `${phase} ${setting} ${from} ${to}`);
export const codes = (outcome: OutcomeKind, parts: Parts, question: Question = {}) =>
  (answers(parts, { ...question, outcome })[0]?.steps ?? []).map(({ code }) => code);
export const text = (outcome: OutcomeKind, parts: Parts, question: Question = {}) =>
  (answers(parts, { ...question, outcome })[0]?.steps ?? [])
    .map((step) => [step.text, ...step.detail].join(" "))
    .join("\n");
export const disks = (...all: object[]) => ({ facts: { disks: all } });
