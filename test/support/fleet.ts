import { factsSchema } from "@/core/computer/facts/schema";
import type { FleetMedium, World } from "@/core/fleet/world";
import type { ComputerPart, DrillPart, ImagePart, PolicyPart, ReleasePart } from "@/core/judging/model/parts";
import { USUAL_POLICY } from "@/core/judging/model/parts";
import { DriverIndex } from "@/core/medium/drivers/driver-set";
import type { UefiView } from "@/core/medium/firmware/uefi/view";
import type { Views } from "@/core/medium/inspection/schema";

type Roll = (n: number) => number;
const pick = <T>(roll: Roll, from: readonly T[]): T => from[roll(from.length)] as T;

/** Fleets made at random, for properties that must hold in every one. */

const NOTHING: UefiView = { notes: [], volumes: [] };

/** What firmware makes of a medium with unsigned loaders for some architectures, and start code for BIOS or none. */
export function viewsWith(archs: ("x64" | "ia32")[], bios: boolean): Views {
  const files = Object.fromEntries(
    archs.map((arch) => [
      arch,
      {
        loader: {
          file: `/EFI/BOOT/BOOT${arch === "x64" ? "X64" : "IA32"}.EFI`,
          bytes: 1000,
          readable: true,
          pe: true,
          machine: arch,
          machineNumber: arch === "x64" ? 0x8664 : 0x14c,
          subsystem: 10,
          faults: [],
          sbat: null,
          signing: { digests: { sha256: "00".repeat(32) }, signed: false, tableCut: false, entries: [] },
          firstStage: null,
        },
        next: null,
      },
    ]),
  );
  const uefi: UefiView = {
    notes: [],
    volumes: [{ place: [], start: 0, length: 1 << 20, filesystem: "fat16", label: null, leniencies: [], files }],
  };
  const view = bios
    ? {
        outcome: "starts" as const,
        steps: [{ code: "core-runs" as const, program: "grub" as const, place: [] }],
        leniencies: [],
      }
    : { outcome: "stops" as const, steps: [{ code: "sector-unsigned" as const, place: [] }], leniencies: [] };
  return {
    uefi: { usb: uefi, optical: NOTHING },
    bios: { usb: view, optical: { outcome: "stops", steps: [], leniencies: [] } },
    certificates: {},
  } as Views;
}

const SATA = "pci:v00008086d0000A282sv00001234sd00005678bc01sc06i01";
const NVME = "pci:v0000144Dd0000A808sv0000144Dsd0000A801bc01sc08i02";
const MAPPED = "pci:v00008086d00009A0Bsv00000000sd00000000bc01sc04i00";
const WIRED = "pci:v00008086d000015FBsv00001028sd00000A20bc02sc00i00";
const USB = "pci:v00008086d0000A0EDsv00001028sd00000A20bc0Csc03i30";

const index = (drivers: Record<string, string[]>, kind: "modules" | "inf" = "modules") =>
  new DriverIndex([{ kind, path: "list", kernel: kind === "modules" ? "6.1" : null, arch: null, drivers }]);

const MODULES = {
  ahci: ["pci:v*d*sv*sd*bc01sc06i01*"],
  nvme: ["pci:v*d*sv*sd*bc01sc08i02*"],
  xhci: ["pci:v*d*sv*sd*bc0Csc03i30*"],
};

const RELEASES: ReleasePart[] = [
  release("Bollard 4", "Linux", ["file-rescue"], index(MODULES)),
  release(
    "Bollard 5",
    "Linux",
    ["file-rescue", "network"],
    index({ ...MODULES, vmd: [`${MAPPED.slice(0, 28)}*`], e1000e: [`${WIRED.slice(0, 28)}*`] }),
  ),
  release("Lantern 12", "PE", ["start-up-repair", "reinstall"], index({ "nvme.inf": ["PCI\\CC_010802"] }, "inf")),
  release("Spindle 3", "Linux", ["put-back-images", "network"], index(MODULES)),
  release("Plain", null, [], null),
];

function release(
  name: string,
  family: string | null,
  purposes: ReleasePart["facts"]["purposes"],
  drivers: DriverIndex | null,
): ReleasePart {
  const [kit = name, version = "1"] = name.split(" ");
  return {
    name,
    kit,
    version,
    family,
    arch: "x64",
    madeOn: "2025-06-01",
    facts: { purposes, opens: [], abilities: [] },
    drivers,
    systems: [
      {
        family: "windows",
        name: "Gannet Desk",
        version: "11.4",
        build: 20000,
        edition: "Pro",
        arch: "x64",
        language: "en-GB",
        role: "installs",
      },
    ],
  };
}

/** What a maker's own medium is: the state of one model. */
const MAKERS: ReleasePart = (() => {
  const own = release("Fathom 1", "PE", ["factory-state"], index(MODULES));
  return { ...own, facts: { ...own.facts, factoryOf: { make: "Corvane", model: "14" } } };
})();

const SITES = ["Head office", "Workshop", "North Pier", null];

