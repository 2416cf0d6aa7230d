import { dice } from "../../../test/support/dice";
import { randomWorld, variedWorld } from "../../../test/support/fleet";
import type { ComputerPart } from "../judging/model/parts";
import { LINK_NAMES } from "../judging/model/schema";
import { answerOf, type Route, rankRoutes, verdictsOf } from "../judging/routes/routes";
import { ReleaseMatrix } from "./by-release";
import { breakAt, linksOfCell, linkVerdict, outcomeOf, rankOfCell, weakestVerdict } from "./cell";
import { arranged, bestOf, groupCells } from "./groups";
import { judgePair, surroundingsOf } from "./judge";
import { FleetMatrix } from "./matrix";
import { SurestChains } from "./surest";
import type { World } from "./world";

const SEEDS = [1, 7, 42, 4242, 77_777];

/** A cell as the plain way comes to it: every route judged, the best one taken. */
function plainly(world: World, row: number, column: number) {
  const [computer, medium] = [world.computers[row], world.media[column]];
  if (!computer || !medium) throw new Error("There is no such cell.");
  const best = rankRoutes(judgePair(surroundingsOf(world), computer, medium))[0];
  return {
    links: Object.fromEntries(LINK_NAMES.map((name) => [name, best?.links[name].verdict])),
    outcome: best?.outcome?.kind ?? null,
    weakest: best?.weakest,
  };
}

function told(matrix: FleetMatrix, row: number, column: number) {
  const cell = matrix.cell(row, column);
  return {
    links: Object.fromEntries(LINK_NAMES.map((name) => [name, linkVerdict(cell, name)])),
    outcome: outcomeOf(cell),
    weakest: weakestVerdict(cell),
  };
}

function everyCell(world: World): [number, number][] {
  return world.computers.flatMap((_, row) => world.media.map((_, column): [number, number] => [row, column]));
}

/** Every cell of the matrix is what judging its pair alone comes to. */
function expectPlain(matrix: FleetMatrix, world: World): void {
  const cells = everyCell(world);
  expect(cells.map(([row, column]) => [row, column, told(matrix, row, column)])).toEqual(
    cells.map(([row, column]) => [row, column, plainly(world, row, column)]),
  );
}

test.each(SEEDS)("every cell is what judging the pair alone comes to (fleet %i)", (seed) => {
  const world = randomWorld(dice(seed), 40, 30);
  const matrix = new FleetMatrix(world);
  expectPlain(matrix, world);
});

test.each(SEEDS)(
  "what is judged alike is alike: computers of every shape have the cells of their pairs (fleet %i)",
  (seed) => {
    const world = variedWorld(dice(seed), 60, 24);
    expectPlain(new FleetMatrix(world), world);
  },
);

test.each(SEEDS)("a medium that comes or goes changes what is kept on it, whatever else it is (fleet %i)", (seed) => {
  const roll = dice(seed);
  const [world, other] = [variedWorld(roll, 30, 12), variedWorld(roll, 30, 12)];
  const matrix = new FleetMatrix(world);
  const now: World = { ...world, media: [...world.media] };
  for (const at of [0, 3, 5, 7]) {
    const medium = other.media[at] as (typeof other.media)[number];
    now.media[at] = medium;
    matrix.replaceMedium(at, medium);
  }
  expectPlain(matrix, now);
});

test.each(SEEDS)("a changed computer or medium is judged anew, and nothing else changes (fleet %i)", (seed) => {
  const roll = dice(seed);
  const world = randomWorld(roll, 25, 20);
  const other = randomWorld(dice(seed + 1), 25, 20);
  const matrix = new FleetMatrix(world);
  const now: World = { ...world, computers: [...world.computers], media: [...world.media] };
  for (let change = 0; change < 12; change++) {
    const at = roll(20);
    if (roll(2) === 0) {
      const computer = { ...(other.computers[at] as ComputerPart), tag: world.computers[at]?.tag as string };
      now.computers[at] = computer;
      matrix.replaceComputer(at, computer);
    } else {
      const medium = other.media[at] as (typeof other.media)[number];
      now.media[at] = medium;
      matrix.replaceMedium(at, medium);
    }
  }
  expectPlain(matrix, now);
});

test.each(SEEDS)("the order of what is around changes nothing (fleet %i)", (seed) => {
  const world = randomWorld(dice(seed), 20, 16);
  const turned: World = {
    ...world,
    computers: [...world.computers].reverse(),
    media: [...world.media].reverse().map((medium) => ({ ...medium, releases: [...medium.releases].reverse() })),
    images: [...world.images].reverse(),
    drills: [...world.drills].reverse(),
    releases: [...world.releases].reverse(),
  };
  const [own, other] = [new FleetMatrix(world), new FleetMatrix(turned)];
  for (const [row, column] of everyCell(world)) {
    const [turnedRow, turnedColumn] = [19 - row, 15 - column];
    expect(other.cell(turnedRow, turnedColumn)).toBe(own.cell(row, column));
    expect(other.routes(turnedRow, turnedColumn)).toEqual(own.routes(row, column));
  }
});

