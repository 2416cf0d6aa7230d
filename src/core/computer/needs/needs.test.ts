import { bothText, hintText, signerNeedText, startNeedText, termText } from "../../words/needs";
import { FACTS_SCHEMA, factsSchema } from "../facts/schema";
import { type SecureBootSummary, summariseSecureBoot } from "../secure-boot/lists";
import { needsOf, type Outcome } from "./needs";

const GIB = 2 ** 30;
const facts = (more: object = {}) =>
  factsSchema.parse({
    schema: FACTS_SCHEMA,
    firmware: {
      kind: "uefi",
      arch: "x64",
      legacyMode: "off",
      secureBoot: { state: "off" },
      usbStart: "on",
      fastBoot: "off",
    },
    cpu: { arch: "x64" },
    disks: [
      {
        name: "sda",
        bytes: 40e9,
        bus: "sata",
        partitions: [
          { number: 1, bytes: 272629760, usedBytes: 30_000_000, role: "esp" },
          { number: 2, bytes: 30e9, usedBytes: 5_000_000_000, role: "system" },
          { number: 3, bytes: 9e9, usedBytes: 2_000_000_000, role: "data" },
        ],
      },
    ],
    systems: [{ family: "windows", name: "Gannet Desk", version: "10", arch: "x64" }],
    devices: [
      { modalias: "pci:v00008086d00009A0Bsv00001028sd00000AB0bc01sc04i00", name: "Volume controller" },
      { modalias: "pci:v00008086d000015FBsv00001028sd00000AB0bc02sc00i00" },
      { modalias: "pci:v00008086d00009A49sv00001028sd00000AB0bc03sc00i00" },
    ],
    ports: { usb: 1, optical: false },
    ...more,
  });
const lists = (more: object = {}) => summariseSecureBoot(facts(more).firmware);
const needs = async (outcome: Outcome, more: object = {}) => needsOf(facts(more), await lists(more), outcome);

test("an image: the kit, what is used of what must come back at 0.5 to 0.7, room; data is left out", async () => {
  const { capacity } = await needs("image");
  // Used: 30 MB + 5.0 GB. The field's example (5.0 GB used gave a 3 GB file) lies between.
  const used = 5_030_000_000;
  expect(capacity.terms.map((term) => term.code)).toEqual(["kit", "used-data", "used-data", "spare"]);
  expect(capacity.least).toBe(1e9 + used * 0.5 + Math.ceil(used * 0.5 * 0.02));
  expect(capacity.most).toBe(1e9 + used * 0.7 + Math.ceil(used * 0.7 * 0.02));
  expect(capacity.open).toBe(false);
  for (const key of ["least", "most"] as const)
    expect(capacity.terms.reduce((sum, term) => sum + (term[key] ?? 0), 0)).toBe(capacity[key]);
});

test("a reserved partition without a file system makes no size unknown (Microsoft)", async () => {
  const system = { number: 3, bytes: 30e9, usedBytes: 5e9, role: "system" };
  const of = (more: object[]) =>
    needs("image", { disks: [{ name: "sda", bytes: 40e9, partitions: [...more, system] }] });
  const reserved = { number: 2, bytes: 16777216, role: "msr" };
  expect((await of([reserved])).capacity).toEqual((await of([])).capacity);
});

test("sizes go by what images of the same computer came to, where there are some", async () => {
  const stored = { ratio: { low: 0.3, likely: 0.35, high: 0.4 }, isMeasured: true };
  const { capacity } = needsOf(facts(), await lists(), "image", stored);
  expect(capacity.terms.map((term) => term.code)).toEqual(["kit", "measured-data", "measured-data", "spare"]);
  expect(capacity.most).toBe(1e9 + 5_030_000_000 * 0.4 + Math.ceil(5_030_000_000 * 0.4 * 0.02));
  for (const term of capacity.terms) expect(termText(term)).toMatch(/\S/);
});

test("what is not recorded leaves the sum open instead of counting as nothing", async () => {
  const disks = [{ name: "sda", bytes: 40e9, partitions: [{ number: 1, bytes: 30e9, role: "system" }] }];
  const { capacity } = await needs("image", { disks });
  expect(capacity.open).toBe(true);
  expect(capacity.terms[1]).toMatchObject({ code: "unknown-use", least: null, most: 21e9 });
  expect((await needs("image", { disks: undefined })).capacity.open).toBe(true);
});

