import { run } from "../../../../scripts/media/workshop";
import { tempWorkshop } from "../../../../test/support/workshop";
import { startKeys } from "./key-cards";
import { missingBit, missingFacts, missingMask } from "./missing";
import { imageContents, roleOf, roleOfType } from "./roles";
import { diskSchema, FACTS_SCHEMA, factsSchema } from "./schema";

const w = tempWorkshop();
const partition = (more: object) => ({ number: 1, bytes: 1, ...more });
const disk = (...partitions: object[]) =>
  diskSchema.parse({
    name: "sda",
    bytes: 9,
    partitions: partitions.map((each, index) => partition({ number: index + 1, ...each })),
  });

test("types as sgdisk names them (its own codes) have the roles that they are for", () => {
  const codes: [string, string | null][] = [
    ["ef00", "esp"],
    ["ef02", "bios-boot"],
    ["ea00", "boot"],
    ["0c01", "msr"],
    ["2700", "recovery"],
    ["8200", "swap"],
    ["8304", "system"],
    ["8302", "data"],
    ["0700", null],
    ["8300", null],
  ];
  const image = w.blank("roles.img", 64);
  run("sgdisk", [
    ...codes.flatMap(([code], index) => ["-n", `${index + 1}:0:+2M`, "-t", `${index + 1}:${code}`]),
    image,
  ]);
  const { partitions } = JSON.parse(run("sfdisk", ["--json", image])).partitiontable as {
    partitions: { type: string }[];
  };
  expect(partitions.map(({ type }) => roleOfType(type))).toEqual(codes.map(([, role]) => role));
});

test("what was set by hand or told counts before what the type tells", () => {
  expect(roleOf(disk({ type: "0x07", role: "data" }).partitions[0] as never)).toBe("data");
  expect(roleOf(disk({ type: "0x27" }).partitions[0] as never)).toBe("recovery");
  expect(roleOf(disk({ filesystem: "swap" }).partitions[0] as never)).toBe("swap");
  expect(roleOf(disk({ type: "0x07" }).partitions[0] as never)).toBeNull();
});

test("an image must hold what starts and the system; what cannot be told is taken, data is left (common practice)", () => {
  const contents = imageContents(
    disk(
      { role: "esp" },
      { role: "msr" },
      { role: "system" },
      { role: "recovery" },
      { role: "data" },
      {},
      { role: "data", active: true },
    ),
  );
  expect(contents.map((each) => each.take)).toEqual(["must", "should", "must", "should", "leave", "must", "must"]);
});

test("keys: the computer's own, then its model's card, then a marked guess by form (common practice)", () => {
  const card = { setup: "F1", startMenu: null, save: null, quirks: null };
  expect(startKeys({ setup: null, startMenu: "F9", save: null }, card, "desktop")).toEqual({
    setup: { key: "F1", from: "card" },
    startMenu: { key: "F9", from: "computer" },
    save: { key: "F10", from: "guess" },
  });
  expect(startKeys(null, null, "laptop").setup).toEqual({ key: "F2", from: "guess" });
  expect(startKeys(null, null, "desktop").setup).toEqual({ key: "Delete", from: "guess" });
  expect(startKeys(null, null, null).startMenu).toEqual({ key: "F12, F11, F8, F9 or Esc", from: "guess" });
});

test.each([
  [{}, ["serial", "model", "firmwareKind", "disks", "storageDevices", "systems", "usbStart"]],
  [{ firmware: { kind: "uefi" } }, ["firmwareArch", "secureBootState", "secureBootLists"]],
  [{ firmware: { kind: "uefi", secureBoot: { state: "off" } } }, ["firmwareArch"]],
  [{ firmware: { kind: "uefi", legacyMode: "on" } }, ["firmwareArch"]],
  [{ disks: [{ name: "sda", bytes: 1 }] }, ["partitions"]],
  [{ disks: [{ name: "sda", bytes: 1, partitions: [{ number: 1, bytes: 1, encryption: "luks" }] }] }, ["keyPlace"]],
])("of %j these are missing among others: %j", (more, wanted) => {
  const facts = factsSchema.parse({ schema: FACTS_SCHEMA, ...more });
  expect(missingFacts(facts)).toEqual(expect.arrayContaining(wanted));
  for (const name of wanted) expect(missingMask(facts) & missingBit(name as never)).not.toBe(0);
});

test("nothing is missing of a computer that is known", () => {
  const facts = factsSchema.parse({
    schema: FACTS_SCHEMA,
    computer: { make: "Corvane", model: "Slate", serial: "1" },
    firmware: { kind: "uefi", arch: "x64", secureBoot: { state: "off" }, usbStart: "on" },
    disks: [{ name: "sda", bytes: 1, partitions: [{ number: 1, bytes: 1 }] }],
    devices: [],
    systems: [{ name: "Kittiwake" }],
  });
  expect([missingFacts(facts), missingMask(facts)]).toEqual([[], 0]);
});