test("a cell's reasons are those of its verdicts; the link at which it breaks is the first of the worst", () => {
  const world = randomWorld(dice(5), 12, 12);
  const matrix = new FleetMatrix(world);
  for (const [row, column] of everyCell(world)) {
    const [best] = matrix.routes(row, column);
    const at = breakAt(matrix.cell(row, column));
    expect(at === null ? "holds" : best?.links[at].verdict).toBe(best?.weakest);
    for (const name of LINK_NAMES) expect(best?.links[name].reasons.length).toBeGreaterThan(0);
  }
});

/** Every way of forgetting one fact of a computer. */
function forgetting(computer: ComputerPart): ComputerPart[] {
  const { facts } = computer;
  const { firmware } = facts;
  const withFirmware = (more: Partial<typeof firmware>) => ({
    ...computer,
    facts: { ...facts, firmware: { ...firmware, ...more } },
  });
  const lists = firmware.secureBoot;
  return [
    { ...computer, site: null },
    { ...computer, facts: { ...facts, computer: { ...facts.computer, model: null } } },
    withFirmware({ kind: null }),
    withFirmware({ arch: null }),
    withFirmware({ version: null }),
    withFirmware({ legacyMode: null }),
    withFirmware({ secureBoot: null }),
    withFirmware({ setupPassword: null }),
    withFirmware({ setupPasswordPlace: null }),
    ...(lists
      ? (["state", "db", "dbx", "sbatLevel"] as const).map((name) =>
          withFirmware({ secureBoot: { ...lists, [name]: null } }),
        )
      : []),
    { ...computer, facts: { ...facts, disks: null } },
    ...(facts.disks ?? []).flatMap((_, at) =>
      [
        ...[
          { bus: null },
          { removable: null },
          { table: null },
          { serial: null },
          { sectorBytes: null },
          { blank: null },
        ],
        { partitions: [], blank: null },
      ].map((less) => ({
        ...computer,
        facts: { ...facts, disks: (facts.disks ?? []).map((disk, nth) => (nth === at ? { ...disk, ...less } : disk)) },
      })),
    ),
    ...(facts.systems ?? []).flatMap((_, at) =>
      [{ partition: null }, { version: null }, { edition: null }, { arch: null }, { family: null }].map((less) => ({
        ...computer,
        facts: { ...facts, systems: (facts.systems ?? []).map((one, nth) => (nth === at ? { ...one, ...less } : one)) },
      })),
    ),
    { ...computer, facts: { ...facts, devices: null } },
    { ...computer, facts: { ...facts, systems: null } },
    { ...computer, facts: { ...facts, ports: null } },
  ];
}

/** What a route gives, by which release. */
function givenBy({ release, outcome }: Route): string {
  return JSON.stringify([release, outcome?.kind, outcome?.image?.id]);
}

test.each(
  SEEDS.flatMap(
    (seed) =>
      [
        ["plain", seed, randomWorld],
        ["of every shape", seed, variedWorld],
      ] as const,
  ),
)("forgetting a fact never turns a broken link into one that holds (fleet %s, %i)", (_what, seed, make) => {
  const { policyFor: _, ...world } = make(dice(seed), 30, 16);
  // What is asked of a computer may depend on its model: here the same is asked of all.
  const around = surroundingsOf(world);
  let looked = 0;
  const wrong: string[][] = [];
  for (const computer of world.computers)
    for (const medium of world.media) {
      // Without its architecture more of a medium's releases may come up: what was no route before was not broken.
      const before = new Map(judgePair(around, computer, medium).map((route) => [givenBy(route), route]));
      for (const less of forgetting(computer))
        for (const route of judgePair(around, less, medium))
          for (const name of LINK_NAMES)
            if (before.get(givenBy(route))?.links[name].verdict === "broken") {
              looked++;
              if (route.links[name].verdict === "holds") wrong.push([less.tag, medium.part.tag, name]);
            }
    }
  expect(wrong).toEqual([]);
  expect(looked).toBeGreaterThan(1000);
});

