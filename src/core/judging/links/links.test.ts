import { factsSchema } from "../../computer/facts/schema";
import { DriverIndex } from "../../medium/drivers/driver-set";
import { reasonText } from "../../words/reasons";
import type { ComputerPart, ImagePart, MediumPart, ReleasePart } from "../model/parts";
import { USUAL_POLICY } from "../model/parts";
import { judgeAtHand } from "./at-hand";
import { judgeProven } from "./proven";
import { judgeReinstall } from "./reinstall";
import { judgeRepair, judgeRescue } from "./repair";
import { type ImageInput, judgeImage } from "./restore-image";
import type { Ruling } from "./ruling";
import { judgeSees } from "./sees";
import { compareVersions, sameName, sameRelease } from "./versions";

/** A ruling as its verdict and its codes; every reason is a sentence. */
function told(ruling: Ruling) {
  for (const each of ruling.reasons) expect(reasonText(each)).toMatch(/^[\p{Lu}\d].*\.$/u);
  return [ruling.verdict, ...ruling.reasons.map((each) => each.code)];
}

const AHCI = "pci:v00008086d0000A282sv00001234sd00005678bc01sc06i01";
const NVME = "pci:v0000144Dd0000A808sv0000144Dsd0000A801bc01sc08i02";
const MAPPED = "pci:v00008086d00009A0Bsv00000000sd00000000bc01sc04i00";
const RAID = "pci:v00008086d00002822sv00001234sd00005678bc01sc04i00";
const WIRED = "pci:v00008086d000015FBsv00001028sd00000A20bc02sc00i00";
const USB = "pci:v00008086d0000A0EDsv00001028sd00000A20bc0Csc03i30";

const facts = (more: object = {}) =>
  factsSchema.parse({
    schema: "creel.facts/1",
    computer: { make: "Corvane", model: "Slate 14" },
    firmware: { kind: "uefi", arch: "x64", legacyMode: "absent", version: "2.21" },
    disks: [
      {
        name: "nvme0n1",
        bytes: 256e9,
        sectorBytes: 512,
        bus: "nvme",
        partitions: [
          { number: 1, bytes: 1e8, role: "esp" },
          { number: 2, bytes: 2e11, role: "system" },
        ],
      },
    ],
    devices: [{ modalias: NVME }, { modalias: WIRED }, { modalias: USB }],
    systems: [
      {
        family: "windows",
        name: "Gannet Desk",
        version: "11.4",
        build: 31140,
        edition: "Office",
        arch: "x64",
        language: "en-GB",
      },
    ],
    ...more,
  });
const computer = (more: object = {}, tag = "HO-1", site: string | null = "Head office"): ComputerPart => ({
  tag,
  site,
  facts: facts(more),
});

const kernel = (drivers: Record<string, string[]>) =>
  new DriverIndex([{ kind: "modules", path: "modules.alias", kernel: "6.1", arch: null, drivers }]);
const infs = (drivers: Record<string, string[]>) =>
  new DriverIndex([{ kind: "inf", path: "drivers/x.inf", kernel: null, arch: "x64", drivers }]);

// Patterns as the kernel's own modules.alias has them (linux 6.1).
const NVME_PATTERN = "pci:v*d*sv*sd*bc01sc08i02*";
const AHCI_PATTERN = "pci:v*d*sv*sd*bc01sc06i01*";
const VMD_PATTERN = "pci:v00008086d00009A0Bsv*sd*bc*sc*i*";
const XHCI_PATTERN = "pci:v*d*sv*sd*bc0Csc03i30*";

const release = (more: Partial<ReleasePart> = {}): ReleasePart => ({
  name: "Spindle 3.0",
  kit: "Spindle",
  version: "3.0",
  family: "Linux",
  arch: "x64",
  madeOn: "2025-11-12",
  facts: { purposes: ["put-back-images"], opens: [], abilities: [] },
  drivers: kernel({ nvme: [NVME_PATTERN], ahci: [AHCI_PATTERN], xhci_pci: [XHCI_PATTERN] }),
  systems: [],
  ...more,
});

const NOTHING_CARRIED = () => null;

