import { eq } from "drizzle-orm";
import { factsSchema } from "@/core/computer/facts/schema";
import { inspect } from "@/core/medium/inspection/inspect";
import { dueReasonText, dueTitle } from "@/core/words/upkeep";
import { IMAGES } from "../../../scripts/demo/images";
import { factsOf, MACHINES } from "../../../scripts/demo/skerry-line";
import { testInventory, value } from "../../../test/support/database";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { problemText } from "../../core/words/problems";
import { media } from "../db/schema";
import { recordDrill } from "../drills/drills";
import { planDrill } from "../drills/planned-drills";
import { addStore, getStore, noteFill, saveStore, storeInputOf } from "../images/stores";
import { keepContents } from "../inspections/contents";
import { importCalendar } from "../inventory/calendars";
import { addComputer, getComputer, saveComputer } from "../inventory/computers";
import { history } from "../inventory/events";
import { saveRule } from "../inventory/policies";
import { addSite } from "../inventory/sites";
import { dateVerification } from "../media/date-verification";
import { giveBack, lend } from "../media/loans";
import { addMedium } from "../media/media";
import { addKit, addRelease, getRelease, saveRelease } from "../media/releases";
import type { Result } from "../problems";
import { aheadView, keepDay } from "./ahead";
import { dueView, everythingDue, putOff } from "./due";
import { takeUp } from "./snoozes";

const inventory = testInventory();
const w = tempWorkshop();
const ids = { office: 0, computer: 0, old: 0, next: 0 };

const refusal = <T>(result: Result<T>) => (result.ok ? "" : problemText(result.problem));
const told = async () =>
  (await everythingDue(inventory.ina)).map((item) => `${dueTitle(item)}: ${dueReasonText(item.reason)}`);
const at = (day: string) => {
  inventory.clock.now = new Date(`${day}T09:00:00Z`);
};

beforeAll(async () => {
  const { ina } = inventory;
  ids.office = value(await addSite(ina, { name: "Head office" }));
  const index = MACHINES.findIndex(({ tag }) => tag === "HO-004");
  const facts = factsSchema.parse(factsOf(MACHINES[index] as (typeof MACHINES)[number], index));
  ids.computer = value(await addComputer(ina, { tag: "HO-004", name: null, siteId: ids.office, note: null, facts }));
  const { inspection, drivers } = await inspect(memory(IMAGES.bollard5.make(w)), { name: "b.iso", depth: "deep" });
  const inspectionId = value(await keepContents(ina, { inspection, drivers, listing: null }));
  const kitId = value(await addKit(ina, { name: "Bollard", family: "Linux" }));
  const can = { purposes: ["file-rescue"], opens: [], abilities: [] };
  ids.old = value(await addRelease(ina, { kitId, name: "5.0", madeOn: "2025-12-01", facts: can, inspectionId }));
  ids.next = value(await addRelease(ina, { kitId, name: "5.1", madeOn: "2026-02-20", facts: can }));
  const medium = { name: null, kind: "usb", lentTo: null, note: null, siteId: ids.office, capacityBytes: 16e9 };
  value(await addMedium(ina, { ...medium, tag: "RM-01", condition: "good", releaseIds: [ids.old] }, inspection));
  await ina.db
    .update(media)
    .set({ writtenOn: "2026-01-05", verifiedOn: "2026-01-06", verifiedWhole: true })
    .where(eq(media.tag, "RM-01"));
  value(await addMedium(ina, { ...medium, tag: "OLD-1", condition: "distrusted", releaseIds: [] }, null));
  value(await recordDrill(ina, { medium: "RM-01", computer: "HO-004", on: "2026-01-10", result: "started" }));
  const asked = { back: 0, files: 1, spares: 1, drillDays: 365, verificationDays: 180, factsDays: 200 } as const;
  value(await saveRule(ina, { scope: "everywhere", target: "", values: asked }, null));
});

test("what computers, media and places lack is told, each with its reason", async () => {
  const due = await told();
  expect(due).toEqual(
    expect.arrayContaining([
      "Replace OLD-1: Marked “do not use”: it counts for nothing.",
      "Take an image of HO-004: No image recorded.",
      "Take stock at Head office: No stock-taking recorded.",
      "Bring blank spares to Head office: 0 of 1 available.",
    ]),
  );
  expect(due.filter((text) => text.startsWith("Verify") || text.startsWith("Run a drill"))).toEqual([]);
});