test.each(SEEDS)("against releases a cell is the best of the media that carry it (fleet %i)", (seed) => {
  const world = randomWorld(dice(seed), 30, 24);
  const matrix = new FleetMatrix(world);
  const by = new ReleaseMatrix(matrix, world.media);
  expect(by.releases).toEqual([...by.releases].sort());
  for (const row of world.computers.keys())
    for (const [at, name] of by.releases.entries()) {
      const carriers = world.media.flatMap(({ releases }, column) =>
        releases.some((release) => release.name === name) ? [column] : [],
      );
      const ranks = carriers.map((column) => rankOfCell(matrix.cell(row, column)));
      expect(rankOfCell(by.cell(row, at))).toBe(Math.min(...ranks));
      expect(carriers).toContain(by.bestMedium(row, at));
    }
});

test.each(SEEDS)(
  "the surest chain of a computer is that of its surest route, also after changes (fleet %i)",
  (seed) => {
    const world = randomWorld(dice(seed), 40, 24);
    const other = randomWorld(dice(seed + 1), 40, 24);
    const matrix = new FleetMatrix(world);
    const surest = new SurestChains(matrix);
    const check = (now: World) => {
      const around = surroundingsOf(now);
      const counts = now.media.map(() => ({ holds: 0, "holds-after-change": 0, unknown: 0, broken: 0 }));
      for (const [row, computer] of now.computers.entries()) {
        const each = now.media.map((medium) => answerOf(judgePair(around, computer, medium))?.weakest ?? "unknown");
        const answer = answerOf(now.media.flatMap((medium) => judgePair(around, computer, medium)));
        const standing = surest.standing(row);
        if (!standing || !answer) throw new Error(computer.tag);
        expect([computer.tag, standing.verdict]).toEqual([computer.tag, answer.weakest]);
        expect(surest.route(row)?.weakest).toBe(answer.weakest);
        if (standing.isOwn) expect(weakestVerdict(standing.cell)).toBe(answer.weakest);
        if (answer.weakest === "unknown" || answer.weakest === "broken")
          expect(linksOfCell(standing.cell)).toEqual(verdictsOf(answer.links));
        expect(standing.ways).toBe(each.filter((verdict) => verdict.startsWith("holds")).length);
        for (const [column, verdict] of each.entries()) (counts[column] as (typeof counts)[number])[verdict]++;
      }
      expect(now.media.map((_, column) => surest.counts(column))).toEqual(counts);
    };
    check(world);
    const now: World = { ...world, computers: [...world.computers], media: [...world.media] };
    for (const at of [3, 9, 17]) {
      const computer = { ...(other.computers[at] as ComputerPart), tag: world.computers[at]?.tag as string };
      now.computers[at] = computer;
      matrix.replaceComputer(at, computer);
      const medium = other.media[at] as (typeof other.media)[number];
      now.media[at] = medium;
      matrix.replaceMedium(at, medium);
    }
    check(now);
  },
);

test("grouped, every cell of a group is the same, and the worst rows come first", () => {
  const world = randomWorld(dice(9), 80, 20);
  const matrix = new FleetMatrix(world);
  const [rows, columns] = [[...world.computers.keys()], [...world.media.keys()]];
  const groups = groupCells(matrix, rows, columns);
  expect(groups.rows.flatMap(({ members }) => members).sort((a, b) => a - b)).toEqual(rows);
  expect(groups.columns.flatMap(({ members }) => members).sort((a, b) => a - b)).toEqual(columns);
  for (const { members, weakest } of groups.rows) {
    const [first = 0] = members;
    for (const row of members)
      for (const column of columns) expect(matrix.cell(row, column)).toBe(matrix.cell(first, column));
    expect(weakest.reduce((sum, count) => sum + count, 0)).toBe(columns.length);
  }
  const order = groups.rows.map(({ weakest }) => weakest[0] * 1e6 + weakest[1] * 1e3 + weakest[2]);
  expect(order).toEqual([...order].sort((a, b) => a - b));
});

test("arranged for reading: columns by family, rows by the best that they have, and the same ones as before", () => {
  const world = randomWorld(dice(11), 60, 24);
  const matrix = new FleetMatrix(world);
  const groups = groupCells(matrix, [...world.computers.keys()], [...world.media.keys()]);
  const familyOf = (column: number) => `family ${column % 5}`;
  const { rows, columns } = arranged(matrix, groups, familyOf);
  expect(new Set(rows)).toEqual(new Set(groups.rows));
  expect(new Set(columns)).toEqual(new Set(groups.columns));
  const families = columns.map(({ members: [first = 0] }) => familyOf(first));
  // Each family is in one piece.
  expect(families.filter((family, at) => family !== families[at - 1])).toHaveLength(new Set(families).size);
  expect(families[0]).toBe(familyOf(groups.columns[0]?.members[0] ?? -1));
  const best = rows.map(bestOf);
  expect(best).toEqual([...best].sort((a, b) => b - a));
  expect(new Set(best).size).toBeGreaterThan(1);
});
