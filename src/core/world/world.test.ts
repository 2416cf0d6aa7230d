import type { Happening } from "../callout/happenings";
import type { LinkName } from "../judging/model/schema";
import type { OutcomeKind } from "../judging/routes/outcome";
import { routeDocument } from "../words/documents/world-answers";
import { imagePlans, judgedRoutes, policyAnswers, type Question } from "./answers";
import { readWorld, worldOf } from "./read";

// Whole worlds, as they are judged from outside. Where a rule has a published source it is named; the rest is common practice.
const NVME = "pci:v0000144Dd0000A808sv0000144Dsd0000A801bc01sc08i02";
const AHCI = "pci:v00008086d0000A282sv00001234sd00005678bc01sc06i01";
const RAID = "pci:v00008086d0000282Asv00001234sd00005678bc01sc04i00";
const RAID_CARD = "pci:v00001000d00000097sv00001000sd00003090bc01sc04i00";
const USB = "pci:v00008086d0000A0EDsv00001028sd00000A20bc0Csc03i30";
const SD_HOST = "pci:v00008086d000031CCsv00001028sd00000A20bc08sc05i01";
const [ESP, MSR] = ["c12a7328-f81f-11d2-ba4b-00a0c93ec93b", "e3c9e316-0b5c-4db8-817d-f92df00215ae"];
const LVM = "e6d6d379-f507-44c2-a23c-238f2a3df928";

const MODULES = {
  ahci: ["pci:v*d*sv*sd*bc01sc06i01*", "pci:v00008086d0000282Asv*sd*bc*sc*i*"],
  nvme: ["pci:v*d*sv*sd*bc01sc08i02*"],
  xhci_pci: ["pci:v*d*sv*sd*bc0Csc03i30*"],
};

