import { execFileSync } from "node:child_process";
import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { eq, inArray } from "drizzle-orm";
import { factsSchema } from "@/core/computer/facts/schema";
import { inspect } from "@/core/medium/inspection/inspect";
import type { Inspection } from "@/core/medium/inspection/schema";
import { getJob } from "@/server/bench/jobs";
import { recordMedium } from "@/server/bench/record";
import { chooseRoute, closeCallout, getCallout, offersOf, openCallout } from "@/server/callouts/callouts";
import { computers, devices, drills, imageCopies, loans, media } from "@/server/db/schema";
import { getImport, IMPORT_KIND, importProgress, stageImport, startImport } from "@/server/exchange/imports";
import { WHOLE_IMPORT } from "@/server/exchange/options";
import { registerFound } from "@/server/images/found-images";
import { listImages } from "@/server/images/images";
import { getScan, SCAN_KIND, startScan, takeListing } from "@/server/images/store-scans";
import { addStore } from "@/server/images/stores";
import { addComputer } from "@/server/inventory/computers";
import { history } from "@/server/inventory/events";
import { addSite } from "@/server/inventory/sites";
import { giveBack, lend, takeStock } from "@/server/media/loans";
import { addMedium, getMedium } from "@/server/media/media";
import { IMAGES } from "../../scripts/demo/images";
import { factsOf, MACHINES } from "../../scripts/demo/skerry-line";
import { smallRelease, testBench } from "../support/bench";
import { testInventory, value, wholeOrNothing } from "../support/database";
import { BARE_BODY, shareAt } from "../support/images";
import { doJobs, loseWorkers } from "../support/jobs";
import { memory } from "../support/workshop";

// Every act is tried with a connection that breaks at each statement that writes: all of it is kept, or nothing.
const inventory = testInventory();
const bench = testBench(inventory);
const { w } = bench;
const folder = join(w.folder, "data", "stores", "share");
const ids = { site: 0, release: 0, store: 0 };
let read: Inspection;

beforeAll(async () => {
  const { ina } = inventory;
  mkdirSync(folder, { recursive: true });
  ids.site = value(await addSite(ina, { name: "Head office" }));
  const at = MACHINES.findIndex(({ tag }) => tag === "HO-001");
  const facts = factsSchema.parse(factsOf(MACHINES[at] as (typeof MACHINES)[number], at));
  value(await addComputer(ina, { tag: "HO-001", name: "Reception", siteId: ids.site, note: null, facts }));
  ids.release = await bench.release(smallRelease(w, "small", ["x64"]), "Small", "1.0", [
    "start-up-repair",
    "file-rescue",
  ]);
  read = (await inspect(memory(w.path("small.iso")), { name: "small.img" })).inspection;
  ids.store = value(await addStore(ina, shareAt(ids.site)));
});

const mediumInput = (tag: string, more: object = {}) => ({
  ...{ tag, name: null, kind: "usb", capacityBytes: 8e9, siteId: ids.site, lentTo: null, note: null },
  ...{ condition: "good", writtenOn: "2026-02-01", verified: null, releaseIds: [ids.release], ...more },
});

describe("media", () => {
  test("lent with its loan, given back, found at a stock-taking", async () => {
    const { ina } = inventory;
    const id = value(await addMedium(ina, mediumInput("RM-01"), read));
    const lent = await wholeOrNothing(inventory, (context) => lend(context, { tag: "RM-01", to: "Ola Brandt" }));
    value(lent.result);
    expect(lent.statements).toBeGreaterThan(2);
    expect(await ina.db.$count(loans, eq(loans.mediumId, id))).toBe(1);
    value((await wholeOrNothing(inventory, (context) => giveBack(context, "RM-01", null))).result);
    value(await lend(ina, { tag: "RM-01", to: "Ola Brandt" }));
    const taken = await wholeOrNothing(inventory, (context) => takeStock(context, ids.site, ["RM-01"]));
    expect(value(taken.result)).toMatchObject({ moved: ["RM-01"] });
    expect((await getMedium(ina, "RM-01"))?.row.lentTo).toBeNull();
  });

  test("made and verified: entered, linked with its device, and what was to be done is done", async () => {
    const { ina } = inventory;
    const stick = await bench.stick("whole");
    const jobId = value(await bench.begin(stick, { releaseId: ids.release, tag: "RM-02" }));
    const job = (await getJob(ina, jobId))?.job;
    const [device] = await ina.db.select().from(devices).where(eq(devices.id, stick.deviceId));
    if (!job || !device) throw new Error("no job");
    const plan = { loads: [], parts: [], notes: [] };
    const made = await wholeOrNothing(inventory, (context) => recordMedium(context, job, device, read, plan));
    expect(made.result).toBe("RM-02");
    expect(made.statements).toBeGreaterThan(4);
    const [linked] = await ina.db.select().from(devices).where(eq(devices.id, stick.deviceId));
    expect(linked?.mediumId).toBe((await getMedium(ina, "RM-02"))?.row.id);
  });
});