describe("Sees", () => {
  const sees = (more: object, own: Partial<ReleasePart> = {}, extra: Partial<Parameters<typeof judgeSees>[0]> = {}) =>
    told(
      judgeSees({
        computer: computer(more),
        release: release(own),
        as: "usb",
        needsNetwork: false,
        carried: NOTHING_CARRIED,
        ...extra,
      }),
    );

  test("a controller that is driven holds; one that is not is broken", () => {
    expect(sees({})).toEqual(["holds", "controllers-driven"]);
    expect(sees({}, { drivers: kernel({ ahci: [AHCI_PATTERN], xhci_pci: [XHCI_PATTERN] }) })).toEqual([
      "broken",
      "controller-not-driven",
    ]);
  });

  test("a controller that maps the vendor's own disks must be driven, though the disk itself would be", () => {
    const devices = [MAPPED, NVME, USB].map((modalias) => ({ modalias }));
    expect(sees({ devices })).toEqual(["holds-after-change", "controller-not-driven", "raid-mode-could-be-off"]);
    const others = { drivers: kernel({ ahci: [AHCI_PATTERN], xhci_pci: [XHCI_PATTERN] }) };
    expect(sees({ devices }, others)).toEqual(["broken", "controller-not-driven"]);
    expect(
      sees({ devices }, { drivers: kernel({ vmd: [VMD_PATTERN], nvme: [NVME_PATTERN], xhci_pci: [XHCI_PATTERN] }) })[0],
    ).toBe("holds");
  });

  test("a controller set to RAID that would be driven as AHCI holds after a change of mode", () => {
    const disks = [{ name: "sda", bytes: 5e11, bus: "sata", partitions: [] }];
    const devices = [RAID, USB].map((modalias) => ({ modalias }));
    const ruling = judgeSees({
      computer: computer({ disks, devices }),
      release: release(),
      as: "usb",
      needsNetwork: false,
      carried: NOTHING_CARRIED,
    });
    expect(told(ruling)).toEqual(["holds-after-change", "controller-not-driven", "raid-mode-could-be-off"]);
    expect(ruling.changes).toEqual([{ setting: "storageMode", from: "RAID", to: "AHCI" }]);
  });

  test("a driver that is elsewhere in the inventory is to be added", () => {
    const carried = (modalias: string) => ({
      modalias,
      driver: "stor.inf",
      path: "/d/stor.inf",
      release: "Lantern 12",
      medium: "LN-01",
    });
    const ruling = judgeSees({
      computer: computer(),
      release: release({ family: "PE", drivers: infs({ "other.inf": ["PCI\\VEN_1234&DEV_5678"] }) }),
      as: "usb",
      needsNetwork: false,
      carried,
    });
    expect(told(ruling).slice(0, 1)).toEqual(["holds-after-change"]);
    expect(ruling.reasons).toContainEqual(expect.objectContaining({ code: "driver-elsewhere", medium: "LN-01" }));
  });

  test("what only part of the controllers drives is unknown, since it is not recorded on which the disk hangs", () => {
    const disks = [{ name: "sda", bytes: 5e11, bus: "sata", partitions: [] }];
    const devices = [AHCI, RAID, USB].map((modalias) => ({ modalias }));
    expect(sees({ disks, devices })).toEqual(["unknown", "controllers-driven-in-part"]);
  });

  test("unknown facts are named; loose .inf files say nothing of what the environment itself drives", () => {
    expect(sees({ devices: null })).toEqual(["unknown", "fact-missing"]);
    expect(sees({ devices: [] })).toEqual(["unknown", "no-controller-known"]);
    expect(sees({}, { drivers: null })).toEqual(["unknown", "release-drivers-unknown"]);
    expect(
      sees({ devices: [{ modalias: NVME }] }, { family: "PE", drivers: infs({ "x.inf": ["PCI\\VEN_1234"] }) })[0],
    ).toBe("unknown");
  });

  test("the network counts only where the image is reached by it", () => {
    expect(sees({}, {}, { needsNetwork: true })[0]).toBe("broken");
    const drivers = kernel({
      nvme: [NVME_PATTERN],
      xhci_pci: [XHCI_PATTERN],
      e1000e: ["pci:v00008086d000015FBsv*sd*bc*sc*i*"],
    });
    expect(sees({}, { drivers }, { needsNetwork: true })).toEqual(["holds", "controllers-driven", "adapter-driven"]);
  });

  test("without a driver for any keyboard it is broken; a built-in one can be replaced by USB", () => {
    const drivers = kernel({ nvme: [NVME_PATTERN] });
    expect(sees({}, { drivers })[0]).toBe("broken");
    const devices = [NVME, USB, "acpi:PNP0303:"].map((modalias) => ({ modalias }));
    expect(sees({ devices })).toEqual(["holds-after-change", "input-not-driven", "controllers-driven"]);
  });
});

