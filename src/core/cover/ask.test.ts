import { factsSchema } from "../computer/facts/schema";
import type { ComputerPart, MediumPart, ReleasePart } from "../judging/model/parts";
import { askCover, type CoverCandidate, type Meaning, type StockMedium } from "./ask";
import { type Need, Policies, type PolicyRule, type PolicyValues } from "./policy";
import { type CoverSettings, USUAL_SETTINGS } from "./result";
import { freshMedium, SERVES, type Serves, type Serving } from "./serving";
import { Ways } from "./standing";

const PLACES = ["Head office", "North Pier", "Sandsay"];
const WAYS = new Ways(PLACES, [
  [0, 10, 40],
  [10, 0, 30],
  [40, 30, 0],
]);
const { proven, unproven, not } = SERVES;

function release(name: string): ReleasePart {
  return {
    ...{ name, kit: name, version: "1", family: "Linux", arch: "x64", madeOn: null, drivers: null, systems: null },
    facts: { purposes: ["file-rescue"], opens: [], abilities: [] },
  };
}

function stick(tag: string, more: Partial<StockMedium> = {}, part: Partial<MediumPart> = {}): StockMedium {
  return {
    part: {
      ...{ tag, site: "Head office", lentTo: null, retired: false, condition: "good", writtenOn: null },
      ...{ verified: null, copies: [], ...part },
    },
    ...{ as: "usb", views: { key: `views of ${tag}`, views: null as never }, fault: null, kind: "usb" },
    ...{ releases: [release("Bollard 5.0")], capacityBytes: 16e9, isStore: false },
    ...more,
  };
}

function candidate(name: string, more: Partial<CoverCandidate> = {}): CoverCandidate {
  return {
    ...{ releaseId: 1, releases: [name], way: "as-it-is", neededBytes: 2e9 },
    medium: freshMedium(null, "usb", [release(name)], "2026-11-26"),
    ...more,
  };
}

interface Given {
  /** Computers by their tags: at which place, of which model. */
  computers?: Record<string, { site: string | null; model?: string }>;
  stock?: StockMedium[];
  candidates?: CoverCandidate[];
  /** How far each of the stock, then of the candidates, serves a computer for a need. */
  serves?: (computer: string, need: Need) => Serves[];
  policy?: Partial<PolicyValues>;
  rules?: PolicyRule[];
  settings?: Partial<CoverSettings>;
}

const ONLY_FILES = { back: 0, files: 1, spares: 0, withinMinutes: 15 } as const;

function ask({
  computers = { "HO-1": { site: "Head office" } },
  stock = [],
  candidates = [],
  serves = () => [...stock, ...candidates].map(() => proven),
  policy = {},
  rules = [],
  settings = {},
}: Given): Meaning {
  const fleet = Object.entries(computers).map(([tag, { site, model = "Block 9" }]) => ({
    ...{ tag, site, name: null },
    facts: factsSchema.parse({ schema: "creel.facts/1", computer: { make: "Ostrel", model } }),
  }));
  const serving = {
    media: [...stock, ...candidates.map(({ medium }) => medium)],
    row: (row: number, need: Need) => Uint8Array.from(serves(fleet[row]?.tag ?? "", need)),
    imageOn: () => null,
    today: "2026-11-26",
    classOf: (row: number) => fleet[row]?.facts.computer.model ?? null,
  } as unknown as Serving;
  const all = [{ id: 1, scope: "everywhere", target: "", values: { ...ONLY_FILES, ...policy } } as const, ...rules];
  const policies = new Policies(all);
  return askCover({
    ...{ computers: fleet, stock, candidates, serving, ways: WAYS, policies },
    policyOf: ({ tag, site, facts }: ComputerPart) => {
      const { make, model, form } = facts.computer;
      return policies.of({ tag, site, form, make, model });
    },
    settings: { ...USUAL_SETTINGS, ...settings },
  });
}

