import { testInventory } from "../../../test/support/database";
import { connect } from "../db/client";
import { JobTeller } from "./job-teller";

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
  // A round asks what goes on and what has ended.
  expect(questions).toBeLessThanOrEqual((rounds + 2) * 2);
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
