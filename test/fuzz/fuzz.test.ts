import { dice } from "../support/dice";
import { tempWorkshop } from "../support/workshop";
import { makeCorpus } from "./corpus";
import { exercise } from "./exercise";
import { mutate } from "./mutate";

// A few rounds of `npm run fuzz`, always the same ones: what a change breaks at once is seen at once.
const corpus = makeCorpus(tempWorkshop());

test.each(corpus.map((seed) => [seed.name, seed.bytes] as const))("%s, damaged three times", async (_name, bytes) => {
  await exercise(bytes);
  for (let round = 0; round < 3; round++) {
    const damagedBytes = mutate(bytes, dice(7 + round * 7919));
    expect(Buffer.compare(damagedBytes, bytes)).not.toBe(0);
    await exercise(damagedBytes);
  }
});
