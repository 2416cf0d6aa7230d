import { viewsWith } from "../../../../test/support/fleet";
import { factsSchema } from "../../computer/facts/schema";
import { judgeStart } from "../starts/judge";
import { loadsReached } from "./loads";
import type { StartKind } from "./start-kind";

// Which loader firmware takes: UEFI 2.10, 3.5.1.1, and the reference firmware (write/several.test.ts starts such media).
const loads: { name: string; startedBy: StartKind[] | null }[] = [
  { name: "first", startedBy: ["x64", "bios"] },
  { name: "second", startedBy: ["ia32", "bios"] },
];
const views = viewsWith(["x64", "ia32"], true);

const on = (firmware: Record<string, unknown>, all = loads, of = views) => {
  const facts = factsSchema.parse({
    schema: "creel.facts/1",
    computer: { make: "Corvane", model: "13" },
    firmware: { kind: "uefi", arch: "x64", secureBoot: { state: "off" }, ...firmware },
  });
  return loadsReached(all, facts, judgeStart(of, facts, "usb")).map(({ name }) => name);
};

test("UEFI comes to the release that has the first loader for it", () => {
  expect(on({})).toEqual(["first"]);
  expect(on({ arch: "ia32" })).toEqual(["second"]);
});

test("with a BIOS, or where UEFI starts as one, whoever sits there chooses", () => {
  expect(on({ kind: "bios", arch: null })).toEqual(["first", "second"]);
  expect(on({ legacyMode: "on" })).toEqual(["first", "second"]);
  const onlyBios = viewsWith([], true);
  expect(on({ legacyMode: "off" }, loads, onlyBios)).toEqual(["first", "second"]);
});

test("what is not recorded, or starts nothing, leaves all of them", () => {
  expect(on({ kind: null, arch: null })).toEqual(["first", "second"]);
  expect(on({ arch: null })).toEqual(["first", "second"]);
  expect(on({ arch: "aa64" })).toEqual(["first", "second"]);
});

test("where one of them stands is not told, it comes up however the medium starts", () => {
  const untold = [...loads, { name: "third", startedBy: null }];
  expect(on({}, untold)).toEqual(["first", "third"]);
  expect(on({ arch: "ia32" }, [loads[0] as (typeof loads)[number]])).toEqual([]);
});

test("what Secure Boot refused is passed over, and the other one comes up", () => {
  const facts = { firmware: { kind: "uefi", arch: "x64", legacyMode: null } } as Parameters<typeof loadsReached>[1];
  const recovered = { verdict: "holds", changes: [], passedOver: true } as const;
  expect(loadsReached(loads, facts, { ...recovered, changes: [] })).toEqual([loads[1]]);
});