test("sixty days before a verification grows too old it comes first, with the day and who loses the last way", async () => {
  // Good for 180 days after 6 January: too old from 6 July on.
  at("2026-05-06");
  expect((await told()).some((text) => text.startsWith("Verify"))).toBe(false);
  at("2026-05-07");
  const [first] = await everythingDue(inventory.ina);
  expect(first).toMatchObject({
    ...{ kind: "verification", medium: "RM-01", breaksOn: "2026-07-06", loses: { count: 1, tags: ["HO-004"] } },
    reason: { code: "verification-lapses", on: "2026-07-06" },
  });
  at("2026-07-06");
  const [now] = await everythingDue(inventory.ina);
  expect(now).toMatchObject({ kind: "verification", breaksOn: null, loses: { tags: ["HO-004"] } });
});

test("cover ahead falls on that very day, and a point leads to who lacks what", async () => {
  at("2026-06-01");
  await keepDay(inventory.ina);
  await keepDay(inventory.ina);
  at("2026-06-08");
  const view = await aheadView(inventory.ina, { day: "2026-07-06", site: null, cause: null });
  const metOn = (on: string) => view.ahead.find((point) => point.on === on)?.met;
  expect([metOn("2026-06-08"), metOn("2026-06-29"), metOn("2026-07-06")]).toEqual([1, 1, 0]);
  const ahead = view.ahead.map(({ met }) => met);
  expect(view.bySite).toEqual([{ site: "Head office", total: 1, met: ahead, planned: null }]);
  expect(view.byCause).toEqual([{ cause: "verification", count: view.ahead.map(({ met }) => 1 - met) }]);
  // Looked at on that day; the weeks before it as the log tells.
  expect(view.past.at(-1)).toEqual({ on: "2026-06-01", met: 1, total: 1 });
  expect(view.past[0]?.on).toBe("2026-03-02");
  expect(new Set(view.past.map(({ met }) => met))).toEqual(new Set([1]));
  expect(view.chosen).toMatchObject({
    computers: [{ tag: "HO-004", from: "2026-07-06", why: "files rescued" }],
  });
  expect((await aheadView(inventory.ina, { day: "2026-07-05", site: null, cause: null })).chosen?.total).toBe(0);
  // Of a place alone, and of whom one link fails.
  const on = (site: string, cause: "verification" | "drill") =>
    aheadView(inventory.ina, { day: "2026-07-06", site, cause });
  const here = await on("Head office", "verification");
  expect([here.total, here.ahead.map(({ met }) => met), here.chosen?.total]).toEqual([1, ahead, 1]);
  expect(here.past).toEqual(view.past);
  expect((await on("Head office", "drill")).chosen?.total).toBe(0);
  const nowhere = await on("Sandsay", "verification");
  expect(new Set(nowhere.past.map(({ total }) => total))).toEqual(new Set([0]));
  expect([nowhere.total, nowhere.byCause, nowhere.chosen?.total]).toEqual([0, [], 0]);
});

test("a successor, a loan, a planned drill, a changed Secure Boot and old facts are told", async () => {
  const { ina } = inventory;
  at("2026-03-02");
  const { row } = (await getRelease(ina, ids.old)) ?? {};
  if (!row) throw new Error("no release");
  const { kitId, name, madeOn, note, facts, inspectionId, version } = row;
  const input = { kitId, name, madeOn, note, facts, inspectionId, supersededById: ids.next };
  value(await saveRelease(ina, ids.old, version, input));
  value(await planDrill(ina, { medium: "RM-01", computer: "HO-004", dueOn: "2026-03-05" }));
  const detail = await getComputer(ina, "HO-004");
  if (!detail) throw new Error("no computer");
  const secureBoot = {
    ...detail.facts.firmware.secureBoot,
    state: detail.facts.firmware.secureBoot?.state === "on" ? "off" : "on",
  };
  const changed = { ...detail.facts, firmware: { ...detail.facts.firmware, secureBoot } };
  const kept = { tag: "HO-004", name: null, siteId: ids.office, note: null, facts: changed };
  value(await saveComputer(ina, detail.row.id, detail.row.version, kept));
  at("2026-03-08");
  const due = await told();
  expect(due).toContain("Rewrite RM-01: Bollard 5.0 has a successor, Bollard 5.1.");
  expect(due).toContain("Run a drill of RM-01 on HO-004: Planned for 5 Mar 2026, 3 days ago.");
  expect(due).toContain(
    "Run a drill of RM-01 on HO-004: Secure Boot changed on 2 Mar 2026, after the drill of 10 Jan 2026.",
  );
  value(await lend(ina, { tag: "RM-01", to: "Runa Esk", dueOn: "2026-03-20" }));
  at("2026-03-21");
  expect(await told()).toContain("Ask for the return of RM-01: Runa Esk was to return it by 20 Mar 2026.");
});