test("encrypted content may have to be stored whole, and its key place is a hint", async () => {
  const partition = { number: 1, bytes: 30e9, usedBytes: 10e9, role: "system", encryption: "luks" };
  const { capacity, hints } = await needs("image", {
    disks: [{ name: "sda", bytes: 40e9, partitions: [{ ...partition, keyPlace: "Safe, envelope 7" }] }],
  });
  expect(capacity.terms[1]).toMatchObject({ code: "whole-partition", least: 5e9, most: 30e9 });
  expect(hints.map(hintText).join(" ")).toMatch(/Recovery key: Safe, envelope 7/);
});

test.each([
  ["10", 16e9],
  ["11.4", 32e9],
  ["10.0.26100", 32e9],
  ["10.0.19045", 16e9],
])("a reinstall of version %s wants %i bytes, newer ones twice that (common practice)", async (version, bytes) => {
  const systems = [{ family: "windows", name: "Gannet Desk", version, arch: "x64" }];
  expect((await needs("reinstall", { systems })).capacity.least).toBe(bytes);
});

test("the start path is the firmware's, not the processor's (UEFI 2.10, 3.5.1.1)", async () => {
  const path = async (firmware: object) => startNeedText((await needs("repair", { firmware })).start);
  expect(await path({ kind: "uefi", arch: "ia32" })).toMatch(/^\\EFI\\BOOT\\BOOTIA32\.EFI/);
  expect(await path({ kind: "uefi", arch: "x64", legacyMode: "on" })).toMatch(/[Bb]oot code/);
  expect(await path({ kind: "uefi" })).toMatch(/architecture not recorded/);
  expect(await path({})).toMatch(/Firmware kind not recorded/);
});

test("who must have signed: nobody while nothing checks, not recorded without lists", async () => {
  const state = async (firmware: object) => (await needs("repair", { firmware })).signers;
  expect(await state({ kind: "bios" })).toMatchObject({ state: "not-checked" });
  expect(await state({ kind: "uefi", legacyMode: "on", secureBoot: { state: "on" } })).toMatchObject({
    state: "not-checked",
  });
  expect(await state({ kind: "uefi", secureBoot: { state: "on" } })).toMatchObject({ state: "unknown" });
  const certificate = {
    name: "Skerry Test CA",
    issuer: "x",
    subjectName: "CN=Skerry Test CA",
    issuerName: "CN=x",
    notBefore: "",
    notAfter: "",
    serial: "",
    algorithm: "",
    key: "",
    sha256: "",
    tbsSha256: "",
  };
  const known: SecureBootSummary = { ...(await lists()), state: "on", signers: [certificate] };
  const need = needsOf(
    facts({ firmware: { kind: "uefi", arch: "x64", secureBoot: { state: "on" } } }),
    known,
    "repair",
  ).signers;
  expect(signerNeedText(need)).toMatch(/one of: Skerry Test CA/);
});

test("drivers by outcome: the network only where something lies on a share", async () => {
  expect((await needs("image")).drivers.map((each) => each.use)).toEqual(["storage", "network"]);
  expect((await needs("repair")).drivers.map((each) => each.use)).toEqual(["storage"]);
  expect(await needs("repair", { devices: undefined })).toMatchObject({ drivers: [], driversKnown: false });
});

test("hints: one port, USB start off, RAID, other disks", async () => {
  const { hints } = await needs("image", {
    firmware: { kind: "uefi", usbStart: "off", fastBoot: "on" },
    disks: [
      { name: "sda", bytes: 1, bus: "raid", partitions: [{ number: 1, bytes: 1, role: "system" }] },
      { name: "sdb", bytes: 1 },
      { name: "sdc", bytes: 1, removable: true },
    ],
  });
  expect(hints.map((hint) => hint.code)).toEqual([
    "usb-ports",
    "usb-start-off",
    "fast-boot",
    "optical",
    "raid-mode",
    "unplug-others",
  ]);
  expect(hints.at(-1)).toMatchObject({ disks: ["sdb"] });
});

test("sizes are told in both unit systems", () => {
  expect(bothText(16e9)).toBe("16 GB (14.9 GiB)");
  expect(bothText(4 * GIB)).toBe("4.29 GB (4 GiB)");
});
