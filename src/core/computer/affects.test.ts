import { affectedText } from "../words/facts";
import { affectedBy } from "./affects";
import { FACTS_SCHEMA, factsSchema } from "./facts/schema";
import { summariseSecureBoot } from "./secure-boot/lists";

async function told(before: object, after: object): Promise<string> {
  const both = await Promise.all(
    [before, after].map(async (more) => {
      const facts = factsSchema.parse({ schema: FACTS_SCHEMA, ...more });
      return { facts, lists: summariseSecureBoot(facts.firmware) };
    }),
  );
  return affectedBy(both[0] as (typeof both)[number], both[1] as (typeof both)[number])
    .map(affectedText)
    .join(" ");
}
const sbat = (level: string) => ({ firmware: { secureBoot: { sbatLevel: `sbat,1,2024\n${level}\n` } } });

test.each([
  [
    { firmware: { version: "2.18" } },
    { firmware: { version: "2.19" } },
    /updated from 2\.18 to 2\.19: settings may be at their defaults/,
  ],
  [
    { firmware: { kind: "uefi", legacyMode: "on" } },
    { firmware: { kind: "uefi", legacyMode: "off" } },
    /started as BIOS and now starts as UEFI/,
  ],
  [
    { firmware: { secureBoot: { state: "off" } } },
    { firmware: { secureBoot: { state: "on" } } },
    /Secure Boot was off and is on/,
  ],
  [sbat("shim,3"), sbat("shim,4"), /require generation 4 of shim instead of 3/],
  [{ firmware: { usbStart: "on" } }, { firmware: { usbStart: "off" } }, /Start from USB was on and is off/],
  [
    { disks: [{ name: "sda", bytes: 500e9, serial: "A" }] },
    { disks: [{ name: "sda", bytes: 256e9, serial: "B" }] },
    /sda is gone.*sda \(256 GB\) is new/,
  ],
  [
    { disks: [{ name: "sda", bytes: 500e9 }] },
    { disks: [{ name: "sda", bytes: 480e9 }] },
    /smaller than before \(480 GB instead of 500 GB\)/,
  ],
  [
    { disks: [{ name: "sda", bytes: 5, sectorBytes: 512 }] },
    { disks: [{ name: "sda", bytes: 5, sectorBytes: 4096 }] },
    /sectors of 4096 bytes instead of 512/,
  ],
  [
    { systems: [{ name: "Kittiwake", version: "8" }] },
    { systems: [{ name: "Kittiwake", version: "9" }] },
    /Kittiwake 8 became Kittiwake 9/,
  ],
  [
    { devices: [{ modalias: "pci:a" }] },
    { devices: [{ modalias: "pci:b" }, { modalias: "pci:c" }] },
    /2 of its devices are new and 1 are gone/,
  ],
])("%j to %j", async (before, after, text) => {
  expect(await told(before, after)).toMatch(text);
});

test("what was not recorded before touches nothing that anybody relied on", async () => {
  expect(
    await told(
      {},
      { firmware: { kind: "uefi", version: "1", secureBoot: { state: "on" } }, disks: [{ name: "sda", bytes: 1 }] },
    ),
  ).toBe("");
});
