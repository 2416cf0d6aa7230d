import { factsSchema } from "../computer/facts/schema";
import type { FleetMedium } from "../fleet/world";
import type { ComputerPart } from "../judging/model/parts";
import { sizeFor } from "./ask";
import { USUAL_SETTINGS } from "./result";
import { isMet, isNear, Ways } from "./standing";

const ways = new Ways(
  ["Head office", "North Pier", "Sandsay"],
  [
    [0, 12, null],
    [12, 0, null],
    [null, null, 0],
  ],
);
const medium = (more: Partial<FleetMedium["part"]>): FleetMedium => ({
  part: {
    ...{ tag: "RM-01", site: "Head office", lentTo: null, retired: false, condition: "good", writtenOn: null },
    ...{ verified: null, copies: [], ...more },
  },
  ...{ as: "usb", views: null, fault: null, releases: [] },
});
const computer = (site: string | null): ComputerPart => ({
  ...{ tag: "NP-001", site, facts: factsSchema.parse({ schema: "creel.facts/1" }) },
});

test.each<[Partial<FleetMedium["part"]>, string | null, number | null, boolean]>([
  [{}, "Head office", 0, true],
  [{}, "North Pier", 12, true],
  [{}, "North Pier", 11, false],
  [{}, "North Pier", null, true],
  // No way is known, however long it may take.
  [{}, "Sandsay", null, false],
  [{}, null, null, false],
  [{ site: null }, "Head office", null, false],
  // Nobody knows where it is.
  [{ lentTo: "Runa Esk" }, "Head office", null, false],
  [{ site: "A place that is gone" }, "A place that is gone", 0, true],
  [{ site: "A place that is gone" }, "Head office", null, false],
])("a medium %j for a computer at %s within %s minutes is near: %s", (part, site, within, near) => {
  expect(isNear(ways, medium(part), computer(site), within)).toBe(near);
});

test("everything that is asked must be had", () => {
  const need = { need: "files", wanted: 2, unproven: [5], byImage: null, oldImage: null } as const;
  expect(isMet([{ ...need, have: [1, 2], unproven: [5] }])).toBe(true);
  expect(
    isMet([
      { ...need, have: [1, 2], unproven: [] },
      { ...need, have: [1], unproven: [5] },
    ]),
  ).toBe(false);
  expect(isMet([])).toBe(true);
});

test.each<["stick" | "disc", number, string | null]>([
  ["stick", 1e9, "8 GB"],
  // A stick sold as 8 GB has 7.44 for certain.
  ["stick", 7.44e9, "8 GB"],
  ["stick", 7.5e9, "16 GB"],
  ["stick", 100e9, "128 GB"],
  ["stick", 200e9, null],
  ["disc", 4e9, "disc"],
])("a %s for %d bytes: %s", (device, bytes, size) => {
  expect(sizeFor(device, bytes, USUAL_SETTINGS.prices)).toBe(size);
});

test("the cheapest that is large enough is taken, and what is not to be had is not", () => {
  const prices = { ...USUAL_SETTINGS.prices, "8 GB": null, "16 GB": 12, "32 GB": 9, disc: null };
  expect(sizeFor("stick", 1e9, prices)).toBe("32 GB");
  expect(sizeFor("stick", 31e9, prices)).toBe("64 GB");
  expect(sizeFor("disc", 1e9, prices)).toBeNull();
});
