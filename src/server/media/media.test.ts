import { eq } from "drizzle-orm";
import { inspect } from "@/core/medium/inspection/inspect";
import type { Inspection } from "@/core/medium/inspection/schema";
import { IMAGES } from "../../../scripts/demo/images";
import { testInventory, value } from "../../../test/support/database";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { problemText } from "../../core/words/problems";
import { events, inspections, loads, media } from "../db/schema";
import { viewsKeyOf } from "../inspections/inspections";
import { attachmentOf } from "../inspections/verdicts";
import { addSite } from "../inventory/sites";
import { addMedium, getMedium, listMedia, type MediumDetail, mediumInputOf, retireMedium, saveMedium } from "./media";
import { addKit, addRelease, listKits, listReleases } from "./releases";

const inventory = testInventory();
const w = tempWorkshop();
const read = async (image: keyof typeof IMAGES, name?: string): Promise<Inspection> =>
  (await inspect(memory(IMAGES[image].make(w)), { name: name ?? IMAGES[image].file })).inspection;
const medium = (tag: string, more: object = {}) => ({
  tag,
  name: null,
  kind: "usb",
  capacityBytes: null,
  siteId: null,
  lentTo: null,
  note: null,
  releaseIds: [],
  ...more,
});

async function detailOf(tag: string): Promise<MediumDetail> {
  const detail = await getMedium(inventory.ina, tag);
  if (!detail) throw new Error(`no ${tag}`);
  return detail;
}

test("a medium comes back with its loads and what was read", async () => {
  const kitId = value(await addKit(inventory.ina, { name: "Spindle", purpose: "Images" }));
  const releaseId = value(await addRelease(inventory.ina, { kitId, name: "3.0", madeOn: "2025-11-12" }));
  const siteId = value(await addSite(inventory.ina, { name: "Quay" }));
  const inspection = await read("spindle3");
  value(
    await addMedium(
      inventory.ina,
      medium("SP-1", { siteId, releaseIds: [releaseId, releaseId], capacityBytes: 64_000_000_000 }),
      inspection,
    ),
  );
  const detail = await detailOf("SP-1");
  expect(detail.loads).toEqual([
    { releaseId, kitName: "Spindle", releaseName: "3.0", madeOn: "2025-11-12", part: null, lacksSystemFiles: false },
  ]);
  expect(detail.siteName).toBe("Quay");
  expect(detail.inspection).toEqual(inspection);
  expect((await listMedia(inventory.ina, { text: "sp-1" })).items).toMatchObject([
    { tag: "SP-1", siteName: "Quay", capacityBytes: 64_000_000_000 },
  ]);
});

test("a site or release that is gone is a sentence, and nothing is half-written", async () => {
  const before = await Promise.all([media, loads, inspections, events].map((table) => inventory.ina.db.$count(table)));
  for (const more of [{ siteId: 999 }, { releaseIds: [999] }]) {
    const result = await addMedium(inventory.ina, medium("SP-2", more), await read("papers"));
    expect(result).toEqual({ ok: false, problem: { code: "not-found", what: "site or release" } });
  }
  expect(await Promise.all([media, loads, inspections, events].map((table) => inventory.ina.db.$count(table)))).toEqual(
    before,
  );
});

test("a stale save of a medium leaves its loads and its reading as they were", async () => {
  const id = value(await addMedium(inventory.ina, medium("SP-3"), await read("papers")));
  const opened = mediumInputOf(await detailOf("SP-3"));
  value(await saveMedium(inventory.col, id, 1, { ...opened, lentTo: "Runa Esk" }));
  const [release] = await listReleases(inventory.ina);
  const stale = await saveMedium(
    inventory.ina,
    id,
    1,
    { ...opened, releaseIds: [release?.id] },
    await read("bollard4"),
  );
  expect(stale).toMatchObject({
    ok: false,
    problem: { code: "stale", version: 2, changes: [{ field: "lentTo", after: "Runa Esk", by: "Col Marrick" }] },
  });
  const now = await detailOf("SP-3");
  expect(now).toMatchObject({
    loads: [],
    row: { lentTo: "Runa Esk", version: 2 },
    inspection: { file: { name: "papers.img" } },
  });
  if (!stale.ok) expect(problemText(stale.problem)).toContain("Col Marrick changed lentTo");
});

