import { type Facts, factsSchema } from "@/core/computer/facts/schema";
import { mergeForms } from "@/ui/merge";
import { type ComputerStart, emptyFacts, fromForm, toForm } from "./form-values";

const facts: Facts = factsSchema.parse({
  schema: "creel.facts/1",
  computer: { tag: "A-1", make: "Ostrel", model: "Block 3", serial: "S1", form: "desktop" },
  firmware: {
    kind: "uefi",
    arch: "x64",
    legacyMode: "off",
    vendor: "Norlight",
    secureBoot: { state: "on", db: "AAAA" },
    keys: { setup: "F2", startMenu: "F12", save: "F10" },
    setupPassword: "set",
    setupPasswordPlace: "in the safe",
  },
  cpu: { arch: "x64" },
  memoryBytes: 8_252_182_528,
  disks: [
    {
      name: "sda",
      bytes: 500_107_862_016,
      sectorBytes: 512,
      bus: "sata",
      partitions: [{ number: 1, bytes: 1000, role: "esp" }],
    },
    { name: "sdb", bytes: 4_000_787_030_016, bus: "sata", partitions: [] },
  ],
  devices: [{ class: "storage", modalias: "pci:v1", name: "x" }],
  systems: [{ name: "Gannet Desk" }],
  ports: { usb: 4, usbC: 1, optical: false, management: "10.0.4.2" },
});
const start: ComputerStart = { tag: "A-1", name: "Desk", siteId: 3, note: null, facts };

test("systems are typed and changed; a version without a name is asked for it", () => {
  const system = {
    from: "",
    name: "Kittiwake",
    family: "linux",
    version: "9",
    build: "",
    edition: "",
    arch: "x64",
    language: "en-GB",
  };
  expect(fromForm({ ...toForm(start), systems: [system] }, facts)).toMatchObject({
    ok: true,
    input: { facts: { systems: [{ name: "Kittiwake", version: "9", build: null, language: "en-GB" }] } },
  });
  expect(fromForm({ ...toForm(start), systems: [{ ...system, name: "" }] }, facts)).toMatchObject({
    ok: false,
    fields: { "systems.0.name": "A system's name is needed." },
  });
});

test("a form that nobody touched gives back exactly what it began with", () => {
  const reading = fromForm(toForm(start), facts);
  expect(reading).toEqual({ ok: true, input: start });
});

test("a set-up password is kept as a place, and only where there is one; no more ports are USB-C than there are", () => {
  const read = (values: object) => fromForm({ ...toForm(start), ...values }, facts);
  expect(read({ setupPassword: "none" })).toMatchObject({
    input: { facts: { firmware: { setupPassword: "none", setupPasswordPlace: null } } },
  });
  expect(read({ setupPasswordPlace: "123456-234567-345678-456789" })).toMatchObject({
    fields: { setupPasswordPlace: expect.stringContaining("only where the key is") },
  });
  expect(read({ usbC: "5" })).toMatchObject({ fields: { usbC: expect.any(String) } });
});

test("a disk that is typed in is not taken to be empty", () => {
  const disk = { from: "", name: "sdc", gigabytes: "500", bus: "sata", partitions: [] };
  const reading = fromForm({ ...toForm(start), disks: [disk] }, facts);
  expect(reading).toMatchObject({ input: { facts: { disks: [{ name: "sdc", partitions: [], blank: null }] } } });
});

test("partitions are typed in and changed; what the form does not show of them is kept", () => {
  const partition = {
    ...{ from: "", number: "2", gigabytes: "200", usedGigabytes: "41.5", filesystem: "ntfs", role: "system" },
    ...{ encryption: "bitlocker", keyPlace: "Safe, envelope 4" },
  };
  const withOne = (more: object) => {
    const [sda, sdb] = toForm(start).disks;
    return fromForm(
      {
        ...toForm(start),
        disks: [{ ...sda, partitions: [...(sda?.partitions ?? []), { ...partition, ...more }] }, sdb] as never,
      },
      facts,
    );
  };
  expect(withOne({})).toMatchObject({
    input: {
      facts: {
        disks: [
          {
            partitions: [
              { number: 1, bytes: 1000, role: "esp" },
              { number: 2, bytes: 200e9, usedBytes: 41.5e9, encryption: "bitlocker", keyPlace: "Safe, envelope 4" },
            ],
          },
          { name: "sdb" },
        ],
      },
    },
  });
  const at = "disks.0.partitions.1";
  expect(withOne({ gigabytes: "" })).toMatchObject({ fields: { [`${at}.gigabytes`]: expect.any(String) } });
  expect(withOne({ usedGigabytes: "300" })).toMatchObject({ fields: { [`${at}.usedGigabytes`]: expect.any(String) } });
  expect(withOne({ number: "x" })).toMatchObject({ fields: { [`${at}.number`]: expect.any(String) } });
  expect(withOne({ keyPlace: "123456-234567-345678-456789" })).toMatchObject({
    fields: { [`${at}.keyPlace`]: expect.stringContaining("only where the key is") },
  });
});

test("an empty form knows nothing", () => {
  const values = { ...toForm({ ...start, facts: emptyFacts() }) };
  expect(fromForm(values, emptyFacts())).toMatchObject({
    ok: true,
    input: { facts: { ...emptyFacts(), computer: { tag: "A-1" } } },
  });
});

test("taking off the first disk leaves the second one its own facts", () => {
  const values = toForm(start);
  const reading = fromForm({ ...values, disks: values.disks.slice(1) }, facts);
  expect(reading).toMatchObject({ ok: true, input: { facts: { disks: [facts.disks?.[1]] } } });
});

test("what the form does not show is kept when something else changes", () => {
  const reading = fromForm(
    {
      ...toForm(start),
      secureBoot: "off",
      disks: [{ ...(toForm(start).disks[0] as object), gigabytes: "1000" }] as never,
    },
    facts,
  );
  expect(reading).toMatchObject({
    ok: true,
    input: {
      facts: {
        firmware: { vendor: "Norlight", secureBoot: { state: "off", db: "AAAA" } },
        devices: facts.devices,
        disks: [{ bytes: 1_000_204_886_016, partitions: [{ role: "esp" }] }],
      },
    },
  });
});

test.each([
  [{ tag: " " }, "tag"],
  [{ memoryGiB: "lots" }, "memoryGiB"],
  [{ usbPorts: "-1" }, "usbPorts"],
  [{ disks: [{ from: "", name: "sda", gigabytes: "", bus: "", partitions: [] }] }, "disks.0.gigabytes"],
])("%j is refused at its field", (bad, field) => {
  const reading = fromForm({ ...toForm(start), ...bad }, facts);
  expect(reading.ok ? [] : Object.keys(reading.fields)).toEqual([field]);
});

test("a merge takes what only the other changed, keeps mine, and names what both changed", () => {
  const opened = { name: "Desk", note: "", arch: "x64", kind: "uefi" };
  const merge = mergeForms({ ...opened, name: "Mine", note: "mine" }, opened, {
    ...opened,
    name: "Theirs",
    arch: "ia32",
  });
  expect(merge).toEqual({
    values: { name: "Mine", note: "mine", arch: "ia32", kind: "uefi" },
    taken: ["arch"],
    conflicts: [{ field: "name", theirs: "Theirs" }],
  });
});
