// Damages media of every format and lets Creel read them. Usage: fuzz.mts [--seed N] [--rounds N] [--seconds S] [--only NAME]
// A round that fails is kept in .creel/fuzz, and its seed printed, so that it can be repeated.
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { parseArgs } from "node:util";
import { makeCorpus } from "../test/fuzz/corpus";
import { exercise } from "../test/fuzz/exercise";
import { mutate } from "../test/fuzz/mutate";
import { dice } from "../test/support/dice";
import { ROOT } from "./lib/install.mjs";
import { Workshop } from "./media/workshop";

const { values } = parseArgs({
  options: {
    seed: { type: "string", default: String(Date.now() % 1_000_000) },
    rounds: { type: "string", default: "1000000" },
    seconds: { type: "string", default: "60" },
    only: { type: "string" },
  },
});
/** The promise: two seconds and 200 MB for any input of up to 64 MB. */
const SLOW_MS = 2000;
const LARGE_BYTES = 200 << 20;

const folder = mkdtempSync(join(tmpdir(), "creel-fuzz-"));
const corpus = makeCorpus(new Workshop(folder)).filter(({ name }) => values.only === undefined || name === values.only);
rmSync(folder, { recursive: true, force: true });
const seed = Number(values.seed);
const until = Date.now() + Number(values.seconds) * 1000;
const slowest = new Map<string, number>();
let failures = 0;
let round = 0;
for (; round < Number(values.rounds) && Date.now() < until; round++) {
  const roll = dice(seed + round * 7919);
  const { name, bytes } = corpus[round % corpus.length] as (typeof corpus)[number];
  const input = mutate(bytes, roll);
  const before = process.memoryUsage().rss;
  const start = performance.now();
  let problem: string | null = null;
  try {
    await exercise(input);
  } catch (error) {
    problem = error instanceof Error ? (error.stack ?? error.message) : String(error);
  }
  const taken = performance.now() - start;
  slowest.set(name, Math.max(slowest.get(name) ?? 0, taken));
  if (taken > SLOW_MS) problem ??= `${Math.round(taken)} ms`;
  if (process.memoryUsage().rss - before > LARGE_BYTES) problem ??= "more than 200 MB";
  if (!problem) continue;
  failures++;
  mkdirSync(join(ROOT, ".creel", "fuzz"), { recursive: true });
  const kept = join(ROOT, ".creel", "fuzz", `${name.replaceAll(" ", "-")}-${seed}-${round}.bin`);
  writeFileSync(kept, input);
  console.log(`${name}, seed ${seed}, round ${round}: ${problem}\n  kept as ${kept}`);
}
for (const [name, taken] of [...slowest].sort((a, b) => b[1] - a[1]))
  console.log(`${name.padEnd(24)} slowest ${taken.toFixed(0).padStart(6)} ms`);
console.log(`${round} rounds from seed ${seed}, ${failures} failed.`);
process.exitCode = failures > 0 ? 1 : 0;