describe("Restores, from an image", () => {
  const IMAGE: ImagePart = {
    id: "HO-1 2026-10-01",
    computer: "HO-1",
    make: "Corvane",
    model: "Slate 14",
    takenAt: "2026-10-01T10:00:00Z",
    kit: "Spindle",
    kitVersion: "3.0",
    mode: "uefi",
    diskBytes: 256e9,
    sectorBytes: 512,
    partitions: [
      { role: "esp", active: false },
      { role: "system", active: false },
    ],
    encrypted: false,
    keyPlace: null,
    kind: "full",
    parent: null,
    verified: { on: "2026-10-01", whole: true },
    places: [{ on: "medium", tag: "SP-1" }],
  };
  const input = (image: Partial<ImagePart>, more: Partial<ImageInput> = {}): ImageInput => ({
    computer: computer(),
    medium: { tag: "SP-1", site: "Head office" },
    release: release(),
    image: { ...IMAGE, ...image },
    imageById: () => null,
    ...more,
  });
  const able = (...abilities: ReleasePart["facts"]["abilities"]) =>
    release({ facts: { purposes: [], opens: [], abilities } });
  const worst = (image: Partial<ImagePart>, more: Partial<ImageInput> = {}) =>
    told(judgeImage(input(image, more))).slice(0, 2);

  test("all in order holds, with what made it so", () => {
    expect(told(judgeImage(input({})))).toEqual([
      "holds",
      "image-mode-same",
      "target-large-enough",
      "image-starts-again",
      "image-opens",
      "image-on-medium",
    ]);
  });

  // The field guide's "Matching" and "Capacity"; common practice throughout.
  test.each<[string, Partial<ImagePart>, Partial<ImageInput>, string[]]>([
    [
      "of the other mode",
      { mode: "bios", partitions: [{ role: "system", active: true }] },
      {},
      ["broken", "image-mode-other"],
    ],
    [
      "of the other mode, where legacy mode can be switched on",
      { mode: "bios", partitions: [{ role: "system", active: true }] },
      { computer: computer({ firmware: { kind: "uefi", arch: "x64", legacyMode: "off" } }) },
      ["holds-after-change", "image-mode-other"],
    ],
    ["of a mode that is not recorded", { mode: null }, {}, ["unknown", "image-fact-missing"]],
    ["of a larger disk", { diskBytes: 256e9 + 1 }, {}, ["broken", "target-too-small"]],
    ["of other sectors", { sectorBytes: 4096 }, {}, ["broken", "sectors-differ"]],
    [
      "without the EFI system partition",
      { partitions: [{ role: "system", active: false }] },
      {},
      ["broken", "image-lacks"],
    ],
    [
      "whose partitions are not told",
      { partitions: [{ role: null, active: null }] },
      {},
      ["unknown", "image-roles-unknown"],
    ],
    ["that builds on one that is gone", { kind: "incremental", parent: "gone" }, {}, ["broken", "lineage-broken"]],
    [
      "that builds on itself",
      { kind: "incremental", parent: IMAGE.id },
      { imageById: () => IMAGE },
      ["broken", "lineage-broken"],
    ],
    ["that was found damaged", { verified: { on: "2026-10-02", whole: false } }, {}, ["broken", "image-damaged"]],
    ["of another kit", { kit: "Bollard" }, {}, ["broken", "image-kit-other"]],
    ["of a newer version of the kit", { kitVersion: "3.1" }, {}, ["broken", "image-kit-newer"]],
    ["of another model", { computer: "HO-2", model: "Slate 13" }, {}, ["broken", "hardware-other"]],
    ["of the same model", { computer: "HO-2" }, {}, ["holds", "image-mode-same"]],
    ["encrypted, its key not recorded", { encrypted: true }, {}, ["unknown", "image-fact-missing"]],
    [
      "on the disk that it was taken from",
      { places: [{ on: "computer", tag: "HO-1", diskSerial: null }] },
      {},
      ["broken", "image-on-own-disk"],
    ],
    ["on another medium", { places: [{ on: "medium", tag: "SP-9" }] }, {}, ["holds-after-change", "image-elsewhere"]],
    [
      "on a share that the kit does not reach",
      { places: [{ on: "share", name: "the share", sites: ["Head office"] }] },
      {},
      ["broken", "share-not-reached"],
    ],
    ["nowhere", { places: [] }, {}, ["unknown", "image-fact-missing"]],
  ])("one %s", (_what, image, more, wanted) => {
    expect(worst(image, more)).toEqual(wanted);
  });

  test("what the kit can do clears the way: other hardware, other sectors, the other mode", () => {
    expect(worst({ computer: "HO-2", model: "Slate 13" }, { release: able("hardware-move") })[0]).toBe("holds");
    expect(worst({ sectorBytes: 4096 }, { release: able("sector-conversion") })[0]).toBe("holds");
    expect(
      worst({ mode: "bios", partitions: [{ role: "system", active: true }] }, { release: able("mode-conversion") })[0],
    ).toBe("holds");
  });

  test("the target is the disk, not the partition; another disk that is large enough is offered", () => {
    const disks = [
      ...(facts().disks ?? []),
      { name: "sdb", bytes: 1e12, sectorBytes: 512, bus: "sata", partitions: [] },
    ];
    const ruling = judgeImage(input({ diskBytes: 500e9 }, { computer: computer({ disks }) }));
    expect(ruling.changes).toContainEqual({ setting: "target", from: "nvme0n1", to: "sdb" });
  });

  test("a lineage is as whole as all that it builds on", () => {
    const full: ImagePart = { ...IMAGE, id: "full" };
    const middle: ImagePart = { ...IMAGE, id: "middle", kind: "incremental", parent: "full" };
    const byId = (known: ImagePart[]) => (id: string) => known.find((each) => each.id === id) ?? null;
    const own = { kind: "incremental", parent: "middle" } as const;
    expect(told(judgeImage(input(own, { imageById: byId([full, middle]) })))).toContain("lineage-whole");
    expect(worst(own, { imageById: byId([middle]) })).toEqual(["broken", "lineage-broken"]);
    const bad = { ...full, verified: { on: "2026-10-01", whole: false } };
    expect(worst(own, { imageById: byId([bad, middle]) })).toEqual(["broken", "image-damaged"]);
  });

  test("of several places the best counts", () => {
    const places: ImagePart["places"] = [
      { on: "computer", tag: "HO-1", diskSerial: null },
      { on: "disk", name: "Disk 3", site: "Workshop" },
    ];
    expect(judgeImage(input({ places })).changes).toEqual([{ setting: "store", from: "Workshop", to: "Disk 3" }]);
  });
});

