// What of a server does long work, as a process of its own that the tests kill. DATABASE_URL, CREEL_DATA, and by how
// many milliseconds its clock is ahead.
import { BenchRunner } from "../../src/server/bench/runner";
import { connect } from "../../src/server/db/client";
import { Engine } from "../../src/server/jobs/engine";
import { KINDS, ROUNDS } from "../../src/server/work/kinds";

const ahead = Number(process.argv[2] ?? 0);
const now = () => new Date(Date.now() + ahead);
const db = connect(process.env.DATABASE_URL ?? "");
const times = { leaseMs: 800, beatMs: 100, lookMs: 40 };
const engine = new Engine(db, KINDS, { now, rounds: ROUNDS, times });
const bench = new BenchRunner(db, now, { silentAfter: 1000, held: 800, tellEvery: 100 });
engine.start();
bench.start();
process.stdout.write("ready\n");
process.once("SIGTERM", async () => {
  await Promise.all([engine.stop(), bench.stop()]);
  process.exit(0);
});