test("computers that are alike ask together, and others apart; who has no place asks nothing", () => {
  const { problem, demands, placeless } = ask({
    computers: {
      "HO-1": { site: "Head office" },
      "HO-2": { site: "Head office" },
      "HO-3": { site: "Head office", model: "Slate 14" },
      "NP-1": { site: "North Pier" },
      "XX-1": { site: null },
      "XX-2": { site: "A place that is gone" },
    },
    candidates: [candidate("Bollard 5.0"), candidate("Lantern 12")],
    serves: (computer) => (computer === "HO-3" ? [not, proven] : [proven, not]),
  });
  expect(problem.demands).toEqual([
    { site: 0, withinMinutes: 15, routes: 1, servedBy: [0] },
    { site: 0, withinMinutes: 15, routes: 1, servedBy: [1] },
    { site: 1, withinMinutes: 15, routes: 1, servedBy: [0] },
  ]);
  expect(demands.map(({ computers }) => computers)).toEqual([[0, 1], [2], [3]]);
  expect(placeless).toEqual([4, 5]);
});

test("several releases on one medium are tried each by itself, and none of them is made where one is left out", () => {
  const both = candidate("Bollard 5.0", { releases: ["Bollard 5.0", "Lantern 12"], besideIds: [2] });
  const { problem } = ask({ candidates: [candidate("Bollard 5.0"), both] });
  const { writeMinutes, drillMinutes } = USUAL_SETTINGS;
  expect(problem.contents.slice(0, 2).map(({ workMinutes }) => workMinutes)).toEqual([
    writeMinutes + drillMinutes,
    writeMinutes + 2 * drillMinutes,
  ]);
  const without = ask({ candidates: [candidate("Bollard 5.0"), both], settings: { without: ["Lantern 12"] } });
  expect(without.problem.contents.slice(0, 2).map(({ neededBytes }) => neededBytes)).toEqual([2e9, null]);
});

test("each need is asked by itself, also where the same would serve it", () => {
  const { demands } = ask({ candidates: [candidate("Bollard 5.0")], policy: { files: 2, startUp: 2, back: 1 } });
  expect(demands.map(({ need }) => need)).toEqual(["back", "startUp", "files"]);
});

test("what stands on media is told apart by what it is, and counted together where it is the same", () => {
  const same = { key: "one image", views: null as never };
  const { problem, media } = ask({
    stock: [
      stick("A", { views: same }),
      stick("B", { views: same }, { site: "North Pier" }),
      stick("C"),
      stick("D", { views: same, releases: [release("Lantern 12")] }),
      stick("STORE", { views: same, isStore: true }),
    ],
  });
  const contents = problem.media.map(({ content }) => content);
  expect(media).toEqual([0, 1, 2, 3, 4]);
  expect(contents[0]).toBe(contents[1]);
  expect(new Set(contents).size).toBe(4);
});

test("what is distrusted, only a file, or at no place is left out; what is lent is asked for first", () => {
  const { problem, media } = ask({
    stock: [
      stick("OLD", {}, { condition: "distrusted" }),
      stick("FILE", { kind: "file" }),
      stick("NOWHERE", {}, { site: null }),
      stick("LENT", {}, { lentTo: "Runa Esk" }),
    ],
  });
  expect(media).toEqual([3]);
  expect(problem.media[0]).toMatchObject({ proofMinutes: 10 });
});

test("nothing is written to stores, discs, disks and worn sticks; what is to be kept stays", () => {
  const { problem } = ask({
    stock: [
      stick("PLAIN"),
      stick("STORE", { isStore: true }),
      stick("DISC", { kind: "optical", as: "optical" }),
      stick("DISK", { kind: "disk", isStore: true }),
      stick("WORN", {}, { condition: "worn" }),
      stick("KEPT"),
    ],
    settings: { keep: ["KEPT"] },
  });
  expect(problem.media.map(({ mayBeRewritten }) => mayBeRewritten)).toEqual([true, false, false, false, false, true]);
  expect(problem.media.map(({ isPinned }) => isPinned)).toEqual([false, false, false, false, false, true]);
  expect(problem.media.map(({ device }) => device)).toEqual(["stick", "stick", "disc", "stick", "stick", "stick"]);
});