function computer(roll: Roll, at: number): ComputerPart {
  const some = <T>(value: T): T | null => (roll(5) === 0 ? null : value);
  const kind = some(pick(roll, ["uefi", "bios"]));
  const nvme = roll(2) === 0;
  const facts = factsSchema.parse({
    schema: "creel.facts/1",
    computer: { tag: `C-${at}`, make: "Corvane", model: pick(roll, ["13", "14"]) },
    firmware: {
      kind,
      arch: some(pick(roll, ["x64", "ia32"])),
      version: some(pick(roll, ["1.0", "1.1"])),
      legacyMode: some(pick(roll, ["on", "off", "absent"])),
      secureBoot: some({
        state: some(pick(roll, ["on", "off", "setup"])),
        db: some(""),
        dbx: some(""),
        sbatLevel: some(""),
      }),
      fastBoot: some(pick(roll, ["on", "off"])),
      usbStart: some(pick(roll, ["on", "off"])),
    },
    ports: some({ usb: roll(3), optical: roll(2) === 0 }),
    disks: some([
      {
        name: "disk0",
        bytes: pick(roll, [128e9, 256e9]),
        sectorBytes: some(512),
        bus: nvme ? "nvme" : "sata",
        partitions: [{ number: 1, bytes: 100e9, role: "system", encryption: some("luks"), keyPlace: some("Safe") }],
      },
    ]),
    devices: some(
      [nvme ? NVME : SATA, ...(roll(3) === 0 ? [MAPPED] : []), WIRED, USB].map((modalias) => ({ modalias })),
    ),
    systems: some([
      {
        family: some("windows"),
        name: "Gannet Desk",
        version: some(pick(roll, ["11.4", "10.2"])),
        build: 19000,
        edition: some("Pro"),
        arch: some("x64"),
        language: "en-GB",
      },
    ]),
  });
  return { tag: `C-${at}`, site: pick(roll, SITES), facts };
}

function medium(roll: Roll, at: number): FleetMedium {
  const shapes = [
    { key: "x64", views: viewsWith(["x64"], false) },
    { key: "both", views: viewsWith(["x64", "ia32"], true) },
    { key: "bios", views: viewsWith([], true) },
    null,
  ];
  const wrote = roll(3) === 0 ? null : pick(roll, ["2025-01-01", "2026-10-01"]);
  return {
    part: {
      tag: `M-${at}`,
      site: pick(roll, SITES),
      lentTo: roll(8) === 0 ? "Col Marrick" : null,
      retired: false,
      condition: pick(roll, ["good", "worn", null, "distrusted"]),
      writtenOn: wrote,
      verified: roll(2) === 0 ? null : { on: "2026-10-10", whole: roll(6) > 0 },
      copies: [],
    },
    as: pick(roll, ["usb", null] as const),
    views: pick(roll, shapes),
    fault: null,
    releases: split(
      roll,
      roll(6) === 0
        ? []
        : [pick(roll, RELEASES), ...(roll(3) === 0 ? [RELEASES[3] as ReleasePart] : [])].filter(
            (each, i, all) => all.indexOf(each) === i,
          ),
    ),
  };
}

/** Of several releases on a medium, sometimes each in a partition of its own, for firmware of its own. */
function split(roll: Roll, releases: ReleasePart[]): ReleasePart[] {
  const [first, second] = releases;
  if (!first || !second || roll(2) === 0) return releases;
  return [
    { ...first, startedBy: roll(2) === 0 ? ["x64", "bios"] : ["ia32"] },
    { ...second, startedBy: ["ia32", "bios"] },
  ];
}

function image(roll: Roll, at: number, computers: number, media: number): ImagePart {
  const some = <T>(value: T): T | null => (roll(6) === 0 ? null : value);
  return {
    id: `I-${at}`,
    computer: `C-${roll(computers)}`,
    make: "Corvane",
    model: some("14"),
    takenAt: pick(roll, ["2026-01-01T00:00:00Z", "2026-09-01T00:00:00Z"]),
    kit: some("Spindle"),
    kitVersion: some(pick(roll, ["2", "4"])),
    mode: some(pick(roll, ["uefi", "bios"])),
    diskBytes: some(pick(roll, [128e9, 256e9])),
    sectorBytes: some(512),
    partitions: some([
      { role: "esp", active: false },
      { role: "system", active: roll(2) === 0 },
    ]),
    encrypted: some(false),
    keyPlace: null,
    kind: pick(roll, ["full", "incremental"]),
    parent: roll(2) === 0 ? `I-${roll(at + 1)}` : null,
    verified: some({ on: "2026-09-02", whole: roll(8) > 0 }),
    places: [
      pick(roll, [
        { on: "medium" as const, tag: `M-${roll(media)}` },
        { on: "share" as const, name: "Images at head office", sites: some(["Head office"]) },
        { on: "disk" as const, name: "Disk 3", site: "Workshop" },
        { on: "computer" as const, tag: "C-0", diskSerial: null },
      ]),
    ],
  };
}

