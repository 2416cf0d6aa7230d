import { dice } from "../../../test/support/dice";
import { randomWorld } from "../../../test/support/fleet";
import { Solver } from "../../server/cover/solver";
import type { FleetMedium, World } from "../fleet/world";
import type { ComputerPart } from "../judging/model/parts";
import { askCover, type CoverCandidate, type StockMedium } from "./ask";
import { Policies, type PolicyRule } from "./policy";
import { type CoverResult, USUAL_SETTINGS } from "./result";
import { freshMedium, Serving } from "./serving";
import { solveCover } from "./solve";
import { isMet, standingOf, Ways } from "./standing";
import { tellCover } from "./tell";
import { travelTable } from "./travel";

let solver: Solver;
beforeAll(() => {
  solver = new Solver();
});
afterAll(() => solver.close());

const RULES: PolicyRule[] = [
  // Proof is not at stake here: what a plan makes is proven afterwards.
  {
    id: 1,
    scope: "everywhere",
    target: "",
    values: { back: 1, image: 1, files: 1, startUp: 1, proof: "none", spares: 1, withinMinutes: 20 },
  },
  { id: 2, scope: "site", target: "Workshop", values: { files: 2, withinMinutes: null } },
];

function setting(seed: number) {
  const roll = dice(seed);
  const base = randomWorld(roll, 30, 18);
  const policies = new Policies(RULES);
  const policyOf = ({ tag, site, facts }: ComputerPart) => {
    const { form, make, model } = facts.computer;
    return policies.of({ tag, site, form, make, model });
  };
  const world: World = { ...base, policyFor: () => ({ drillDays: null, verificationDays: null, proof: "none" }) };
  const places = [
    ...new Set([...world.computers, ...world.media.map(({ part }) => part)].flatMap(({ site }) => site ?? [])),
  ].sort();
  const legs = places.slice(1).map((_, at) => ({ from: at, to: at + 1, minutes: 10 + roll(30) }));
  const ways = new Ways(places, travelTable(places.length, legs));
  const stock = world.media.map(
    (medium): StockMedium => ({
      ...medium,
      ...{ kind: medium.as === "optical" ? "optical" : "usb", capacityBytes: [4e9, 16e9, 32e9][roll(3)] as number },
      isStore: roll(5) === 0,
    }),
  );
  const candidates = world.media.slice(0, 8).flatMap(({ views, as, releases }, at): CoverCandidate[] => {
    const [own, ...others] = releases.map(({ name }) => name);
    if (own === undefined || !views) return [];
    const way = as === "optical" ? "disc" : "as-it-is";
    const medium = freshMedium(views, as ?? "usb", releases, world.today);
    return [{ releaseId: at, releases: [own, ...others], way, neededBytes: 2e9, medium }];
  });
  return { world, policies, policyOf, ways, stock, candidates };
}

async function planned({ world, policies, policyOf, ways, stock, candidates }: ReturnType<typeof setting>) {
  const computers = world.computers.map((computer) => ({ ...computer, name: null }));
  const serving = new Serving({ ...world, computers }, [...stock, ...candidates.map(({ medium }) => medium)]);
  const meaning = askCover({
    computers,
    stock,
    candidates,
    serving,
    ways,
    policies,
    policyOf,
    settings: USUAL_SETTINGS,
  });
  const plan = await solveCover(meaning.problem, { solve: solver.solve, seconds: 20 });
  const result = tellCover(meaning, plan, {
    seconds: 0,
    leftOut: [],
    whyNot: () => [{ code: "nothing-gives-it-back" }],
  });
  return { meaning, plan, result };
}

/** The media as they are once a plan is done. */
function done({ stock, candidates }: ReturnType<typeof setting>, { media }: CoverResult): FleetMedium[] {
  const used = new Map(media.flatMap((each) => (each.medium === null ? [] : [[each.medium, each]])));
  const at = (medium: FleetMedium, site: string, tag: string): FleetMedium => ({
    ...medium,
    part: { ...medium.part, tag, site, lentTo: null },
  });
  const made = (releaseId: number | null, way: string | null) =>
    candidates.find((each) => each.releaseId === releaseId && each.way === way)?.medium;
  const old = stock.flatMap((medium): FleetMedium[] => {
    const own = used.get(medium.part.tag);
    if (!own) return [medium];
    if (own.act === "keep" || own.act === "move") return [at(medium, own.site, medium.part.tag)];
    const fresh = made(own.releaseId, own.way);
    return fresh ? [at(fresh, own.site, medium.part.tag)] : [];
  });
  const bought = media.flatMap((each, nth): FleetMedium[] => {
    const fresh = each.act === "buy" ? made(each.releaseId, each.way) : undefined;
    return fresh ? [at(fresh, each.site, `NEW-${nth}`)] : [];
  });
  return [...old, ...bought];
}

test.each([21, 22, 23, 24, 25, 26])(
  "once a plan is done, everybody meets policy but those of whom it says that nothing can be done (fleet %i)",
  async (seed) => {
    const given = setting(seed);
    const { result, meaning } = await planned(given);
    expect(result.isLeast).toBe(true);
    const media = done(given, result);
    const serving = new Serving(given.world, media);
    const lacking = new Set(result.lacks.flatMap(({ computers }) => computers.tags));
    let met = 0;
    const metBySite: Record<string, number> = {};
    for (const [row, computer] of given.world.computers.entries()) {
      if (computer.site === null) continue;
      const standing = standingOf(serving, given.ways, computer, row, given.policyOf(computer).values);
      metBySite[computer.site] = (metBySite[computer.site] ?? 0) + Number(isMet(standing));
      if (isMet(standing)) met++;
      else expect([...lacking]).toContain(computer.tag);
      for (const { need, wanted, have } of standing)
        if (have.length < wanted)
          expect(result.lacks.some((lack) => lack.need === need && lack.computers.tags.includes(computer.tag))).toBe(
            true,
          );
    }
    expect(result.met.planned).toBe(met);
    expect(result.met.bySite).toEqual(metBySite);
    expect(result.met.now).toBe(meaning.metNow);
    expect(result.placeless.count).toBe(given.world.computers.filter(({ site }) => site === null).length);
    // Whoever forces a medium lacks something without it.
    for (const each of result.media.filter(({ act }) => act === "buy"))
      if (each.holds !== null) expect(each.forcedBy.count).toBeGreaterThan(0);
  },
);

test("nothing that images are kept on is written to, and what is distrusted is not counted upon", async () => {
  for (const seed of [31, 32, 33]) {
    const given = setting(seed);
    const { result } = await planned(given);
    const byTag = new Map(given.stock.map((medium) => [medium.part.tag, medium]));
    for (const { act, medium } of result.media) {
      const stock = medium === null ? undefined : byTag.get(medium);
      if (!stock) continue;
      expect(stock.part.condition).not.toBe("distrusted");
      if (act === "rewrite")
        expect([stock.isStore, stock.kind, stock.part.condition === "worn"]).toEqual([false, "usb", false]);
    }
  }
});
