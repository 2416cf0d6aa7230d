import { type ChildProcess, spawn } from "node:child_process";
import { mkdirSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { and, eq, inArray, isNull, sql } from "drizzle-orm";
import { buildSync } from "esbuild";
import { factsSchema } from "@/core/computer/facts/schema";
import { USUAL_SETTINGS } from "@/core/cover/result";
import { resume } from "@/server/bench/jobs";
import type { Context } from "@/server/context";
import { startPlan } from "@/server/cover/plans";
import { connect } from "@/server/db/client";
import {
  benchJobs,
  computers,
  coverPlans,
  devices,
  events,
  imageCopies,
  imports,
  jobs,
  media,
  storeScans,
} from "@/server/db/schema";
import { stageImport, startImport } from "@/server/exchange/imports";
import { WHOLE_IMPORT } from "@/server/exchange/options";
import { fleet } from "@/server/fleet/fleet";
import { recordImage } from "@/server/images/images";
import { startScan } from "@/server/images/store-scans";
import { addStore } from "@/server/images/stores";
import { addComputer, getComputer, inputOf, saveComputer } from "@/server/inventory/computers";
import { addSite } from "@/server/inventory/sites";
import { factsOf, MACHINES } from "../../scripts/demo/skerry-line";
import { smallRelease, testBench } from "../support/bench";
import { testInventory, value } from "../support/database";
import { dice } from "../support/dice";
import { BARE_BODY, shareAt } from "../support/images";

// Two processes on one database, one of them an hour ahead; one or the other is killed again and again while they work.
const inventory = testInventory();
const bench = testBench(inventory);
const { w } = bench;
const KILLS = 30;
/** Outside of the sources' folder: it is built with the packages beside it. */
const SERVER = join(__dirname, "..", "..", "node_modules", ".cache", `creel-server-${process.pid}.cjs`);

const pause = (ms: number) => new Promise<void>((resolve) => setTimeout(resolve, ms));
const processes: (ChildProcess | null)[] = [null, null];

function start(which: number): Promise<void> {
  const child = spawn(process.execPath, [SERVER, String(which * 3_600_000)], {
    env: { ...process.env, DATABASE_URL: inventory.url, LOG_LEVEL: "silent" },
    stdio: ["ignore", "pipe", "ignore"],
  });
  processes[which] = child;
  return new Promise((resolve, reject) => {
    child.stdout?.once("data", () => resolve());
    child.once("error", reject);
    child.once("close", () => resolve());
  });
}

beforeAll(() => {
  mkdirSync(join(SERVER, ".."), { recursive: true });
  buildSync({
    ...{ bundle: true, platform: "node", format: "cjs", packages: "external", logLevel: "error" },
    ...{ entryPoints: ["test/acts/server.ts"], outfile: SERVER, alias: { "@": "./src" } },
    define: { "import.meta.url": "''" },
  });
});
afterAll(() => {
  for (const child of processes) child?.kill("SIGKILL");
  rmSync(SERVER, { force: true });
});

test("killed thirty times, nothing is lost, done twice, or said to be done that is not", async () => {
  const { ina } = inventory;
  const roll = dice(30);
  const site = value(await addSite(ina, { name: "Head office" }));
  const facts = factsSchema.parse(factsOf(MACHINES[0] as (typeof MACHINES)[number], 0));
  value(await addComputer(ina, { tag: "HO-001", name: null, siteId: site, note: null, facts }));
  const release = await bench.release(smallRelease(w, "small", ["x64"]), "Small", "1.0", ["file-rescue"]);
  const folder = join(w.folder, "data", "stores", "share");
  mkdirSync(folder, { recursive: true });
  writeFileSync(join(folder, "HO-001 2026-02-11.img"), Buffer.alloc(6e6, 7));
  const store = value(await addStore(ina, shareAt(site)));
  const image = { name: "HO-001 2026-02-11", computer: "HO-001", takenAt: "2026-02-11T00:00:00Z", body: BARE_BODY };
  const imageId = value(await recordImage(ina, image));
  const file = { path: "HO-001 2026-02-11.img", bytes: 6e6, modified: null, sha256: null };
  await ina.db
    .insert(imageCopies)
    .values({ imageId, storeId: store, files: [file as never], state: "there", seenOn: "2026-02-12" });
  const stick = await bench.stick("kill");
  const made = value(await bench.begin(stick, { releaseId: release, tag: "RM-01" }));

  const tables: { id: number; tags: string[] }[] = [];
  const queueSome = async (nth: number) => {
    const tags = Array.from({ length: 80 }, (_, row) => `K${nth}-${row}`);
    const id = value(await stageImport(ina, `t${nth}.csv`, new TextEncoder().encode(`tag\n${tags.join("\n")}\n`)));
    value(await startImport(ina, id, WHOLE_IMPORT, "run"));
    tables.push({ id, tags });
    if (nth % 3 === 0)
      value(await startPlan(ina, { name: `Plan ${nth}`, settings: { ...USUAL_SETTINGS, seconds: 1 } }));
    // One that is going on is the store's only one.
    if (nth % 2 === 0) await startScan(ina, store, true);
    // Whoever finds a medium that was not made to its end lets it go on.
    await resume(ina, made);
  };
  await Promise.all([start(0), start(1)]);
  for (let nth = 0; nth < KILLS; nth++) {
    await queueSome(nth);
    await pause(50 + roll(500));
    const which = roll(2);
    processes[which]?.kill("SIGKILL");
    // The other one goes on; where it were killed as well before this one is there, no job would ever have five workers.
    await start(which);
  }
  const isOpen = inArray(jobs.state, ["queued", "running"]);
  // What is a round's is queued for later.
  const waiting = and(isOpen, isNull(jobs.once));
  for (let tries = 0; ; tries++) {
    await resume(ina, made);
    const [row] = await ina.db.select({ state: benchJobs.state }).from(benchJobs).where(eq(benchJobs.id, made));
    if ((await ina.db.$count(jobs, waiting)) === 0 && row?.state === "done") break;
    if (tries > 600) throw new Error(JSON.stringify([row, await ina.db.select().from(jobs).where(waiting)]));
    await pause(200);
  }

  // Every import is there whole, once, and says so; one that was given up says that, and nothing of it is there.
  for (const { id, tags } of tables) {
    const [row] = await ina.db.select().from(imports).where(eq(imports.id, id));
    const there = await ina.db.$count(computers, inArray(computers.tag, tags));
    const told = await ina.db.$count(events, and(eq(events.action, "imported"), inArray(events.entityTag, tags)));
    const whole = row?.state === "done" ? tags.length : 0;
    expect([id, ["done", "failed"].includes(row?.state ?? ""), there, told]).toEqual([id, true, whole, whole]);
  }
  const done = await ina.db.$count(imports, eq(imports.state, "done"));
  expect(done).toBeGreaterThan(KILLS / 3);
  // A look that is done has its report, and what it saw is dated; none is left as if somebody were at it.
  const scans = await ina.db.select().from(storeScans);
  expect(scans.filter(({ state }) => state === "done").length).toBeGreaterThan(0);
  for (const { state, report } of scans)
    expect([state === "done" || state === "failed", report !== null]).toEqual([true, state === "done"]);
  const [copy] = await ina.db.select().from(imageCopies);
  expect(copy?.seenOn).not.toBe("2026-02-12");
  for (const { state, result } of await ina.db.select().from(coverPlans))
    expect([state === "done" || state === "failed", result !== null]).toEqual([true, state === "done"]);
  // The medium was written to its end, is recorded once, and its device is linked with it.
  const [row] = await ina.db.select().from(media).where(eq(media.tag, "RM-01"));
  const [device] = await ina.db.select().from(devices).where(eq(devices.id, stick.deviceId));
  expect([device?.mediumId, device?.timesWritten]).toEqual([row?.id, 1]);
  // What comes round came round once, whatever their clocks said.
  const rounds = await ina.db
    .select({ once: jobs.once, count: sql<number>`COUNT(*)`.mapWith(Number) })
    .from(jobs)
    .where(sql`${jobs.once} IS NOT NULL`)
    .groupBy(jobs.once);
  expect(rounds.length).toBeGreaterThan(1);
  expect(rounds.every(({ count }) => count === 1)).toBe(true);
  // Thirty processes begin one after the other, on whatever machine.
}, 900_000);

test("an edit through one process is in what another keeps of the fleet, at its next question", async () => {
  const { ina } = inventory;
  const own = connect(inventory.url);
  try {
    const other: Context = { ...inventory.col, db: own };
    const placeOf = async (context: Context) =>
      (await fleet(context)).computers.find(({ tag }) => tag === "HO-001")?.site ?? null;
    expect([await placeOf(ina), await placeOf(other)]).toEqual(["Head office", "Head office"]);
    const detail = await getComputer(other, "HO-001");
    if (!detail) throw new Error("no computer");
    value(await saveComputer(other, detail.row.id, detail.row.version, { ...inputOf(detail), siteId: null }));
    expect([await placeOf(ina), await placeOf(other)]).toEqual([null, null]);
  } finally {
    await own.$client.end();
  }
});
