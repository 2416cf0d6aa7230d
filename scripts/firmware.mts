// Starts media made by reference tools on real firmware and compares with Creel's verdicts.
// Usage: npm run firmware -- [--record] [part of a name…]
// --record keeps what the firmware did in test/firmware/observed.json, where every test run compares with it.
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { compare } from "../test/firmware/agree";
import { CASES } from "../test/firmware/cases";
import { Workshop } from "./media/workshop";

const OBSERVED = "test/firmware/observed.json";
const record = process.argv.includes("--record");
const wanted = process.argv.slice(2).filter((each) => each !== "--record");
const observed: Record<string, boolean> = {};
const folder = mkdtempSync(join(tmpdir(), "creel-firmware-"));
const workshop = new Workshop(folder);
const cells = CASES.filter((each) => wanted.length === 0 || wanted.some((part) => each.name.includes(part))).flatMap(
  (each) => {
    const image = each.make(workshop);
    return each.on.map(([firmware, as]) => ({ name: each.name, image, firmware, as }));
  },
);
let next = 0;
let disagreements = 0;
async function worker(): Promise<void> {
  for (let cell = cells[next++]; cell; cell = cells[next++]) {
    const { name, image, firmware, as } = cell;
    const { link, started, log, agrees } = await compare(image, firmware, as, folder);
    observed[`${name} ${firmware} ${as}`] = started;
    if (!agrees) disagreements++;
    console.log(
      `${agrees ? "agrees   " : "DISAGREES"} ${name.padEnd(38)} ${firmware.padEnd(10)} ${as.padEnd(8)} ${started ? "started" : "did not"}  ${link.verdict}`,
    );
    if (!agrees)
      console.log(
        `    ${link.trace.join("\n    ")}\n    ${log
          .replace(/[^\n\x20-\x7e]/g, "")
          .slice(-300)
          .replace(/\n/g, "\n    ")}`,
      );
  }
}
await Promise.all([worker(), worker()]);
console.log(`${cells.length - disagreements} of ${cells.length} cells agree`);
if (record) {
  const before = existsSync(OBSERVED) ? (JSON.parse(readFileSync(OBSERVED, "utf8")) as Record<string, boolean>) : {};
  const sorted = Object.fromEntries(Object.entries({ ...before, ...observed }).sort(([a], [b]) => (a < b ? -1 : 1)));
  writeFileSync(OBSERVED, `${JSON.stringify(sorted, null, 2)}\n`);
}
rmSync(folder, { recursive: true });
process.exitCode = disagreements > 0 ? 1 : 0;
