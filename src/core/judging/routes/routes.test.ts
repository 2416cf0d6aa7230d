import { dice } from "../../../../test/support/dice";
import type { Change, Link, LinkName, Links, Verdict } from "../model/schema";
import { LINK_NAMES } from "../model/schema";
import { OUTCOMES, type OutcomeKind } from "./outcome";
import {
  answerOf,
  compareRoutes,
  effortOf,
  firstDifference,
  type Route,
  rankRoutes,
  weakestOf,
  weakLink,
} from "./routes";

// The order of routes is a judgement of ours; these tests hold it to what `routes.ts` says of it.

const VERDICTS: Verdict[] = ["holds", "holds-after-change", "unknown", "broken"];

function link(verdict: Verdict, changes: Change[] = []): Link {
  return { verdict, basis: null, changes, reasons: [], trace: [] };
}

function route(
  name: string,
  verdicts: Partial<Record<LinkName, Verdict>> = {},
  more: Partial<Omit<Route, "outcome">> & { kind?: OutcomeKind | null } = {},
): Route {
  const links = Object.fromEntries(LINK_NAMES.map((each) => [each, link(verdicts[each] ?? "holds")])) as Links;
  const { kind = "image", ...rest } = more;
  return {
    ...{ computer: "HO-001", medium: name, as: "usb", release: "Bollard 5.0", links, weakest: weakestOf(links) },
    ...{ outcome: kind === null ? null : { kind, image: null }, distance: 0, madeOn: "2026-01-01", ...rest },
  } as Route;
}

const order = (...routes: Route[]) => rankRoutes(routes).map(({ medium, behind }) => [medium, behind]);

test("what gives more back comes before what is surer, but nothing that is broken comes before what works", () => {
  const files = route("FILES", {}, { kind: "files" });
  const image = route("IMAGE", { proven: "unknown" });
  const broken = route("BROKEN", { starts: "broken" });
  expect(order(files, broken, image)).toEqual([
    ["IMAGE", null],
    ["FILES", "outcome"],
    ["BROKEN", "broken"],
  ]);
});

test("of routes to the same, each criterion decides where all before it are alike", () => {
  const change = (setting: Change["setting"]): Change => ({ setting, from: "off", to: "on" });
  const withChange = (name: string, ...settings: Change["setting"][]): Route => {
    const own = route(name, { starts: "holds-after-change" });
    return { ...own, links: { ...own.links, starts: link("holds-after-change", settings.map(change)) } };
  };
  expect(order(route("A", { proven: "unknown" }), route("B", { proven: "holds-after-change" }))).toEqual([
    ["B", null],
    ["A", "weakest"],
  ]);
  expect(order(route("A", { starts: "unknown", sees: "unknown" }), route("B", { proven: "unknown" }))).toEqual([
    ["B", null],
    ["A", "links"],
  ]);
  // As many are in doubt, and one gets further before it is.
  expect(order(route("A", { starts: "unknown" }), route("B", { proven: "unknown" }))).toEqual([
    ["B", null],
    ["A", "sooner"],
  ]);
  expect(order(withChange("A", "secureBoot", "legacyMode"), withChange("B", "startOrder"))).toEqual([
    ["B", null],
    ["A", "effort"],
  ]);
  expect(order(route("A", {}, { distance: 3 }), route("B", {}, { distance: 1 }))).toEqual([
    ["B", null],
    ["A", "distance"],
  ]);
  expect(order(route("A", {}, { madeOn: null }), route("B", {}, { madeOn: "2025-01-01" }), route("C"))).toEqual([
    ["C", null],
    ["B", "age"],
    ["A", "age"],
  ]);
  expect(order(route("B"), route("A"))).toEqual([
    ["A", null],
    ["B", "name"],
  ]);
});

test("what is to be done before the day is no effort on it", () => {
  const own = route("A", { proven: "holds-after-change" });
  const drill: Change = { setting: "drill", from: "none", to: "one" };
  expect(effortOf({ ...own, links: { ...own.links, proven: link("holds-after-change", [drill]) } })).toBe(0);
});

/** Routes of every kind at random. */
function someRoutes(roll: (n: number) => number, count: number): Route[] {
  return Array.from({ length: count }, (_, at) =>
    route(`M-${at}`, Object.fromEntries(LINK_NAMES.map((name) => [name, VERDICTS[roll(VERDICTS.length)]])), {
      kind: roll(6) === 0 ? null : (OUTCOMES[roll(OUTCOMES.length)] as OutcomeKind),
      distance: roll(4),
      madeOn: [null, "2025-01-01", "2026-06-01"][roll(3)] ?? null,
    }),
  );
}

test("the order is one, whatever order they come in, and each is told by what the one before it is better", () => {
  const roll = dice(311);
  for (let run = 0; run < 60; run++) {
    const routes = someRoutes(roll, 2 + roll(12));
    const ranked = rankRoutes(routes);
    const shuffled = [...routes].sort(() => roll(3) - 1);
    expect(rankRoutes(shuffled)).toEqual(ranked);
    for (const [at, own] of ranked.entries()) {
      const before = ranked[at - 1];
      if (!before) expect(own.behind).toBeNull();
      else expect(compareRoutes(before, own)).toEqual({ by: own.behind, order: expect.any(Number) });
      for (const later of ranked.slice(at + 1)) expect(compareRoutes(own, later).order).toBeLessThan(0);
    }
  }
});

test("a computer is answered for by the first of its surest routes", () => {
  const roll = dice(312);
  expect(answerOf([])).toBeNull();
  for (let run = 0; run < 60; run++) {
    const routes = someRoutes(roll, 1 + roll(10));
    const surest = Math.min(...routes.map(({ weakest }) => VERDICTS.indexOf(weakest)));
    const expected = rankRoutes(routes).find(({ weakest }) => VERDICTS.indexOf(weakest) === surest);
    expect(answerOf(routes)?.medium).toBe(expected?.medium);
  }
});

test("a route is as good as its weakest link, the first of those that are as bad in the order of need", () => {
  const { links } = route("A", { sees: "unknown", proven: "unknown" });
  expect([weakestOf(links), weakLink(links)]).toEqual(["unknown", "sees"]);
  expect(weakLink(route("B").links)).toBe("atHand");
  expect(firstDifference(route("A", { sees: "broken" }), route("B", { proven: "broken" }))).toBe("sees");
  expect(firstDifference(route("A"), route("B"))).toBeNull();
});
