import {
  changes,
  codes,
  disks,
  firmware,
  image,
  LVM,
  link,
  main,
  second,
  system,
  text,
} from "../../../test/support/worlds";

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
    // What is on it was not told, which does not make it empty.
    const { partitions: _, ...untold } = empty;
    expect(link("restores", "image", disks(small, untold)).slice(0, 2)).toEqual(["broken", "target-too-small"]);
    expect(link("restores", "image", disks(small, { ...empty, blank: false }))[0]).toBe("broken");
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

  test("an image of a disk that starts from another one does not promise a start; a left-over partition changes nothing", () => {
    const images = [image({ partitions: [{ role: "system" }] })];
    const starter = main({ name: "sda", serial: "S0", partitions: [{ number: 1, bytes: 3e8, role: "esp" }] });
    const system = main({ name: "sdb", serial: "S1", partitions: [{ number: 1, bytes: 200e9, role: "system" }] });
    const on = (...all: object[]) => ({ facts: { disks: all }, images });
    expect(link("restores", "image", on(starter, system)).slice(0, 2)).toEqual(["unknown", "image-start-elsewhere"]);
    expect(link("restores", "image", on(system)).slice(0, 2)).toEqual(["broken", "image-lacks"]);
    // Two that could be it tell nothing; the system's own is what it starts from.
    const second = { ...starter, name: "sdc", serial: "S2" };
    expect(link("restores", "image", on(starter, second, system))[0]).toBe("broken");
    expect(link("restores", "image", on(starter, main()))[0]).toBe("broken");
  });

  test("has to be known, and large enough, for a new installation too (Microsoft, Windows 11 specifications)", () => {
    expect(link("restores", "reinstall", { facts: { disks: null } }).slice(0, 2)).toEqual(["unknown", "fact-missing"]);
    const onto = (bytes: number) => link("restores", "reinstall", disks(main({ bytes })));
    expect(onto(32e9).slice(0, 2)).toEqual(["broken", "disk-too-small-to-install"]);
    // What is sold as 64 GB.
    expect(onto(62_537_072_640)[0]).toBe("holds");
    const bios = { facts: { firmware: firmware({ kind: "bios", legacyMode: null }), disks: [main({ bytes: 4e12 })] } };
    expect(link("restores", "reinstall", bios)).toContain("mbr-limit");
  });

  test("is unknown where it is a member of a set", () => {
    const member = main({ partitions: [{ number: 3, type: LVM, bytes: 200e9 }] });
    expect(link("restores", "image", disks(member))).toContain("disk-in-set");
    expect(link("restores", "reinstall", disks(member))[0]).toBe("unknown");
    // As lsblk is read, and as blkid says it.
    for (const filesystem of ["raid", "linux_raid_member", "lvm", "zfs_member"]) {
      const named = main({ partitions: [{ number: 3, filesystem, bytes: 200e9 }] });
      expect([filesystem, link("restores", "reinstall", disks(named))[0]]).toEqual([filesystem, "unknown"]);
    }
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
