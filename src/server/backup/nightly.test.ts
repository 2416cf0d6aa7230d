import { mkdirSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { like } from "drizzle-orm";
import { testInventory } from "../../../test/support/database";
import { jobs } from "../db/schema";
import { Engine } from "../jobs/engine";
import { readBackup } from "./backup";
import { BACKUP_ROUND, backupAlarm, backupWork } from "./nightly";

const inventory = testInventory();
const folder = mkdtempSync(join(tmpdir(), "creel-nightly-"));
const before = { ...process.env };
const to = join(folder, "backups");

beforeAll(() => {
  Object.assign(process.env, { DATABASE_URL: inventory.url, CREEL_DATA: join(folder, "data"), CREEL_BACKUP: to });
  inventory.clock.now = new Date();
});
afterAll(() => {
  process.env = before;
  rmSync(folder, { recursive: true, force: true });
});

/** Lets an engine do the night's round, and waits until it ended. */
async function night(day: string): Promise<string> {
  const { db, now } = inventory.ina;
  const round = { ...BACKUP_ROUND, next: () => ({ once: day, dueAt: new Date(0) }) };
  const engine = new Engine(db, { backup: backupWork }, { now, rounds: [round], times: { lookMs: 20, beatMs: 20 } });
  engine.start();
  try {
    for (;;) {
      const [row] = await db
        .select({ state: jobs.state })
        .from(jobs)
        .where(like(jobs.once, `%${day}`));
      const state = row?.state;
      if (state === "done" || state === "failed") return state;
      await new Promise((resolve) => setTimeout(resolve, 50));
    }
  } finally {
    await engine.stop();
  }
}

test("it is due once a day, from two o'clock on", () => {
  const at = (time: string) => BACKUP_ROUND.next(new Date(time));
  expect(at("2026-03-02T01:59:59Z")).toEqual({ once: "2026-03-01", dueAt: new Date("2026-03-01T02:00:00Z") });
  expect(at("2026-03-02T02:00:00Z")).toEqual({ once: "2026-03-02", dueAt: new Date("2026-03-02T02:00:00Z") });
  expect(at("2026-03-02T23:00:00Z").once).toBe("2026-03-02");
});

test("the latest are kept, one that fails is told, and harms no earlier one", async () => {
  expect(await backupAlarm(inventory.ina)).toBeNull();
  mkdirSync(to, { recursive: true });
  for (let day = 1; day <= 20; day++)
    writeFileSync(join(to, `creel-2020-01-${String(day).padStart(2, "0")}.backup`), "");
  writeFileSync(join(to, "notes.txt"), "somebody else's");
  expect(await night("one")).toBe("done");
  const kept = readdirSync(to).sort();
  expect(kept.filter((name) => name.startsWith("creel-"))).toHaveLength(14);
  expect(kept).toContain("notes.txt");
  const own = kept.filter((name) => /^creel-\d/.test(name)).at(-1) ?? "";
  expect(await readBackup(join(to, own), null)).toMatchObject({ schema: "creel.backup/1" });
  expect(await backupAlarm(inventory.ina)).toBeNull();

  process.env.DATABASE_URL = inventory.url.replace(/:[^:@/]+@/, ":wrong@");
  expect(await night("two")).toBe("failed");
  const alarm = await backupAlarm(inventory.ina);
  expect(alarm).toMatchObject({ failedAt: expect.any(Date), lastGoodAt: expect.any(Date) });
  expect(readdirSync(to).sort()).toEqual(kept);
  process.env.DATABASE_URL = inventory.url;
  expect(await night("three")).toBe("done");
  expect(await backupAlarm(inventory.ina)).toBeNull();
  inventory.clock.now = new Date(Date.now() + 3 * 86_400_000);
  expect(await backupAlarm(inventory.ina)).toMatchObject({ failedAt: null });
});

test("whoever wants no backups is told of none", async () => {
  process.env.CREEL_BACKUP = "";
  expect(await backupAlarm(inventory.ina)).toBeNull();
});