test("what is not proven costs a drill, and says on which computers: one of each model", () => {
  const { problem, drills } = ask({
    computers: {
      "HO-2": { site: "Head office" },
      "HO-1": { site: "Head office" },
      "HO-3": { site: "Head office", model: "Slate 14" },
      "SA-1": { site: "Sandsay", model: "Slate 15" },
    },
    stock: [stick("RM-01"), stick("RM-02")],
    serves: () => [unproven, proven],
  });
  expect(problem.media.map(({ proofMinutes }) => proofMinutes)).toEqual([USUAL_SETTINGS.drillMinutes, 0]);
  // Sandsay is too far for it to count there.
  expect([...drills]).toEqual([[0, ["HO-1", "HO-3"]]]);
});

test("prices, sizes and what is not to be made", () => {
  const { problem, contents } = ask({
    candidates: [
      candidate("Bollard 5.0", { neededBytes: 7.6e9 }),
      candidate("Bollard 5.0", { way: "disc", neededBytes: 4e9 }),
      candidate("Lantern 11"),
      candidate("Large", { neededBytes: 500e9 }),
    ],
    settings: { without: ["Lantern 11"], writeMinutes: 10, drillMinutes: 5 },
  });
  expect(contents.slice(0, 4)).toEqual([
    { of: "candidate", candidate: 0, size: "16 GB" },
    { of: "candidate", candidate: 1, size: "disc" },
    { of: "candidate", candidate: 2, size: "8 GB" },
    { of: "candidate", candidate: 3, size: null },
  ]);
  expect(problem.contents.slice(0, 4)).toEqual([
    { device: "stick", neededBytes: 7.6e9, price: 7, workMinutes: 15 },
    { device: "disc", neededBytes: 4e9, price: 1, workMinutes: 15 },
    { device: "stick", neededBytes: null, price: null, workMinutes: 15 },
    // It fits a medium that is there, should one be so large; none is to be bought.
    { device: "stick", neededBytes: 500e9, price: null, workMinutes: 15 },
  ]);
});

test("blank spares are asked for where something stands, and a blank medium is one; what serves nobody can become one", () => {
  const { problem, demands, contents } = ask({
    stock: [stick("BLANK", { releases: [], views: null }, { site: "North Pier" }), stick("USELESS"), stick("USEFUL")],
    serves: () => [not, not, proven],
    policy: { spares: 2 },
  });
  const blank = contents.findIndex(({ of }) => of === "blank");
  expect(demands.filter(({ need }) => need === "spare").map(({ site }) => site)).toEqual(["Head office", "North Pier"]);
  expect(problem.demands.filter(({ servedBy }) => servedBy.includes(blank))).toEqual([
    { site: 0, withinMinutes: 0, routes: 2, servedBy: [blank] },
    { site: 1, withinMinutes: 0, routes: 2, servedBy: [blank] },
  ]);
  expect(problem.contents[blank]).toMatchObject({ isBlank: true, price: 6, workMinutes: 0 });
  expect(problem.media.map(({ content }) => content)).toEqual([blank, null, expect.any(Number)]);
});

test("who meets policy now is counted: proven, near, not lent", () => {
  const computers = { "HO-1": { site: "Head office" }, "NP-1": { site: "North Pier" }, "SA-1": { site: "Sandsay" } };
  const metNow = (stock: StockMedium[], serves?: () => Serves[]) =>
    ask({ computers, stock, ...(serves ? { serves } : {}) }).metNow;
  expect(metNow([stick("RM-01")])).toBe(2);
  expect(metNow([stick("RM-01", {}, { lentTo: "Runa Esk" })])).toBe(0);
  expect(metNow([stick("RM-01")], () => [unproven])).toBe(0);
  expect(metNow([stick("RM-01", {}, { site: "Sandsay" })])).toBe(1);
});

test("a rule for one place asks more there", () => {
  const { problem } = ask({
    computers: { "HO-1": { site: "Head office" }, "NP-1": { site: "North Pier" } },
    candidates: [candidate("Bollard 5.0")],
    rules: [{ id: 2, scope: "site", target: "North Pier", values: { files: 3, withinMinutes: null } }],
    settings: { noPurchase: ["Sandsay", "A place that is gone"] },
  });
  expect(problem.demands).toEqual([
    { site: 0, withinMinutes: 15, routes: 1, servedBy: [0] },
    { site: 1, withinMinutes: null, routes: 3, servedBy: [0] },
  ]);
  expect(problem.noPurchase).toEqual([2]);
});
