import { mkdtempSync } from "node:fs";
import { COMPUTER_SCHEMA } from "@/core/computer/exchange/lines";
import { connect } from "@/server/db/client";
import { migrateDatabase } from "@/server/db/migrate";
import { people } from "@/server/db/schema";
import { runImport, stageImport } from "@/server/exchange/imports";
import { WHOLE_IMPORT } from "@/server/exchange/options";
import { laidIn } from "./bench/upkeep";
import { fleetComputer } from "./demo/fleet";
import { Workshop } from "./media/workshop";

const count = Number(process.env.COUNT ?? 10000),
  mediaCount = Number(process.env.MEDIA ?? 300);
const db = connect(process.env.DATABASE_URL!);
await migrateDatabase(db);
await db.insert(people).values([{ name: "Ina Torvald" }]);
const context = { db, person: { id: 1, name: "Ina Torvald" }, now: () => new Date() };
let t = performance.now();
for (let from = 0; from < count; from += 10000) {
  const lines = Array.from({ length: 10000 }, (_, i) => JSON.stringify({ schema: COMPUTER_SCHEMA, ...fleetComputer(from + i) })).join("\n");
  const staged = await stageImport(context, "fleet.jsonl", new TextEncoder().encode(lines));
  if (!staged.ok) throw new Error(JSON.stringify(staged.problem));
  const r = await runImport(context, staged.value, WHOLE_IMPORT);
  console.log("imported", from, performance.now() - t, r.ok);
}
t = performance.now();
await laidIn(context, new Workshop(mkdtempSync("/tmp/bigw")), mediaCount);
console.log("media", performance.now() - t);
await db.$client.end();