function drill(roll: Roll, computers: number, media: number): DrillPart {
  return {
    medium: `M-${roll(media)}`,
    computer: `C-${roll(computers)}`,
    make: "Corvane",
    model: pick(roll, ["13", "14"]),
    firmwareVersion: pick(roll, ["1.0", "1.1", null]),
    on: pick(roll, ["2025-08-01", "2026-10-20"]),
    result: pick(roll, ["started", "restored", "failed"]),
  };
}

const STRICT: PolicyPart = { drillDays: 100, verificationDays: 30, proof: "computer" };
const EASY: PolicyPart = { drillDays: null, verificationDays: null, proof: "verified" };

/** A fleet of `computers` and `media`, with images and drills; the same for the same dice. */
export function randomWorld(roll: Roll, computers: number, media: number): World {
  const list = <T>(count: number, make: (at: number) => T) => Array.from({ length: count }, (_, at) => make(at));
  return {
    computers: list(computers, (at) => computer(roll, at)),
    media: list(media, (at) => medium(roll, at)),
    releases: RELEASES.map((part) => ({ part, media: [] })),
    images: list(Math.ceil(computers / 2), (at) => image(roll, at, computers, media)),
    drills: list(Math.ceil(media / 2), () => drill(roll, computers, media)),
    policy: USUAL_POLICY,
    policyFor: ({ site, facts }) =>
      (site === SITES[0] ? STRICT : facts.computer.model === "14" ? EASY : null) ?? USUAL_POLICY,
    today: "2026-11-25",
    releasedOn: (name, version) => (name === "Gannet Desk" && version === "11.4" ? "2024-10-01" : null),
  };
}

/** The same with computers of every shape: several disks, tables, modes and systems, set members, serials, outside disks. */
export function variedWorld(roll: Roll, computers: number, media: number): World {
  const world = randomWorld(roll, computers, media);
  return {
    ...world,
    computers: world.computers.map((each) => varied(roll, each)),
    media: world.media.map((each) => ({
      ...each,
      releases: roll(4) === 0 ? [...each.releases, MAKERS] : each.releases,
      part: {
        ...{ ...each.part, kind: pick(roll, ["usb", "disk", "file", "entry", null] as const), retired: roll(12) === 0 },
        onComputer: pick(roll, [`C-${roll(computers)}`, null]),
      },
      as: pick(roll, ["usb", "optical", null] as const),
    })),
    images: world.images.map((each) => ({
      ...each,
      mode: pick(roll, ["uefi", "bios", null] as const),
      places:
        roll(3) === 0
          ? [{ on: "computer" as const, tag: each.computer, diskSerial: pick(roll, ["S1", "S2", null]) }]
          : each.places,
    })),
  };
}

const ESP = "c12a7328-f81f-11d2-ba4b-00a0c93ec93b";
const LVM = "e6d6d379-f507-44c2-a23c-238f2a3df928";

function varied(roll: Roll, { facts, ...own }: ComputerPart): ComputerPart {
  const some = <T>(value: T): T | null => (roll(4) === 0 ? null : value);
  const disk = (number: number) => ({
    name: `disk${number}`,
    bytes: pick(roll, [100e9, 256e9]),
    sectorBytes: pick(roll, [512, 4096]),
    bus: pick(roll, ["nvme", "sata", "usb", "raid", "mmc"]),
    table: some(pick(roll, ["gpt", "mbr"])),
    serial: some(`S${number}`),
    removable: pick(roll, [true, false, null]),
    partitions: pick(roll, [
      [],
      [{ number: 1, bytes: 1e8, type: ESP }],
      [
        { number: 1, bytes: 1e8, type: ESP },
        { number: 2, bytes: 9e10, role: some("system"), filesystem: some(pick(roll, ["ntfs", "ext4", "apfs"])) },
      ],
      [
        {
          number: 2,
          bytes: 9e10,
          role: "system",
          active: some(true),
          encryption: some("bitlocker"),
          keyPlace: some("Safe"),
        },
      ],
      [{ number: 1, bytes: 9e10, type: LVM }],
      [{ number: 3, bytes: 9e10, role: "data", filesystem: some("ext4") }],
    ]),
  });
  const system = (family: string) => ({
    ...{ family: some(family), name: family === "windows" ? "Gannet Desk" : "Tern", version: some("11.4") },
    ...{ build: 19_000, edition: some("Pro"), arch: some("x64"), language: "en-GB" },
    partition: some(`disk${1 + roll(2)} 2`),
  });
  return {
    ...own,
    facts: factsSchema.parse({
      ...facts,
      firmware: {
        ...facts.firmware,
        ...pick(roll, [
          {},
          { setupPassword: "none" },
          { setupPassword: "set" },
          { setupPassword: "set", setupPasswordPlace: "Safe" },
        ]),
      },
      disks: some(Array.from({ length: 1 + roll(3) }, (_, at) => disk(at + 1))),
      systems: some(pick(roll, [[system("windows")], [system("linux")], [system("linux"), system("windows")], []])),
    }),
  };
}
