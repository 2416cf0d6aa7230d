// The referee: media made by reference tools are started on real firmware under QEMU, and Creel's verdicts must say
// what happened. Prints the table of agreement, with the evidence of each disagreement.
// Usage: npm run referee -- [--record] [part of a name…], or npm run referee -- --keys
// --record keeps what the firmware did in test/referee/observed.json and observed-laid-out.json, where every test run
// compares with it.
// --keys makes the keys of certificates that are new, and keeps them in test/referee/keys.json.
import { spawnSync } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { traceText } from "../src/core/words/trace";
import { compare } from "../test/referee/agree";
import { cellName, machineOf } from "../test/referee/blocks";
import { CASES } from "../test/referee/cases";
import { keepKeys } from "../test/referee/keys";
import { cellDigest, imageDigest, keepObservations, type Observation } from "../test/referee/observations";
import { Workshop } from "./media/workshop";

const record = process.argv.includes("--record");
const wanted = process.argv.slice(2).filter((each) => each !== "--record");
const observed: Record<string, Observation> = {};
const folder = mkdtempSync(join(tmpdir(), "creel-referee-"));
const workshop = new Workshop(folder);
if (process.argv.includes("--keys")) {
  keepKeys(workshop);
  process.exit();
}
// Media are made before the first computer is switched on: they share what they are made of.
const cells = CASES.filter((each) => wanted.length === 0 || wanted.some((part) => each.name.includes(part))).flatMap(
  ({ name, make, on }) => {
    const image = make(workshop);
    return on.map((cell) => ({ name: cellName(name, cell), image, machine: machineOf(workshop, cell) }));
  },
);
const disagreements: string[] = [];
const verdicts = new Map<string, number>();
let next = 0;

async function worker(): Promise<void> {
  for (let cell = cells[next++]; cell; cell = cells[next++]) {
    const { link, started, log, agrees } = await compare(cell.image, cell.machine, folder);
    observed[cell.name] = { started, digest: cellDigest(imageDigest(cell.image), cell.machine) };
    const verdict = `${started ? "started" : "did not start"}, ${link.verdict}`;
    verdicts.set(verdict, (verdicts.get(verdict) ?? 0) + 1);
    console.log(
      `${agrees ? "agrees   " : "DISAGREES"} ${cell.name.padEnd(66)} ${started ? "started" : "did not"}  ${link.verdict}`,
    );
    if (agrees) continue;
    disagreements.push(cell.name);
    const seen = log.replace(/[^\n\x20-\x7e]/g, "").slice(-400);
    console.log(`    ${[...link.trace.map(traceText), ...seen.split("\n")].join("\n    ")}`);
  }
}

await Promise.all([worker(), worker()]);
console.log(`\n${cells.length - disagreements.length} of ${cells.length} cells agree`);
for (const [verdict, count] of [...verdicts].sort()) console.log(`  ${String(count).padStart(4)}  ${verdict}`);
for (const name of disagreements) console.log(`  disagrees: ${name}`);
if (record) keepObservations(observed);
rmSync(folder, { recursive: true });
// Media that Creel lays out are started by their own tests, which keep what they saw in the same way.
const laidOut =
  wanted.length > 0
    ? null
    : spawnSync("node_modules/.bin/jest", ["--ci", "layout/layouts", "planning/several"], {
        stdio: "inherit",
        env: { ...process.env, CREEL_START_ALL: "1", ...(record ? { CREEL_RECORD: "1" } : {}) },
      });
process.exitCode = disagreements.length > 0 || (laidOut && laidOut.status !== 0) ? 1 : 0;