test("a release past its end by its calendar is told, and a system that is", async () => {
  const { ina } = inventory;
  const text = "version,codename,series,created,release,eol\n5.0,Bollard 5.0,b50,,2025-12-01,2026-04-01\n";
  value(await importCalendar(ina, { product: "Bollard", fileName: "bollard.csv", text }));
  at("2026-03-31");
  expect((await told()).some((line) => line.includes("Bollard 5.0 ended"))).toBe(false);
  at("2026-04-01");
  expect(await told()).toContain("Rewrite RM-01: Bollard 5.0 ended on 1 Apr 2026.");
});

test("what is put off is out of the way with its reason, and comes back on its day or when it is taken up", async () => {
  const { ina, col } = inventory;
  at("2026-03-10");
  const key = "stocktake Head office";
  const ask = { key, until: "2026-03-20", why: "The quay is being rebuilt." };
  expect(refusal(await putOff(ina, { ...ask, why: " " }))).toContain("Enter a reason");
  expect(refusal(await putOff(ina, { ...ask, until: "2026-03-10" }))).toContain("in the future");
  expect(refusal(await putOff(ina, { ...ask, until: "2028-03-10" }))).toContain("At most one year");
  expect(refusal(await putOff(ina, { ...ask, key: "stocktake Nowhere" }))).toContain("no such thing");
  const id = value(await putOff(col, ask));
  const all = { kind: null, site: null, page: 1 };
  const view = await dueView(ina, all);
  expect(view.items.some((item) => item.key === key)).toBe(false);
  expect(view.putOff).toMatchObject([
    { item: { key }, snooze: { why: "The quay is being rebuilt.", personName: "Col Marrick" } },
  ]);
  expect((await history(ina, "upkeep", id, 1))[0]).toMatchObject({ action: "put off", note: ask.why });
  at("2026-03-20");
  expect((await dueView(ina, all)).items.some((item) => item.key === key)).toBe(true);
  at("2026-03-11");
  value(await takeUp(ina, id));
  expect((await dueView(ina, { ...all, kind: "stocktake" })).items.map((item) => item.key)).toEqual([key]);
  expect(refusal(await takeUp(ina, id))).toContain("There is no such postponed item");
});

test("a store that fills is due before it is full, and no more once there is room", async () => {
  const { ina } = inventory;
  at("2026-07-01");
  const given = { name: "Image share", kind: "share", capacityBytes: 500e9, freeBytes: 50e9 } as const;
  const storeId = value(await addStore(ina, { ...given, siteId: ids.office, reachedFrom: [ids.office] }));
  for (const [weeks, day] of ["2026-06-10", "2026-06-17", "2026-06-24", "2026-07-01"].entries())
    await noteFill(ina.db, storeId, day, (420 + weeks * 10) * 1e9);
  // Written beside an act: what was answered before is not asked for again.
  value(await addSite(ina, { name: "Workshop" }));
  const [full] = (await everythingDue(ina)).filter(({ kind }) => kind === "store");
  expect(full).toMatchObject({
    site: "Head office",
    breaksOn: "2026-08-05",
    reason: { storeId, store: "Image share" },
  });
  const store = await getStore(ina, storeId);
  if (!store) throw new Error("no store");
  value(await saveStore(ina, storeId, store.row.version, { ...storeInputOf(store), capacityBytes: 4e12 }));
  expect((await everythingDue(ina)).some(({ kind }) => kind === "store")).toBe(false);
});

test("the past follows the log: before a verification was dated nobody had what is asked", async () => {
  const { ina } = inventory;
  at("2026-07-10");
  value(await giveBack(ina, "RM-01", null));
  value(await dateVerification(ina, "RM-01", "whole"));
  at("2026-07-20");
  const { past } = await aheadView(ina, { day: null, site: null, cause: null });
  const met = (on: string) => past.find((day) => day.on === on)?.met;
  expect([met("2026-06-29"), met("2026-07-06"), met("2026-07-13")]).toEqual([1, 0, 1]);
});