describe("Restores, by reinstalling", () => {
  const INCLUDED = {
    family: "windows",
    name: "Gannet Desk 11.4 Office",
    version: "11.4.31140",
    build: 31140,
    edition: "Office",
    arch: "x64",
    language: "en-GB",
    role: "installs" as const,
  };
  const reinstall = (included: Partial<typeof INCLUDED>, more: object = {}) =>
    told(judgeReinstall(computer(more), release({ systems: [{ ...INCLUDED, ...included }] })).ruling);

  test("the same system holds; an older build is told", () => {
    expect(reinstall({})).toEqual(["holds", "included-fits"]);
    expect(reinstall({ build: 30000 })).toEqual(["holds", "included-fits", "included-older"]);
  });

  test("the disk holds what the archive unpacks to", () => {
    const unpacked = (bytes: number) =>
      told(judgeReinstall(computer({}), release({ systems: [{ ...INCLUDED, bytes }] } as never)).ruling);
    expect(unpacked(20e9)[0]).toBe("holds");
    expect(unpacked(40e12).slice(0, 1)).toEqual(["broken"]);
    expect(unpacked(40e12)).toContain("disk-too-small-to-install");
  });

  // Common practice: what the licence covers.
  test.each([
    ["family", { family: "linux" }],
    ["product", { name: "Tern Desk" }],
    ["version", { version: "12.0" }],
    ["edition", { edition: "Kiosk" }],
    ["architecture", { arch: "aa64" }],
  ])("another %s is broken", (_what, included) => {
    expect(reinstall(included).slice(0, 2)).toEqual(["broken", "system-differs"]);
  });

  test("another language is a caution, unless the edition is licensed for one", () => {
    expect(reinstall({ language: "nb-NO" })).toEqual(["holds", "included-fits", "language-differs"]);
    const edition = "Home Single Language";
    const systems = [{ ...facts().systems?.[0], edition }];
    expect(reinstall({ language: "nb-NO", edition }, { systems }).slice(0, 2)).toEqual(["broken", "system-differs"]);
  });

  test("what is not recorded is named, on whichever side", () => {
    const runs = (more: object) => ({ systems: [{ ...facts().systems?.[0], ...more }] });
    expect(reinstall({}, runs({ edition: null }))).toContain("system-fact-missing");
    expect(reinstall({}, { systems: null })).toEqual(["unknown", "fact-missing"]);
    expect(told(judgeReinstall(computer(), release({ systems: null })).ruling)).toEqual([
      "unknown",
      "release-systems-unknown",
    ]);
    expect(told(judgeReinstall(computer(), release()).ruling)).toEqual(["broken", "nothing-included"]);
  });

  test("of several systems the one that fits best decides", () => {
    const systems = [{ ...INCLUDED, edition: "Kiosk" }, INCLUDED];
    expect(judgeReinstall(computer(), release({ systems })).ruling.verdict).toBe("holds");
  });
});