const system = (more: object = {}) => ({
  ...{ family: "windows", name: "Microsoft Windows 11 Pro", version: "23H2", build: 22631, edition: "Professional" },
  ...{ arch: "x64", language: "en-GB", partition: "nvme0n1 3" },
  ...more,
});
const main = (more: object = {}) => ({
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
const second = (more: object = {}) => ({
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
const firmware = (more: object = {}) => ({
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
const image = (more: object = {}) => ({
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
const INCLUDED = {
  ...{ family: "windows", name: "Windows 11 Pro", version: "24H2", build: 26100, edition: "Pro", arch: "x64" },
  ...{ language: "en-GB", role: "installs" },
};

interface Parts {
  facts?: object;
  computer?: object;
  spindle?: object;
  lantern?: object;
  spindleMedium?: object;
  lanternMedium?: object;
  images?: object[];
  more?: object;
}

function world(parts: Parts = {}) {
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

function answers(parts: Parts, question: Question = {}) {
  const reading = readWorld(world(parts));
  if (!reading.ok) throw new Error(`${reading.at}: ${reading.told}`);
  return judgedRoutes(worldOf(reading.document), question).map(routeDocument);
}

/** The first route with an outcome, as one link of it is judged: its verdict and codes. */
function link(name: LinkName, outcome: OutcomeKind, parts: Parts): string[] {
  const [route] = answers(parts, { outcome });
  const judged = route?.links[name];
  return judged ? [judged.verdict, ...judged.reasons.map(({ code }) => code)] : ["no route"];
}
const changes = (outcome: OutcomeKind, parts: Parts) =>
  (answers(parts, { outcome })[0]?.changes ?? [])
    .filter(({ link: of }) => of !== "proven")
    .map(({ setting, from, to, phase }) => `${phase} ${setting} ${from} ${to}`);
const codes = (outcome: OutcomeKind, parts: Parts, question: Question = {}) =>
  (answers(parts, { ...question, outcome })[0]?.steps ?? []).map(({ code }) => code);
const text = (outcome: OutcomeKind, parts: Parts, question: Question = {}) =>
  (answers(parts, { ...question, outcome })[0]?.steps ?? [])
    .map((step) => [step.text, ...step.detail].join(" "))
    .join("\n");
const disks = (...all: object[]) => ({ facts: { disks: all } });

describe("the disk that is written to", () => {
  test("is the one that the system runs from, not a data disk with a left-over EFI system partition", () => {
    for (const parts of [disks(second(), main()), disks(main(), second())]) {
      expect(link("restores", "image", parts)).toEqual([
        "holds-after-change",
        "image-elsewhere",
        "image-mode-same",
        "target-large-enough",
        "image-starts-again",
        "image-opens",
      ]);
      expect(text("image", parts)).toMatch(/Choose the target: nvme0n1, 256 GB/);
    }
  });

  test("is unknown where the facts do not tell which, and the reason names the fact to record", () => {
    const open = {
      facts: { disks: [main(), second({ partitions: main().partitions })], systems: [system({ partition: null })] },
    };
    for (const outcome of ["image", "reinstall"] as const)
      expect(link("restores", outcome, open).slice(0, 2)).toEqual(["unknown", "system-disk-open"]);
  });

  test("is never on USB, also where nobody recorded that it can be taken off", () => {
    const outside = second({ name: "sdb", bus: "usb", removable: null, partitions: main().partitions });
    expect(link("restores", "reinstall", disks(outside, main())).slice(0, 1)).toEqual(["holds"]);
    expect(text("image", disks(outside, main()))).not.toMatch(/target: sdb/);
  });

  test("is a new disk that was told, whatever else is there", () => {
    const parts = {
      ...disks(main(), second()),
      computer: { newDisk: { bytes: 512e9, sectorBytes: 512, bus: "nvme" } },
    };
    expect(text("image", parts)).toMatch(/Choose the target: nvme0n1, 512 GB/);
    expect(codes("image", parts)).toContain("fit-disk");
    const small = { ...parts, computer: { newDisk: { bytes: 128e9, sectorBytes: 512, bus: "nvme" } } };
    expect(link("restores", "image", small).slice(0, 2)).toEqual(["broken", "target-too-small"]);
  });

  test("another one only where it is empty, with sectors of the same size, and is named in the step", () => {
    const small = main({ bytes: 128e9 });
    const empty = second({ partitions: [] });
    expect(link("restores", "image", disks(small, second())).slice(0, 2)).toEqual(["broken", "target-too-small"]);
    expect(link("restores", "image", disks(small, empty))).toContain("other-target");
    expect(text("image", disks(small, empty))).toMatch(/Choose the target: sda, 1 TB/);
    expect(link("restores", "image", disks(small, { ...empty, sectorBytes: 4096 }))[0]).toBe("broken");
  });

  test("an MBR reaches 2 TiB of a larger one (UEFI 2.10, 5.2.1); nothing is repaired or rescued on a new one", () => {
    const bios = {
      firmware: firmware({ kind: "bios", legacyMode: "absent" }),
      disks: [main({ bytes: 4e12, table: "mbr" })],
    };
    const images = [image({ mode: "bios", partitions: [{ role: "system", active: true }] })];
    expect(link("restores", "image", { facts: bios, images })).toContain("mbr-limit");
    expect(
      link("restores", "files", { computer: { newDisk: { bytes: 512e9, sectorBytes: 512, bus: "nvme" } } }),
    ).toEqual(["broken", "disk-empty"]);
  });

  test("an image without what starts it is broken, whichever partition was active", () => {
    const images = [image({ partitions: [{ role: "system" }, { role: "data" }] })];
    expect(link("restores", "image", { images }).slice(0, 2)).toEqual(["broken", "image-lacks"]);
    expect(link("restores", "image", { images: [image({ partitions: [{ role: "system" }, {}] })] })[0]).toBe("unknown");
  });

  test("is unknown where it is a member of a set", () => {
    const member = main({ partitions: [{ number: 3, type: LVM, bytes: 200e9 }] });
    expect(link("restores", "image", disks(member))).toContain("disk-in-set");
    expect(link("restores", "reinstall", disks(member))[0]).toBe("unknown");
  });
});

describe("firmware mode (UEFI 2.10, 3.1; common practice)", () => {
  const bios = {
    lanternMedium: { startsBy: { uefi: [], bios: true } },
    spindleMedium: { startsBy: { uefi: [], bios: true } },
  };

  test("an image goes back in its own mode: what the medium needed is put back, in the reverse order", () => {
    expect(changes("image", { ...bios, facts: { firmware: firmware({ usbStart: "off" }) } })).toEqual([
      ...["before-start legacyMode off on", "before-start usbStart off on", "before-start store Head office Disk 3"],
      ...["put-back usbStart on off", "put-back legacyMode on off"],
    ]);
  });

  test("an image of the other mode: the setting is changed after the restore, or stays where the start changed it", () => {
    const own = [image({ mode: "bios", partitions: [{ role: "system", active: true }] })];
    const uefi = { spindleMedium: { startsBy: { uefi: ["x64"], bios: false } } };
    expect(changes("image", { ...uefi, images: own })).toContain("after-restore legacyMode off on");
    expect(changes("image", { ...bios, images: own })).toEqual([
      ...["before-start legacyMode off on", "before-start store Head office Disk 3", "stays legacyMode off on"],
    ]);
    const absent = { firmware: firmware({ legacyMode: "absent" }) };
    expect(link("restores", "image", { ...uefi, images: own, facts: absent }).slice(0, 2)).toEqual([
      "broken",
      "image-mode-other",
    ]);
  });

  test("Secure Boot goes off before legacy mode comes on, and on again after it is off", () => {
    const on = { facts: { firmware: firmware({ secureBoot: { state: "on", db: "", dbx: "" } }) } };
    const made = changes("image", { ...bios, ...on }).filter((change) => /secureBoot|legacyMode/.test(change));
    expect(made.filter((change) => change.startsWith("put-back"))).toEqual(
      [...made.filter((change) => change.startsWith("before-start"))]
        .reverse()
        .map((change) => change.replace(/before-start (\w+) (\w+) (\w+)/, "put-back $1 $3 $2")),
    );
  });

  test("a reinstall stays in the mode in which it was made", () => {
    expect(changes("reinstall", bios)).toEqual(["before-start legacyMode off on", "stays legacyMode off on"]);
  });

  test("firmware that offers both modes starts an image of either, without a setting", () => {
    const both = { firmware: firmware({ legacyMode: "both" }) };
    const own = [image({ mode: "bios", partitions: [{ role: "system", active: true }] })];
    expect(changes("image", { ...bios, facts: both, images: own })).toEqual([
      ...["before-start startOrder UEFI entry legacy entry", "before-start store Head office Disk 3"],
    ]);
    expect(link("restores", "start-up", { ...bios, facts: both })).toContain("repair-other-mode");
  });

  test("automatic repair in the other mode is not plainly right", () => {
    expect(link("restores", "start-up", bios).slice(0, 2)).toEqual(["unknown", "repair-other-mode"]);
    expect(link("restores", "start-up", {})[0]).toBe("holds");
  });
});

describe("Sees", () => {
  const raid = { facts: { devices: [RAID, USB].map((modalias) => ({ modalias })) } };

  test("NVMe disks behind a chipset's RAID mode are not driven by ahci, though it claims the function; AHCI is a setting", () => {
    expect(link("sees", "image", raid)).toEqual([
      "holds-after-change",
      "controller-not-driven",
      "raid-mode-could-be-off",
    ]);
    expect(changes("image", raid)).toContain("put-back storageMode plain NVMe RAID");
    expect(changes("reinstall", raid)).toContain("stays storageMode RAID plain NVMe");
  });

  test("of several disks behind it a set may be made, which the change would break", () => {
    const two = { facts: { ...raid.facts, disks: [main(), second({ bus: "nvme" })] } };
    expect(link("sees", "image", two)).toContain("raid-set-breaks");
    expect(link("sees", "image", raid)).not.toContain("raid-set-breaks");
  });

  test("a SATA disk behind it is driven by ahci; a RAID card has no such setting", () => {
    const sata = disks(main({ bus: "sata" }));
    expect(link("sees", "image", { facts: { ...raid.facts, ...sata.facts } })[0]).toBe("holds");
    const card = { devices: [RAID_CARD, USB].map((modalias) => ({ modalias })) };
    expect(link("sees", "image", { facts: { ...card, disks: [main({ bus: "raid" })] } })).toEqual([
      "broken",
      "controller-not-driven",
    ]);
  });

  test("a loose driver is loaded first, with a step; one of another architecture does not count", () => {
    const inf = (arch: string) => ({
      spindle: { family: "PE", drivers: { kind: "inf", arch, drivers: { "nv.inf": ["PCI\\CC_010802"] } } },
    });
    expect(link("sees", "image", inf("amd64"))).toEqual(["holds-after-change", "driver-to-load", "controllers-driven"]);
    expect(codes("image", inf("amd64"))).toContain("drivers");
    expect(link("sees", "image", inf("x86"))[0]).toBe("unknown");
  });

  test("the medium's own controller has to be driven; one of a data disk does not break the route", () => {
    const { xhci_pci: _, ...without } = MODULES;
    expect(link("sees", "image", { spindle: { drivers: { kind: "modules", drivers: without } } })).toContain(
      "no-input-driven",
    );
    const { ahci: __, ...noSata } = MODULES;
    expect(
      link("sees", "image", {
        ...disks(main(), second()),
        spindle: { drivers: { kind: "modules", drivers: noSata } },
      })[0],
    ).toBe("holds");
  });

  test("a new NVMe disk is its own controller; one of another bus hangs on a controller that has to be known", () => {
    const sata = {
      facts: {
        disks: [main({ name: "sda", bus: "sata" })],
        devices: [AHCI, USB].map((modalias) => ({ modalias })),
        systems: [system({ partition: null })],
      },
    };
    const newDisk = (bus: string) => ({ ...sata, computer: { newDisk: { bytes: 512e9, sectorBytes: 512, bus } } });
    expect(link("sees", "image", newDisk("nvme"))[0]).toBe("holds");
    const { nvme: _, ...older } = MODULES;
    expect(
      link("sees", "image", { ...newDisk("nvme"), spindle: { drivers: { kind: "modules", drivers: older } } })[0],
    ).toBe("broken");
    expect(link("sees", "image", newDisk("sas"))).toEqual(["unknown", "no-controller-known"]);
    expect(link("sees", "image", newDisk("sata"))[0]).toBe("holds");
  });

  test("eMMC on a PCI SD host (class 0805) is judged", () => {
    const parts = (drivers: object) => ({
      facts: { disks: [main({ bus: "mmc" })], devices: [SD_HOST, USB].map((modalias) => ({ modalias })) },
      spindle: { drivers: { kind: "modules", drivers } },
    });
    expect(link("sees", "image", parts(MODULES))[0]).toBe("broken");
    expect(link("sees", "image", parts({ ...MODULES, sdhci_pci: ["pci:v*d*sv*sd*bc08sc05i*"] }))[0]).toBe("holds");
  });
});

describe("Restores", () => {
  const parent = (more: object = {}) => image({ id: "I0", takenAt: "2026-06-01T10:00:00Z", ...more });
  const increment = image({ kind: "incremental", parent: "I0" });

  test("what an increment builds on must be of the same computer, and to be had", () => {
    const own = (more: object) => ({ images: [increment, parent(more)] });
    expect(link("restores", "image", own({}))[0]).toBe("holds-after-change");
    const routes = answers(own({ computer: "HO-2" }), { image: "I1" });
    expect(routes[0]?.links.restores.reasons[0]?.code).toBe("lineage-other-computer");
    const gone = answers(own({ places: [{ on: "computer", tag: "HO-1", diskSerial: "N1" }] }), { image: "I1" });
    expect(gone[0]?.links.restores.verdict).toBe("broken");
  });

  test("a copy on another medium is as good as that medium; on a share it needs the network; on a second disk it is not lost", () => {
    const on = (...places: object[]) => ({ images: [image({ places })] });
    const other = (more: object) => ({ ...on({ on: "medium", tag: "LN-1" }), lanternMedium: more });
    expect(link("restores", "image", other({}))[0]).toBe("holds-after-change");
    expect(link("restores", "image", other({ retired: true })).slice(0, 2)).toEqual(["broken", "store-not-usable"]);
    expect(link("restores", "image", other({ condition: "distrusted" }))[0]).toBe("broken");
    const share = on({ on: "share", name: "Images", sites: ["Head office"] });
    expect([link("restores", "image", share)[0], link("sees", "image", share)]).toEqual([
      ...["holds", ["unknown", "no-adapter-known", "controllers-driven"]],
    ]);
    const both = { ...disks(main(), second()), ...on({ on: "computer", tag: "HO-1", diskSerial: "S2" }) };
    expect(link("restores", "image", both)).toContain("image-on-second-disk");
    expect(link("restores", "image", on({ on: "computer", tag: "HO-1", diskSerial: "N1" }))).toContain(
      "image-on-own-disk",
    );
  });

  test("systems are the same as people mean it: maker, edition and feature update are no other product", () => {
    expect(link("restores", "reinstall", {})).toEqual(["holds", "included-fits", "included-newer"]);
    const included = (more: object) => ({ lantern: { systems: [{ ...INCLUDED, ...more }] } });
    expect(link("restores", "reinstall", included({ name: "Windows 10 Pro", version: "22H2", build: 19045 }))[0]).toBe(
      "broken",
    );
    expect(link("restores", "reinstall", included({ edition: "Home", name: "Windows 11 Home" }))[0]).toBe("broken");
    expect(link("restores", "reinstall", included({ language: "nb-NO" }))).toContain("language-differs");
    expect(link("restores", "reinstall", included({ version: "10.0.22621.1", build: null }))).toContain(
      "included-older",
    );
  });

  test("of two systems each is judged, whatever their order", () => {
    const linux = system({ family: "linux", name: "Tern", version: "12", build: null, edition: null, partition: null });
    for (const systems of [
      [linux, system()],
      [system(), linux],
    ])
      for (const outcome of ["reinstall", "start-up"] as const)
        expect(link("restores", outcome, { facts: { systems } })[0]).toBe("holds");
  });

  test("files are rescued where the environment reads their file system", () => {
    const on = (filesystem: string | null, family: string, more: object = {}) => ({
      ...disks(main({ partitions: [{ number: 3, bytes: 2e11, role: "system", filesystem, ...more }] })),
      spindle: { family },
    });
    const rows: [string | null, string, object, string][] = [
      ["ntfs", "PE", {}, "holds"],
      ["ext4", "PE", {}, "broken"],
      ["btrfs", "Linux", {}, "holds"],
      ["apfs", "Linux", {}, "broken"],
      ["ext4", "Linux", { encryption: "luks", keyPlace: "Safe" }, "holds"],
      ["ext4", "PE", { encryption: "luks", keyPlace: "Safe" }, "broken"],
      ["ntfs", "PE", { encryption: "bitlocker", keyPlace: "Safe" }, "holds"],
      ["ntfs", "PE", { encryption: "bitlocker" }, "unknown"],
    ];
    for (const [filesystem, family, more, verdict] of rows)
      expect([filesystem, family, link("restores", "files", on(filesystem, family, more))[0]]).toEqual([
        filesystem,
        family,
        verdict,
      ]);
  });

  test("a medium that is still a file is not at hand; an own drill that grew old does not hide a fresh one of the model", () => {
    expect(link("atHand", "files", { spindleMedium: { kind: "file" } }).slice(0, 2)).toEqual([
      "holds-after-change",
      "medium-is-file",
    ]);
    const drill = (computer: string, on: string) => ({
      ...{
        medium: "SP-1",
        computer,
        make: "Corvane",
        model: "Slate 14",
        firmwareVersion: "2.1",
        on,
        result: "started",
      },
    });
    const more = { drills: [drill("HO-1", "2025-01-01"), drill("HO-2", "2026-06-20")] };
    expect(link("proven", "files", { more, spindleMedium: { writtenOn: "2024-01-01" } })[0]).toBe("holds");
  });
});

describe("offers of a call-out", () => {
  const offered = (parts: Parts, happening: Happening, since?: string) =>
    answers(parts, { happening, since }).map(({ outcome, image: id }) => [outcome, id].filter(Boolean).join(" "));
  const old = image({ id: "I0", takenAt: "2024-06-30T10:00:00Z" });

  test("yesterday's image on an external disk comes before an old one and before a new installation; rescue comes last", () => {
    expect(offered({ images: [old, image()] }, "disk-gone")).toEqual(["image I1", "image I0", "reinstall"]);
    expect(offered({ images: [image()] }, "does-not-start").at(-1)).toBe("files");
  });

  test("lost files are copied out of an image: nothing is erased", () => {
    const [first] = answers({}, { happening: "files-lost" });
    const steps = first?.steps.map(({ code }) => code) ?? [];
    expect([first?.image, steps.includes("open-image")]).toEqual(["I1", true]);
    for (const code of ["choose-target", "erased", "disconnect-disks"]) expect(steps).not.toContain(code);
  });

  test("for lost files an image need not fit the disk, but be opened and whole", () => {
    const parts = (more: object) => ({ ...disks(main({ bytes: 128e9 })), images: [image(more)] });
    const offers = (more: object) => offered(parts(more), "files-lost");
    expect(offers({})).toEqual(["image I1", "files"]);
    expect(offered(parts({}), "disk-gone")).toEqual(["reinstall"]);
    expect(offers({ verified: { on: "2026-06-30", whole: false } })).toEqual(["files"]);
    expect(offers({ kit: "Tern" })).toEqual(["files"]);
  });

  test("nothing is lost is only said where it is true", () => {
    const lost = Object.fromEntries(
      answers({}, { happening: "does-not-start" }).map((each) => [each.outcome, each.lost?.code]),
    );
    expect(lost).toEqual({
      "start-up": "nothing",
      image: "since-image",
      reinstall: "everything",
      files: "all-but-files",
    });
  });

  test("after malware the network is off first, and the sheet says what to do with passwords", () => {
    const steps = codes("image", {}, { happening: "malware", since: "2026-07-01" });
    expect([steps[0], steps.includes("passwords")]).toEqual(["off-network", true]);
  });
});

describe("the sheet", () => {
  test("rescue: to another disk, read-only, and the computer is not started again", () => {
    expect(codes("files", {})).toEqual(expect.arrayContaining(["destination", "read-only"]));
    expect(text("files", {})).not.toMatch(/and start it/);
  });

  test("a reinstall formats its target, with the other disks off; its key is asked before settings are changed", () => {
    const parts = disks(main(), second());
    expect(codes("reinstall", parts)).not.toContain("no-format");
    expect(codes("reinstall", parts)).toContain("disconnect-disks");
    const locked = disks(
      main({
        partitions: [
          { number: 3, bytes: 2e11, role: "system", filesystem: "ntfs", encryption: "bitlocker", keyPlace: "Safe" },
        ],
      }),
    );
    const steps = codes("start-up", { ...locked, facts: { ...locked.facts, firmware: firmware({ usbStart: "off" }) } });
    expect(steps.indexOf("unlock")).toBeGreaterThan(-1);
    expect(steps.indexOf("unlock")).toBeLessThan(steps.indexOf("settings"));
  });

  test("every change of every link is on the sheet in its place", () => {
    const odd = {
      firmware: firmware({ usbStart: "off", fastBoot: "on" }),
      devices: [RAID, USB].map((modalias) => ({ modalias })),
      ports: { usb: 0, optical: false },
      disks: [main({ bytes: 128e9 }), second({ bus: "nvme", partitions: [] })],
    };
    const [route] = answers({ facts: odd }, { outcome: "image" });
    const lines = (route?.steps ?? []).map((step) => [step.text, ...step.detail].join(" "));
    const at = (pattern: RegExp) => lines.findIndex((line) => pattern.test(line));
    const order = [
      /start from USB on/,
      /fast boot off/,
      /storage controller to plain NVMe/,
      /dock or a card/,
      /Attach Disk 3|Disk 3 now/,
      /Choose the target: sda/,
      /put the settings back/,
    ];
    for (const pattern of order) expect([String(pattern), at(pattern) >= 0]).toEqual([String(pattern), true]);
    expect(at(/storage controller to plain NVMe/)).toBeLessThan(at(/Attach SP-1/));
    expect(at(/Choose the target: sda/)).toBeLessThan(at(/put the settings back/));
    const settings = new Set((route?.changes ?? []).map(({ setting }) => setting));
    expect([...settings].sort()).toEqual(
      expect.arrayContaining(["fastBoot", "storageMode", "store", "target", "usbPort", "usbStart"]),
    );
  });

  test("an environment that is too old: the sheet says to take a newer one", () => {
    const older = { lantern: { systems: [{ ...INCLUDED, build: 19045, version: "22H2", name: "Windows 10 Pro" }] } };
    expect(text("start-up", older)).toMatch(/may be too old: take one not older than/);
  });

  test("an old image of a domain, encryption, a new disk: what is to be done afterwards", () => {
    const old = [image({ takenAt: "2026-01-01T10:00:00Z" })];
    const locked = main({
      partitions: [
        { number: 3, bytes: 2e11, role: "system", filesystem: "ntfs", encryption: "bitlocker", keyPlace: "Safe" },
      ],
    });
    expect(codes("image", { images: old, facts: { disks: [locked] } })).toEqual(
      expect.arrayContaining(["rejoin", "encrypt-again"]),
    );
    expect(codes("image", {})).not.toContain("rejoin");
    expect(codes("image", { computer: { newDisk: { bytes: 512e9, sectorBytes: 512, bus: "nvme" } } })).toContain(
      "start-entry",
    );
  });

  test("restoring an increment takes as long as all that it builds on", () => {
    const least = (images: object[]) => answers({ images }, { image: "I1" })[0]?.seconds.restoreLeast ?? 0;
    const parent = image({ id: "I0", takenAt: "2026-06-01T10:00:00Z" });
    expect(least([image({ kind: "incremental", parent: "I0", storedBytes: 4e9 }), parent])).toBeGreaterThan(
      least([image()]),
    );
  });
});

test("the next image: what cannot be told is taken, a reserved partition is no unknown size, and what is lacking is told", () => {
  const plan = (parts: Parts) => {
    const reading = readWorld(world(parts));
    return reading.ok ? imagePlans(worldOf(reading.document))[0]?.plan : undefined;
  };
  const numbers = (contents: { partition: { number: number } }[] = []) =>
    contents.map(({ partition }) => partition.number);
  expect(plan({})).toMatchObject({ usedBytes: 60_033_554_432, lacks: [] });
  expect([numbers(plan({})?.take), numbers(plan({})?.leave)]).toEqual([[1, 2, 3], [4]]);
  const root = { number: 2, bytes: 1e11, usedBytes: 5e9, filesystem: "ext4" };
  const linux = plan({ facts: { disks: [main({ partitions: [root] })], systems: [] } });
  expect([numbers(linux?.take), linux?.lacks]).toEqual([[2], ["esp"]]);
});

test("policy: only a usable image is the newest one; what is lacking is told", () => {
  const met = (images: object[]) => {
    const reading = readWorld(world({ images, more: { policy: { image: 1, proof: "none", imageDays: 100 } } }));
    if (!reading.ok) throw new Error(reading.told);
    return policyAnswers(worldOf(reading.document))[0];
  };
  expect(met([image()])?.met).toBe(true);
  const old = image({ id: "I0", takenAt: "2025-01-01T10:00:00Z" });
  const damaged = image({ verified: { on: "2026-06-30", whole: false } });
  expect(met([old, damaged])?.lacks).toMatchObject([{ need: "image", oldImage: "2025-01-01" }]);
});

test("what is no world is told, with its place", () => {
  expect(readWorld({ schema: "creel.world/2" })).toMatchObject({ ok: false, at: "schema" });
  expect(readWorld(world({ spindleMedium: { releases: ["Nobody 1"] } }))).toMatchObject({
    ok: false,
    at: "media.0.releases",
  });
});
