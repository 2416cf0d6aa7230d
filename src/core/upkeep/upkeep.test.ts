import { dice } from "../../../test/support/dice";
import { randomWorld } from "../../../test/support/fleet";
import { Lapses } from "../cover/lapses";
import { type PolicyValues, USUAL_VALUES } from "../cover/policy";
import { Serving } from "../cover/serving";
import { isMet, standingOf, Ways } from "../cover/standing";
import type { World } from "../fleet/world";
import type { ImagePart } from "../judging/model/parts";
import { outcomesOf } from "../judging/routes/outcome";
import { dayAfter } from "../kernel/days";
import { type DueItem, rankDue, someOf } from "./due";
import { metThen } from "./past";
import { lacksOn, metOn, type ProofInput, proofDue } from "./proof-due";

const START = "2026-11-25";
const POLICY = { ...USUAL_VALUES, back: 0, files: 1, startUp: 0, withinMinutes: null };
const IMAGES = { ...POLICY, files: 0, image: 1, imageDays: 240 };

/** A world whose media were tried and verified on scattered days of the year before. */
function scattered(seed: number): World {
  const roll = dice(seed);
  const base = randomWorld(roll, 36, 16);
  const day = () => dayAfter(START, -roll(360));
  return {
    ...base,
    today: START,
    policyFor: () => ({ drillDays: 365, verificationDays: 300, proof: "model" }),
    drills: base.media.flatMap(({ part }) =>
      base.computers
        .filter(() => roll(3) === 0)
        .map(({ tag, facts }) => ({
          ...{ medium: part.tag, computer: tag, make: facts.computer.make, model: facts.computer.model },
          ...{ firmwareVersion: facts.firmware.version, on: day(), result: "started" as const },
        })),
    ),
    // Of every computer one that fits it, on one of the media that put images back.
    images: base.computers.map(({ tag, facts }, at): ImagePart => {
      const holders = base.media.filter(({ releases }) => releases.some((each) => outcomesOf(each).includes("image")));
      const partitions = [
        { role: "esp", active: true },
        { role: "system", active: true },
      ];
      return {
        ...{ id: `OWN-${at}`, computer: tag, make: facts.computer.make, model: facts.computer.model },
        ...{ takenAt: `${day()}T08:00:00Z`, kit: "Spindle", kitVersion: "2", mode: facts.firmware.kind, partitions },
        ...{ diskBytes: 1e9, sectorBytes: 512, encrypted: false, keyPlace: null, kind: "full", parent: null },
        ...{ verified: { on: START, whole: true } },
        places: [{ on: "medium", tag: holders[at % holders.length]?.part.tag ?? "" }],
      };
    }),
    media: base.media.map((medium) => ({
      ...medium,
      part: { ...medium.part, writtenOn: null, verified: { on: day(), whole: true, sampledOn: null } },
    })),
  };
}

function inputOn(base: World, today: string, policy: PolicyValues = POLICY): ProofInput {
  const world = { ...base, today };
  const serving = new Serving(world, world.media);
  const places = [...new Set(world.computers.flatMap(({ site }) => site ?? []))].sort();
  const ways = new Ways(
    places,
    places.map((_, from) => places.map((__, to) => (from === to ? 0 : 30 * Math.abs(from - to)))),
  );
  const policyFor = (computer: World["computers"][number]) => world.policyFor?.(computer) ?? world.policy;
  return {
    ...{ computers: world.computers, media: world.media, policyFor, today },
    standings: world.computers.map((computer, row) => ({
      row,
      needs: standingOf(serving, ways, computer, row, policy),
    })),
    lapses: new Lapses({ drills: world.drills, policyFor, today }),
    drillsOf: (medium) => world.drills.filter((drill) => drill.medium === medium),
  };
}

const metTags = ({ standings, computers }: ProofInput) =>
  standings.flatMap(({ row, needs }) => (isMet(needs) ? [computers[row]?.tag ?? ""] : []));