describe("Restores, by repairing", () => {
  const repair = (own: Partial<ReleasePart>, more: object = {}, systemReleasedOn: string | null = "2024-10-01") =>
    told(
      judgeRepair({
        computer: computer(more),
        release: release({ name: "Lantern 12", family: "PE", ...own }),
        systemReleasedOn,
      }),
    );

  test("an environment of the right family, no older than the system, for its processor", () => {
    expect(repair({})).toEqual(["holds", "environment-not-older"]);
    expect(repair({ madeOn: "2023-05-04" })).toEqual(["holds-after-change", "environment-older"]);
    expect(repair({ family: "Linux" })[0]).toBe("broken");
    expect(repair({ arch: "ia32" }).slice(0, 2)).toEqual(["broken", "environment-cannot-service"]);
    expect(repair({ arch: "x64" }, { systems: [{ ...facts().systems?.[0], arch: "ia32" }] })[0]).toBe("holds");
  });

  test("builds are compared where both are told", () => {
    const environment = {
      family: "windows",
      name: "Gannet PE",
      version: "11.4.30000",
      build: 30000,
      edition: null,
      arch: "x64",
      language: null,
      role: "runs" as const,
    };
    expect(repair({ systems: [environment] })[0]).toBe("holds-after-change");
    expect(repair({ systems: [{ ...environment, build: 31140 }] })[0]).toBe("holds");
  });

  test("unknown where no calendar tells the system's age, or where the key is was not recorded", () => {
    expect(repair({}, {}, null)).toEqual(["unknown", "system-age-unknown"]);
    const locked = (keyPlace: string | null) => ({
      disks: [{ name: "sda", bytes: 1e12, partitions: [{ number: 3, bytes: 1e11, encryption: "luks", keyPlace }] }],
    });
    expect(repair({}, locked(null)).slice(0, 2)).toEqual(["unknown", "key-place-unknown"]);
    expect(
      told(judgeRescue({ computer: computer(locked("Safe")), release: release(), systemReleasedOn: null })),
    ).toEqual(["holds", "key-kept"]);
    expect(told(judgeRescue({ computer: computer(), release: release(), systemReleasedOn: null }))).toEqual([
      "holds",
      "rescues",
    ]);
  });
});

const MEDIUM: MediumPart = {
  tag: "RM-1",
  site: "Head office",
  lentTo: null,
  retired: false,
  condition: "good",
  writtenOn: "2026-03-02",
  verified: { on: "2026-10-05", whole: true },
  copies: [],
};

