import { dice } from "../../../test/support/dice";
import { randomWorld } from "../../../test/support/fleet";
import type { Verdict } from "../chain/schema";
import { judgePair, surroundingsOf } from "../fleet/judge";
import { NEED_OUTCOMES, NEEDS } from "../policy/policy";
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