test("a call-out is closed with the drill that it was", async () => {
  const { ina } = inventory;
  // One that starts it and sees its disk.
  const file = IMAGES.spindle3.make(w);
  const releaseId = await bench.release(file, "Spindle", "3.0", ["start-up-repair", "file-rescue"]);
  const spindle = (await inspect(memory(file), { name: "spindle.img" })).inspection;
  value(await addMedium(ina, mediumInput("RM-03", { releaseIds: [releaseId] }), spindle));
  const id = value(await openCallout(ina, { computer: "HO-001", happening: "does-not-start" }));
  const detail = async () => {
    const found = await getCallout(ina, id);
    if (!found) throw new Error("no call-out");
    return found;
  };
  const { offers } = await offersOf(ina, await detail());
  const [offer] = offers;
  if (!offer) throw new Error("nothing is offered");
  const { route, outcome, image } = offer;
  value(await chooseRoute(ina, id, { medium: route.medium, outcome, image, release: route.release }));
  const before = await ina.db.$count(drills);
  const ended = { cameBack: outcome, failed: null, lost: null, mediumWorked: true };
  const closed = await wholeOrNothing(inventory, (context) => closeCallout(context, id, ended));
  value(closed.result);
  expect(closed.statements).toBeGreaterThan(3);
  expect(await ina.db.$count(drills)).toBe(before + 1);
  // The log tells what was before.
  const [last, chosen] = await history(ina, "call-out", id);
  expect(last).toMatchObject({ action: "handed back", before: { cameBack: null }, after: { cameBack: outcome } });
  expect(chosen).toMatchObject({ before: { route: null }, after: { route: expect.stringContaining(route.medium) } });
});

test("an import is done with what it brought", async () => {
  const { ina } = inventory;
  const table = new TextEncoder().encode("Tag;Make;Location\nT-1;Corvane;North Pier\nT-2;Ostrel;North Pier\n");
  const id = value(await stageImport(ina, "fleet.csv", table));
  value(await startImport(ina, id, WHOLE_IMPORT, "run"));
  const told: (string | undefined)[] = [];
  await wholeOrNothing(
    inventory,
    async (context) => {
      await loseWorkers(ina);
      if (told.at(-1) === "failed") value(await startImport(ina, id, WHOLE_IMPORT, "run"));
      await doJobs(context, IMPORT_KIND).catch(() => {});
      told.push((await importProgress(ina, id))?.state);
      return told.at(-1);
    },
    ["imports", "jobs", "job_lines"],
    // That its job is over may be said later: whoever takes that up finds it done.
    (state) => state === "done",
  );
  expect(told.length).toBeGreaterThan(8);
  // Told to be done once, at the end, with what it brought.
  expect(told.indexOf("done")).toBe(told.length - 1);
  expect(await getImport(ina, id)).toMatchObject({ report: { added: 2, faultsTotal: 0 } });
  expect(await ina.db.$count(computers, inArray(computers.tag, ["T-1", "T-2"]))).toBe(2);
});

describe("stores", () => {
  test("an image that a scan found is registered with its copy", async () => {
    const { ina } = inventory;
    writeFileSync(join(folder, "HO-001 2026-02-11 after-update.img"), Buffer.alloc(4096, 1));
    const scan = value(await startScan(ina, ids.store, false));
    await doJobs(ina);
    const report = (await getScan(ina, scan))?.report;
    const key = report?.images[0]?.key ?? "";
    const input = { name: "HO-001 2026-02-11", computer: "HO-001", takenAt: "2026-02-11T00:00:00Z", body: BARE_BODY };
    const registered = await wholeOrNothing(inventory, (context) => registerFound(context, scan, key, input));
    value(registered.result);
    expect(registered.statements).toBeGreaterThan(2);
    expect(await ina.db.$count(imageCopies)).toBe(1);
    expect((await listImages(ina, {})).items.length).toBe(1);
  });

  test("a look that is done has dated what it saw", async () => {
    const { ina } = inventory;
    inventory.clock.now = new Date("2026-03-05T08:00:00Z");
    let scan = value(await startScan(ina, ids.store, true));
    const ends: (string | undefined)[] = [];
    await wholeOrNothing(
      inventory,
      async (context) => {
        // Where it said that it failed, it is begun again.
        await loseWorkers(ina);
        if (ends.at(-1) === "failed") scan = value(await startScan(ina, ids.store, true));
        await doJobs(context, SCAN_KIND).catch(() => {});
        ends.push((await getScan(ina, scan))?.state);
      },
      ["store_scans", "jobs", "job_lines"],
    );
    expect(ends.at(-1)).toBe("done");
    expect(ends.slice(0, -1)).not.toContain("done");
    expect(ends.length).toBeGreaterThan(6);
    const [copy] = await ina.db.select().from(imageCopies);
    expect(copy).toMatchObject({ state: "there", seenOn: "2026-03-05" });
  });

  test("a listing that is taken has dated what it names", async () => {
    const listing = execFileSync("ls", ["-lR", "--time-style=full-iso", "."], { cwd: folder, encoding: "utf8" });
    const taken = await wholeOrNothing(inventory, (context) => takeListing(context, ids.store, listing));
    value(taken.result);
    expect(taken.statements).toBeGreaterThan(2);
  });
});

test("what is registered and edited", async () => {
  const { ina } = inventory;
  const facts = factsSchema.parse(factsOf(MACHINES[3] as (typeof MACHINES)[number], 3));
  const computer = { tag: "HO-900", name: null, siteId: ids.site, note: null, facts };
  value((await wholeOrNothing(inventory, (context) => addComputer(context, computer))).result);
  value((await wholeOrNothing(inventory, (context) => addMedium(context, mediumInput("RM-09"), read))).result);
  expect(await ina.db.$count(media, eq(media.tag, "RM-09"))).toBe(1);
});
