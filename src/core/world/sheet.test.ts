import {
  answers,
  codes,
  disks,
  firmware,
  INCLUDED,
  image,
  main,
  RAID,
  second,
  text,
  USB,
} from "../../../test/support/worlds";

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
      /restore the settings/,
    ];
    for (const pattern of order) expect([String(pattern), at(pattern) >= 0]).toEqual([String(pattern), true]);
    expect(at(/storage controller to plain NVMe/)).toBeLessThan(at(/Attach SP-1/));
    expect(at(/Choose the target: sda/)).toBeLessThan(at(/restore the settings/));
    const settings = new Set((route?.changes ?? []).map(({ setting }) => setting));
    expect([...settings].sort()).toEqual(
      expect.arrayContaining(["fastBoot", "storageMode", "store", "target", "usbPort", "usbStart"]),
    );
  });

  test("an environment that is too old: the sheet says to take a newer one", () => {
    const older = { lantern: { systems: [{ ...INCLUDED, build: 19045, version: "22H2", name: "Windows 10 Pro" }] } };
    expect(text("start-up", older)).toMatch(/may be too old: use one not older than/);
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

  test("what is wanted at once on USB, a set-up password, a locked store, a share's account", () => {
    const few = { facts: { computer: { tag: "HO-1", form: "desktop" }, ports: { usb: 2, usbC: 2, optical: false } } };
    expect(text("image", few)).toMatch(/2 USB ports; needed at once: SP-1, Disk 3 and a keyboard/);
    expect(text("image", few)).toMatch(/USB-C ports only/);
    expect(text("image", {})).not.toMatch(/needed at once|USB-C/);
    const shut = {
      facts: { firmware: firmware({ usbStart: "off", setupPassword: "set", setupPasswordPlace: "Envelope 4" }) },
    };
    expect(text("image", shut)).toMatch(/Setup password location: Envelope 4/);
    const share = {
      on: "share",
      name: "Images",
      sites: ["Head office"],
      address: "smb://keep/images",
      account: "rescue",
    };
    expect(text("image", { images: [image({ places: [share] })] })).toMatch(/smb:\/\/keep\/images, account rescue/);
    const locked = { on: "disk", name: "Disk 3", site: null, encrypted: true, keyPlace: "Envelope 5" };
    expect(text("image", { images: [image({ places: [locked] })] })).toMatch(/Key location: Envelope 5/);
    const server = { facts: { computer: { tag: "HO-1", form: "server" }, ports: { usb: 4, management: "10.0.4.2" } } };
    expect(text("image", server)).toMatch(/management controller at 10.0.4.2/);
  });

  test("the old disk stays out beside its copy; a failing disk is copied by sectors first; encryption is suspended while it runs", () => {
    const newDisk = { computer: { newDisk: { bytes: 512e9, sectorBytes: 512, bus: "nvme" } } };
    expect(text("image", newDisk)).toMatch(/Leave the old disk out[\s\S]*original and its copy/);
    const other = disks(main({ bytes: 128e9 }), second({ partitions: [] }));
    expect(codes("image", other)).toContain("old-disk");
    expect(codes("image", {})).not.toContain("old-disk");
    const rescue = codes("files", {}, { happening: "does-not-start" });
    expect(rescue.indexOf("copy-sectors")).toBeGreaterThan(0);
    expect(rescue.indexOf("copy-sectors")).toBeLessThan(rescue.indexOf("begin"));
    const sealed = {
      facts: {
        firmware: firmware({ usbStart: "off" }),
        disks: [
          main({
            partitions: [
              { number: 3, bytes: 2e11, role: "system", filesystem: "ntfs", encryption: "bitlocker", keyPlace: "Safe" },
            ],
          }),
        ],
      },
    };
    expect(codes("image", sealed, { happening: "files-lost" })).toContain("suspend");
    expect(codes("files", sealed, { happening: "does-not-start" })).not.toContain("suspend");
  });

  test("on other hardware the licence is looked at", () => {
    const moved = { computer: { imagesOf: "HO-2" }, images: [image({ computer: "HO-2" })] };
    expect(codes("image", moved)).toContain("activate");
    expect(codes("image", {})).not.toContain("activate");
    expect(codes("reinstall", {}, { happening: "new-computer" })).toContain("activate");
  });

  test("restoring an increment takes as long as all that it builds on", () => {
    const least = (images: object[]) => answers({ images }, { image: "I1" })[0]?.seconds.restoreLeast ?? 0;
    const parent = image({ id: "I0", takenAt: "2026-06-01T10:00:00Z" });
    expect(least([image({ kind: "incremental", parent: "I0", storedBytes: 4e9 }), parent])).toBeGreaterThan(
      least([image()]),
    );
  });
});