describe("At hand", () => {
  const at = (medium: Partial<MediumPart>, site: string | null = "Head office") =>
    judgeAtHand({ tag: "HO-1", site }, { ...MEDIUM, ...medium });

  test("where it is, with whom, and in what state", () => {
    expect(told(at({}))).toEqual(["holds", "medium-at-site"]);
    expect(told(at({ site: "Workshop" }))).toEqual(["holds-after-change", "medium-elsewhere"]);
    expect(told(at({ lentTo: "Col Marrick" }))).toEqual(["holds-after-change", "medium-lent"]);
    expect(told(at({ site: null }))).toEqual(["unknown", "medium-place-unknown"]);
    expect(told(at({}, null))).toEqual(["unknown", "computer-place-unknown"]);
    expect(told(at({ retired: true }))).toEqual(["broken", "medium-retired"]);
    expect(told(at({ condition: "distrusted" }))).toEqual(["broken", "medium-distrusted"]);
    expect(told(at({ condition: "worn" }))).toEqual(["holds", "medium-at-site", "medium-worn"]);
  });

  test("a copy where the computer is, is told where the medium itself is not", () => {
    const copies = [
      { tag: "RM-9", site: "Head office" },
      { tag: "RM-5", site: "Head office" },
      { tag: "RM-2", site: "Workshop" },
    ];
    expect(at({ site: "Workshop", copies }).reasons).toContainEqual({ code: "copy-at-site", medium: "RM-5" });
    expect(told(at({ copies }))).toEqual(["holds", "medium-at-site"]);
  });
});

describe("Proven", () => {
  const drill = {
    medium: "RM-1",
    computer: "HO-1",
    make: "Corvane",
    model: "Slate 14",
    firmwareVersion: "2.21",
    on: "2026-10-06",
    result: "started" as const,
  };
  const proven = (drills: object[], medium: Partial<MediumPart> = {}) =>
    told(
      judgeProven({
        computer: computer(),
        medium: { ...MEDIUM, ...medium },
        drills: drills.map((each) => ({ ...drill, ...each })),
        policy: USUAL_POLICY,
        today: "2026-11-25",
      }),
    );

  test.each<[string, object[], Partial<MediumPart>, string]>([
    ["a drill on this computer", [{}], {}, "holds drill-good"],
    ["a drill on its model", [{ computer: "HO-7" }], {}, "holds drill-good"],
    ["a drill on another model", [{ computer: "HO-7", model: "Slate 13" }], {}, "unknown no-drill-recorded"],
    ["none", [], {}, "unknown no-drill-recorded"],
    ["one that failed", [{ result: "failed" }], {}, "broken drill-failed"],
    ["one that failed, and a good one after it", [{ result: "failed", on: "2026-09-01" }, {}], {}, "holds drill-good"],
    ["a good one and a failed one on one day", [{}, { result: "failed" }], {}, "broken drill-failed"],
    [
      "its own before that of another",
      [{ on: "2026-04-01" }, { computer: "HO-7", result: "failed" }],
      {},
      "holds drill-good",
    ],
    ["one before it was written anew", [{}], { writtenOn: "2026-11-01" }, "holds-after-change drill-before-writing"],
    ["one with other firmware", [{ firmwareVersion: "2.14" }], {}, "holds-after-change drill-other-firmware"],
    ["one of long ago", [{ on: "2025-11-24" }], { writtenOn: "2025-01-01" }, "holds-after-change drill-old"],
    ["one of just a year ago", [{ on: "2025-11-25" }], { writtenOn: "2025-01-01" }, "holds drill-good"],
    ["one to come", [{ on: "2027-01-01" }], {}, "unknown no-drill-recorded"],
    [
      "a verification that failed",
      [{}],
      { verified: { on: "2026-10-05", whole: false } },
      "broken verification-failed",
    ],
    ["no verification", [{}], { verified: null }, "unknown never-verified"],
    [
      "a verification of long ago",
      [{}],
      { verified: { on: "2026-05-28", whole: true } },
      "holds-after-change verification-old",
    ],
  ])("%s", (_what, drills, medium, wanted) => {
    expect(proven(drills, medium).slice(0, 2).join(" ")).toBe(wanted);
  });
});

test("versions and names as people write them", () => {
  expect(compareVersions("2.3", "2.10")).toBeLessThan(0);
  expect(compareVersions("3", "3.0")).toBe(0);
  expect(sameRelease("12", "12.5")).toBe(true);
  expect(sameRelease("12.5", "12.4")).toBe(false);
  expect(sameRelease("11.4", "11.40")).toBe(false);
  expect(sameName("Café  Till", "cafe-till")).toBe(true);
});
