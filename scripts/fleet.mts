// Writes a large made-up fleet as JSON lines, for trying Creel with many computers. Usage: fleet.mts [COUNT] [FILE]
import { createWriteStream } from "node:fs";
import { COMPUTER_SCHEMA } from "@/core/computer/exchange/lines";
import { fleetComputer } from "./demo/fleet";

const [countText = "10000", file = "fleet.jsonl"] = process.argv.slice(2);
const count = Number(countText);
if (!Number.isInteger(count) || count < 1 || count > 100_000) {
  console.error(`creel: "${countText}" is no number of computers between 1 and 100,000.`);
  process.exit(2);
}
const out = createWriteStream(file);
for (let index = 0; index < count; index++)
  out.write(`${JSON.stringify({ schema: COMPUTER_SCHEMA, ...fleetComputer(index) })}\n`);
out.end(() =>
  console.log(`${count.toLocaleString("en-GB")} computers are in ${file}. Drop it into Creel under Computers, Import.`),
);
