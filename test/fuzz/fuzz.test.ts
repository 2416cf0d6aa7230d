import { dice } from "../support/dice";
import { tempWorkshop } from "../support/workshop";
import { makeCorpus } from "./corpus";
import { exercise } from "./exercise";
import { mutate } from "./mutate";

// A few rounds of `npm run fuzz`, always the same ones: what a change breaks at once is seen at once.
const corpus = makeCorpus(tempWorkshop());
const ROUNDS = 3;
/** What was found in the damaged ones, one number a medium. */
const all: number[] = [];

test.each(corpus.map((seed) => [seed.name, seed.bytes] as const))("%s, damaged three times", async (_name, bytes) => {
  expect(await exercise(bytes)).toBeGreaterThan(0);
  let found = 0;
  for (let round = 0; round < ROUNDS; round++) {
    const damagedBytes = mutate(bytes, dice(7 + round * 7919));
    expect(Buffer.compare(damagedBytes, bytes)).not.toBe(0);
    found += await exercise(damagedBytes);
  }
  all.push(found);
});

test("damage takes what it hits, and no more: of most media something is still found", () => {
  expect(all).toHaveLength(corpus.length);
  expect(all.filter((found) => found > 0).length).toBeGreaterThan(corpus.length / 2);
});
