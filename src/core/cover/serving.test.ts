import { dice } from "../../../test/support/dice";
import { randomWorld } from "../../../test/support/fleet";
import { judgePair, surroundingsOf } from "../fleet/judge";
import type { Verdict } from "../judging/model/schema";
import { outcomesOf } from "../judging/routes/outcome";
import { rankRoutes } from "../judging/routes/routes";
import { NEED_OUTCOMES, NEEDS } from "./policy";
import { SERVES, Serving } from "./serving";

const good = (verdict: Verdict, changesAllowed: boolean) =>
  verdict === "holds" || (changesAllowed && verdict === "holds-after-change");

test("a medium serves a need as some route of it does, route by route, whatever else it gives", () => {
  const seen = new Set<number>();
  for (const seed of [5, 6, 7, 8]) {
    const world = randomWorld(dice(seed), 24, 14);
    const serving = new Serving(world, world.media);
    const around = surroundingsOf(world);
    for (const [row, computer] of world.computers.entries())
      for (const need of NEEDS)
        for (const changesAllowed of [true, false]) {
          const told = serving.row(row, need, changesAllowed);
          for (const [column, medium] of world.media.entries()) {
            const fitting = judgePair(around, computer, medium).filter(
              ({ outcome, links }) =>
                outcome !== null &&
                NEED_OUTCOMES[need].includes(outcome.kind) &&
                links.atHand.verdict !== "broken" &&
                [links.starts, links.sees, links.restores].every(({ verdict }) => good(verdict, changesAllowed)),
            );
            const [any] = fitting;
            const expected = !any ? SERVES.not : any.links.proven.verdict === "holds" ? SERVES.proven : SERVES.unproven;
            seen.add(expected);
            expect([seed, computer.tag, medium.part.tag, need, told[column]]).toEqual([
              ...[seed, computer.tag, medium.part.tag, need, expected],
            ]);
          }
        }
  }
  expect(seen.size).toBe(3);
});

test("where nothing serves, it is told at which link what comes furthest fails", () => {
  const seen = new Set<string>();
  const links = ["starts", "sees", "restores"] as const;
  for (const seed of [5, 6, 7, 8, 9]) {
    const world = randomWorld(dice(seed), 20, 5);
    const serving = new Serving(world, world.media);
    const around = surroundingsOf(world);
    for (const [row, computer] of world.computers.entries())
      for (const need of NEEDS) {
        // How far the best route of each medium comes that is to be relied on and has something of the kind.
        const reach = world.media.flatMap((medium) =>
          NEED_OUTCOMES[need].flatMap((kind) => {
            const gives = medium.releases.filter((release) => outcomesOf(release).includes(kind));
            if (gives.length === 0) return [];
            // Where none of them comes up on the computer, it is not recorded what does.
            const routes = judgePair(around, computer, { ...medium, releases: gives }).filter(
              ({ release, outcome }) =>
                release === null || (outcome === null ? kind === "image" : outcome.kind === kind),
            );
            const [best] = rankRoutes(routes);
            if (!best || best.links.atHand.verdict === "broken") return [];
            return [links.findIndex((name) => !good(best.links[name].verdict, true))];
          }),
        );
        const expected = reach.includes(-1) ? "atHand" : (links[Math.max(-1, ...reach)] ?? "restores");
        const told = serving.failsAt(row, need, true);
        seen.add(told);
        expect([seed, computer.tag, need, told]).toEqual([seed, computer.tag, need, expected]);
      }
  }
  expect([...seen].sort()).toEqual(["atHand", "restores", "sees", "starts"]);
});