test("a thing that is not there is said to be gone", async () => {
  expect(await saveMedium(inventory.ina, 4711, 1, medium("SP-9"))).toMatchObject({
    ok: false,
    problem: { code: "not-found" },
  });
  expect(await retireMedium(inventory.ina, 4711, 1, true)).toMatchObject({ ok: false, problem: { code: "not-found" } });
  expect(await getMedium(inventory.ina, "SP-9")).toBeNull();
});

test("retiring from an old version is stale too", async () => {
  const id = value(await addMedium(inventory.ina, medium("SP-4"), null));
  value(await retireMedium(inventory.ina, id, 1, true));
  expect(await retireMedium(inventory.col, id, 1, true)).toMatchObject({
    ok: false,
    problem: { code: "stale", changes: [{ field: "retiredAt" }] },
  });
});

test("files that firmware cannot tell apart share their views' key, whatever they are called", async () => {
  expect(viewsKeyOf(await read("bollard5", "one.iso"))).toBe(viewsKeyOf(await read("bollard5", "two.iso")));
  expect(viewsKeyOf(await read("bollard5"))).not.toBe(viewsKeyOf(await read("bollard4")));
});

test("the first fault is kept beside the reading, for ranking", async () => {
  value(await addMedium(inventory.ina, medium("SP-5"), await read("bollardCut")));
  const [row] = await inventory.ina.db
    .select({ fault: inspections.fault })
    .from(inspections)
    .where(eq(inspections.id, (await detailOf("SP-5")).row.inspectionId ?? 0));
  expect(["mbr-entry-past-end", "iso-cut-short"]).toContain(row?.fault?.code);
});

test("kinds attach as what they are", () => {
  expect(["usb", "disk", "optical", "file"].map(attachmentOf)).toEqual(["usb", "usb", "optical", null]);
});

test.each([
  [{ name: "" }, "name"],
  [{ name: "x".repeat(200) }, "name"],
])("a kit with %j is refused", async (input, field) => {
  const result = await addKit(inventory.ina, input);
  expect(result.ok ? [] : result.problem.code === "invalid" ? Object.keys(result.problem.fields) : []).toEqual([field]);
});

test("two releases of one kit cannot share a name; of two kits they can", async () => {
  const other = value(await addKit(inventory.ina, { name: "Lantern" }));
  const [spindle] = (await listKits(inventory.ina)).filter((kit) => kit.name === "Spindle");
  expect(await addRelease(inventory.ina, { kitId: spindle?.id, name: "3.0" })).toMatchObject({
    ok: false,
    problem: { code: "taken", value: "3.0" },
  });
  expect((await addRelease(inventory.ina, { kitId: other, name: "3.0" })).ok).toBe(true);
  expect(await addRelease(inventory.ina, { kitId: 4711, name: "1" })).toMatchObject({
    ok: false,
    problem: { code: "not-found", what: "kit" },
  });
  expect(await addRelease(inventory.ina, { kitId: other, name: "4", madeOn: "soon" })).toMatchObject({
    ok: false,
    problem: { code: "invalid" },
  });
});

test("many at once, with the same release, are all recorded: whoever waits for another is run again", async () => {
  const kitId = value(await addKit(inventory.ina, { name: "Crowd" }));
  const facts = { purposes: [], opens: [], abilities: [] };
  const releaseId = value(
    await addRelease(inventory.ina, { kitId, name: "1", madeOn: null, facts, inspectionId: null }),
  );
  const tags = Array.from({ length: 24 }, (_, at) => `CROWD-${at}`);
  const added = await Promise.all(
    tags.map((tag) => addMedium(inventory.ina, medium(tag, { releaseIds: [releaseId] }), null)),
  );
  expect(added.filter(({ ok }) => !ok)).toEqual([]);
  const saved = await Promise.all(
    tags.map(async (tag) => {
      const detail = await detailOf(tag);
      return saveMedium(inventory.ina, detail.row.id, 1, { ...mediumInputOf(detail), name: `of ${tag}` });
    }),
  );
  expect(saved.filter(({ ok }) => !ok)).toEqual([]);
  for (const tag of tags) expect((await detailOf(tag)).loads.map(({ kitName }) => kitName)).toEqual(["Crowd"]);
});