test.each([
  ["files", POLICY, 8],
  ["images", IMAGES, 3],
] as const)(
  "a year played forward (%s): whoever loses what is asked was told before, with the very day; nobody else lost it",
  (_what, policy, least) => {
    let lost = 0;
    for (const seed of [3, 4, 5, 7, 8, 9, 10]) {
      const world = scattered(seed);
      const first = inputOn(world, START, policy);
      const forecast = new Map(
        first.standings.map(({ row, needs }) => [row, isMet(needs) ? lacksOn(first, row, needs) : ""]),
      );
      let before = new Set(metTags(first));
      let announced: DueItem[] = proofDue(first);
      for (let days = 1; days <= 365; days += 1) {
        const today = dayAfter(START, days);
        const breaks = [...forecast.values()].includes(today);
        // Between the days on which something is to break it is looked every week that nothing does.
        if (!breaks && days % 7 !== 0) continue;
        if (breaks) announced = proofDue(inputOn(world, dayAfter(today, -1), policy));
        const input = inputOn(world, today, policy);
        const now = new Set(metTags(input));
        for (const tag of before)
          if (!now.has(tag)) {
            lost++;
            const row = world.computers.findIndex((computer) => computer.tag === tag);
            expect([tag, forecast.get(row)]).toEqual([tag, today]);
            const told = announced.filter(({ breaksOn, loses }) => breaksOn === today && loses.tags.includes(tag));
            expect([tag, told.length > 0]).toEqual([tag, true]);
          }
        for (const tag of now) expect(before).toContain(tag);
        expect(metOn(first, [today])[0]?.met).toBe(now.size);
        before = now;
      }
    }
    expect(lost).toBeGreaterThan(least);
  },
);

test("whoever lacks something is told what qualifies once it is proven, the nearest first", () => {
  const world = scattered(6);
  const input = inputOn({ ...world, drills: [] }, START);
  const due = proofDue(input);
  const lacking = input.standings.filter(({ needs }) =>
    needs.some(({ have, unproven }) => have.length === 0 && unproven.length > 0),
  );
  expect(lacking.length).toBeGreaterThan(0);
  for (const { row } of lacking) {
    const { tag } = input.computers[row] as World["computers"][number];
    expect(due.some(({ loses, reason }) => loses.tags.includes(tag) && reason.code === "not-proven")).toBe(true);
  }
  expect(new Set(due.map(({ key }) => key)).size).toBe(due.length);
});

test("days gone by are told as they would have been judged on them, with what was known then", () => {
  const world = scattered(9);
  const now = inputOn(world, START);
  const since = dayAfter(START, -200);
  const told = metThen(
    now,
    {
      computerSince: () => since,
      mediumSince: () => since,
      verifiedOn: (at, day) => {
        const verified = world.media[at]?.part.verified ?? null;
        return verified && verified.on <= day ? verified : null;
      },
    },
    [201, 199, 100, 40, 1].map((days) => dayAfter(START, -days)),
  );
  expect(told[0]).toMatchObject({ met: 0, total: 0 });
  for (const { on, met, total } of told.slice(1)) {
    const then = inputOn(
      {
        ...world,
        media: world.media.map((medium) => {
          const { verified } = medium.part;
          return { ...medium, part: { ...medium.part, verified: verified && verified.on <= on ? verified : null } };
        }),
      },
      on,
    );
    expect({ on, met, total }).toEqual({ on, met: metTags(then).length, total: world.computers.length });
  }
  expect(told.some(({ met }) => met > 0)).toBe(true);
});

test("whoever is about to lose the last way comes first, by the day; then who has none; then the rest", () => {
  const item = (key: string, breaksOn: string | null, loses: string[]): DueItem => ({
    ...{ key, kind: "drill", medium: "M", computer: null, site: null, reason: { code: "worn" }, breaksOn },
    loses: someOf(loses),
  });
  const ranked = rankDue(
    [
      item("has none", null, ["A"]),
      item("many have none", null, ["A", "B"]),
      item("nobody, soon", "2026-12-01", []),
      item("later", "2027-02-01", ["C"]),
      item("sooner", "2026-12-05", ["D"]),
      item("nobody, no day", null, []),
    ],
    "2026-11-25",
  );
  expect(ranked.map(({ key }) => key)).toEqual([
    ...["sooner", "later", "many have none", "has none", "nobody, soon", "nobody, no day"],
  ]);
});
