import {
  AHCI,
  answers,
  changes,
  codes,
  disks,
  firmware,
  INCLUDED,
  image,
  link,
  MODULES,
  main,
  NVME,
  RAID,
  RAID_CARD,
  SD_HOST,
  second,
  system,
  USB,
} from "../../../test/support/worlds";

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

  test("an NVMe disk that is seen beside a SATA function in RAID mode is not behind it; behind a volume management device it is", () => {
    const on = (...modalias: string[]) => ({
      facts: { devices: [...modalias, USB].map((each) => ({ modalias: each })) },
    });
    expect(link("sees", "image", on(NVME, RAID))[0]).toBe("holds");
    const vmd = "pci:v00008086d00009A0Bsv00008086sd00000000bc01sc04i00";
    expect(link("sees", "image", on(NVME, vmd))[0]).toBe("holds-after-change");
  });

  test("a disc in a built-in drive needs the controller of that drive, one in an external drive USB", () => {
    const { ahci: _, ...noSata } = MODULES;
    const disc = (optical: boolean | null) => ({
      facts: { ports: { usb: 3, optical } },
      spindle: { drivers: { kind: "modules", drivers: noSata } },
      spindleMedium: { kind: "optical" },
    });
    expect(link("sees", "image", disc(true)).slice(0, 2)).toEqual(["broken", "own-port-not-driven"]);
    expect(link("sees", "image", disc(false))[0]).toBe("holds");
    expect(link("sees", "image", disc(null))[0]).toBe("holds");
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
    // Those of the environment's own store are loaded by themselves, and what is not among them it does not have.
    const store = (drivers: object) => ({
      spindle: { family: "PE", drivers: { kind: "inf", arch: "amd64", installed: true, drivers } },
    });
    const all = { "nv.inf": ["PCI\\CC_010802"], "usb.inf": ["PCI\\CC_0C0330"], "ahci.inf": ["PCI\\CC_010601"] };
    expect(link("sees", "image", store(all)).slice(0, 2)).toEqual(["holds", "controllers-driven"]);
    expect(link("sees", "image", store({ "ahci.inf": ["PCI\\CC_010601"] })).slice(0, 2)).toEqual([
      "broken",
      "controller-not-driven",
    ]);
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
    const driven = parts({ ...MODULES, sdhci_pci: ["pci:v*d*sv*sd*bc08sc05i*"] });
    expect(link("sees", "image", driven)[0]).toBe("holds");
    // A collector that calls it a storage controller means the same one.
    const devices = driven.facts.devices.map((device) => ({ ...device, class: "storage" }));
    const [route] = answers({ ...driven, facts: { ...driven.facts, devices } }, { outcome: "image" });
    expect(route?.links.sees.verdict).toBe("holds");
    const told = route?.links.sees.reasons.find(({ code }) => code === "controllers-driven");
    expect(told).toMatchObject({ drivers: [{ driver: "sdhci_pci" }] });
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

  test("the same product under other names, and another one under a like name", () => {
    const rows: [object, object, string][] = [
      [
        { name: "Windows Server 2022 Standard", edition: null },
        { name: "Windows Server 2022", edition: "ServerStandard" },
        "holds",
      ],
      [
        { name: "Windows Server 2022", edition: "Standard" },
        { name: "Windows Server 2022", edition: "Datacenter" },
        "broken",
      ],
      [
        { name: "Windows Server 2019", edition: "Standard" },
        { name: "Windows Server 2022", edition: "Standard" },
        "broken",
      ],
      [{ name: "Windows 11 Enterprise" }, { name: "Windows 11 Enterprise N", edition: "EnterpriseN" }, "broken"],
      [{ name: "Windows", version: "6.1.7601" }, { name: "Windows 7 Professional", version: "6.1" }, "holds"],
      [{ name: "Windows 8.1 Pro", version: "6.3.9600" }, { name: "Windows 8 Pro", version: "6.2.9200" }, "broken"],
      [
        { name: "Windows 10 Enterprise LTSC", edition: "EnterpriseS", version: "1809", build: 17763 },
        { name: "Windows 10 Enterprise LTSC", edition: "EnterpriseS", version: "21H2", build: 19044 },
        "broken",
      ],
      [
        { family: "linux", name: "Tern GNU/Linux", version: "12", edition: null },
        { family: "linux", name: "Tern Linux 12 (kestrel)", version: "12.5", edition: null },
        "holds",
      ],
      [
        { family: "linux", name: "Linux Tern", version: "12", edition: null },
        { family: "linux", name: "Linux Gannet", version: "12", edition: null },
        "broken",
      ],
    ];
    const bare = { version: null, build: null, edition: "Professional" };
    for (const [runs, has, verdict] of rows) {
      const enterprise = "name" in runs && String(runs.name).includes("Enterprise") ? { edition: "Enterprise" } : {};
      const parts = {
        facts: { systems: [system({ ...bare, ...enterprise, ...runs })] },
        lantern: { systems: [{ ...INCLUDED, ...bare, ...has }] },
      };
      expect([runs, has, link("restores", "reinstall", parts)[0]]).toEqual([runs, has, verdict]);
    }
  });

  test("a maker's own medium puts back the model that it was made on, and no other", () => {
    const of = (factoryOf: object | null, more: object = {}) =>
      link("restores", "factory", {
        ...more,
        spindle: { facts: { purposes: ["factory-state"], factoryOf } },
      }).slice(0, 2);
    expect(of({ make: "Corvane", model: "Slate 14" })).toEqual(["holds", "factory-fits"]);
    expect(of({ make: "Corvane", model: "Slate 13" })).toEqual(["broken", "factory-other-model"]);
    expect(of(null)).toEqual(["unknown", "release-fact-missing"]);
    expect(of({ make: "Corvane", model: "Slate 14" }, { facts: { computer: { tag: "HO-1" } } })[0]).toBe("unknown");
    const open = disks(main(), second({ partitions: main().partitions }));
    const unplaced = { facts: { ...open.facts, systems: [system({ partition: null })] } };
    expect(of({ make: "Corvane", model: "Slate 14" }, unplaced)).toEqual(["unknown", "system-disk-open"]);
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
      ["raid", "Linux", {}, "holds"],
      ["raid", "PE", {}, "broken"],
      ["ownfs", "Linux", {}, "unknown"],
    ];
    for (const [filesystem, family, more, verdict] of rows)
      expect([filesystem, family, link("restores", "files", on(filesystem, family, more))[0]]).toEqual([
        filesystem,
        family,
        verdict,
      ]);
  });

  test("what is on the disk has to be known before files are rescued from it", () => {
    const { partitions: _, ...untold } = main();
    expect(link("restores", "files", disks(untold)).slice(0, 2)).toEqual(["unknown", "fact-missing"]);
    expect(link("restores", "files", disks(main({ partitions: [] }))).slice(0, 2)).toEqual(["broken", "disk-empty"]);
    const bare = { number: 1, bytes: 2e11 };
    expect(link("restores", "files", disks(main({ partitions: [bare] })))[0]).toBe("unknown");
  });

  test("a store that is encrypted itself is of use where its key is kept", () => {
    const on = (more: object) =>
      link("restores", "image", { images: [image({ places: [{ on: "disk", name: "Disk 3", site: null, ...more }] })] });
    expect(on({ encrypted: true }).slice(0, 2)).toEqual(["unknown", "store-key-unknown"]);
    expect(on({ encrypted: true, keyPlace: "in the safe" })).toEqual(
      expect.arrayContaining(["holds-after-change", "store-key-kept"]),
    );
    expect(on({ encrypted: false })[0]).toBe("holds-after-change");
  });

  test("what is changed in set-up needs its password, where there is one", () => {
    const set = (more: object) => ({ facts: { firmware: firmware({ usbStart: "off", ...more }) } });
    expect(link("starts", "files", set({ setupPassword: "set" })).slice(0, 2)).toEqual([
      "unknown",
      "setup-password-place-unknown",
    ]);
    expect(link("starts", "files", set({ setupPassword: "set", setupPasswordPlace: "in the safe" }))[0]).toBe(
      "holds-after-change",
    );
    expect(link("starts", "files", set({ setupPassword: "none" }))[0]).toBe("holds-after-change");
    expect(link("starts", "files", set({ setupPassword: "set", usbStart: "on" }))[0]).toBe("holds");
    const raid = {
      facts: { devices: [RAID, USB].map((modalias) => ({ modalias })), firmware: firmware({ setupPassword: "set" }) },
    };
    expect(link("sees", "image", raid).slice(0, 2)).toEqual(["unknown", "setup-password-place-unknown"]);
    const other = { images: [image({ mode: "bios", partitions: [{ role: "system", active: true }] })] };
    expect(link("restores", "image", { ...other, facts: { firmware: firmware({ setupPassword: "set" }) } })[0]).toBe(
      "unknown",
    );
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
