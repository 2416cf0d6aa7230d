import { testInventory, value } from "../../../test/support/database";
import { connect } from "../db/client";
import { Engine } from "../jobs/engine";
import { enqueue } from "../jobs/jobs";
import { JobTeller, type Progress } from "./teller";

const inventory = testInventory();
const pause = (ms: number) => new Promise<void>((resolve) => setTimeout(resolve, ms));

test("two hundred who listen cost the questions of one; nobody costs none; a server that ends ends what they hear", async () => {
  let questions = 0;
  const db = connect(inventory.url, { logQuery: () => void questions++ });
  const teller = new JobTeller({ ...inventory.ina, db }, 20);
  const told = Array.from({ length: 200 }, () => 0);
  const leave = told.map((_, at) => teller.listen(() => (told[at] as number)++));
  while (told.some((count) => count < 5)) await pause(10);
  const rounds = Math.max(...told);
  // A round asks what goes on and what has ended on the bench, of all other work, and whether there is something new.
  expect(questions).toBeLessThanOrEqual((rounds + 2) * 4);
  for (const each of leave) each();
  await pause(100);
  const after = questions;
  await pause(200);
  expect(questions).toBe(after);
  // Somebody who comes later is told again.
  let heard = 0;
  teller.listen(() => heard++);
  while (heard === 0) await pause(10);
  teller.stop();
  expect(teller.signal.aborted).toBe(true);
  const last = heard;
  await pause(100);
  expect(heard).toBe(last);
  await db.$client.end();
});

test("work of all kinds is told while it waits and goes on, and what it came to once more", async () => {
  const { ina } = inventory;
  const teller = new JobTeller(ina, 20);
  let latest: Progress = { bench: [], jobs: [], marks: { reports: "", berths: "" } };
  teller.listen((progress) => {
    latest = progress;
  });
  const stateOf = (id: number) => latest.jobs.find((job) => job.id === id)?.state;
  const until = async (isSo: () => boolean) => {
    for (let tries = 0; !isSo(); tries++) {
      if (tries > 1000) throw new Error("It is never told.");
      await pause(10);
    }
  };
  const id = value(await enqueue(ina, { kind: "count", payload: { of: 3 } }));
  await until(() => stateOf(id) === "queued");
  let goOn = () => {};
  const waits = new Promise<void>((resolve) => {
    goOn = resolve;
  });
  const kind = {
    isRepeatable: true,
    run: async (work: { tell: (phase: string | null, done: number, total: number) => void }) => {
      work.tell("counting", 1, 3);
      await waits;
      return null;
    },
  };
  const engine = new Engine(ina.db, { count: kind }, { times: { leaseMs: 60_000, beatMs: 20, lookMs: 20 } });
  engine.start();
  await until(() => latest.jobs.some(({ progress }) => progress?.done === 1));
  expect(latest.jobs).toMatchObject([
    { id, kind: "count", payload: { of: 3 }, state: "running", progress: { phase: "counting", done: 1, total: 3 } },
  ]);
  goOn();
  await until(() => stateOf(id) === "done");
  await engine.stop();
  teller.stop();
});
