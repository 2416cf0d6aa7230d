import { gzipSync } from "node:zlib";
import { CachedSource } from "@/core/kernel/source";
import { inspect } from "@/core/medium/inspection/inspect";
import { makeManifest } from "@/core/medium/integrity/manifest";
import { listVolumes } from "@/core/medium/volumes/listing";
import { volumesOf } from "@/core/medium/volumes/volumes";
import { IMAGES } from "../../../scripts/demo/images";
import { testInventory, value } from "../../../test/support/database";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { problemText } from "../../core/words/problems";
import {
  contentsKept,
  listingOf,
  readDrivers,
  readManifest,
  storeContents,
  storeManifest,
} from "../inspections/contents";
import { history } from "../inventory/events";
import { addMedium, getMedium } from "./media";
import { addKit, addRelease, compareTwo, getRelease, listReleases, mediaOf, saveKit, saveRelease } from "./releases";

const inventory = testInventory();
const w = tempWorkshop();

const packed = (body: unknown) => new Uint8Array(gzipSync(JSON.stringify(body)));

async function readOf(image: keyof typeof IMAGES) {
  const source = memory(IMAGES[image].make(w));
  const { inspection, drivers } = await inspect(source, { name: IMAGES[image].file, depth: "deep" });
  const listing = await listVolumes(await volumesOf(new CachedSource(source)));
  return { source, body: { inspection, drivers, listing } };
}

const ids = { kit: 0, old: 0, young: 0, inspection: 0 };

test("what was read is kept whole, and a release is born from it", async () => {
  const { ina } = inventory;
  ids.kit = value(await addKit(ina, { name: "Bollard", family: "Linux", purpose: null }));
  const { body, source } = await readOf("bollard5");
  ids.inspection = value(await storeContents(ina, packed(body)));
  expect(await listingOf(ina, ids.inspection)).toEqual(body.listing);
  expect(await readDrivers(ina, ids.inspection)).toEqual(body.drivers);
  expect(await readManifest(ina, ids.inspection)).toBeNull();
  const facts = { purposes: ["file-rescue"], opens: [{ kit: "Spindle", upTo: "3.0" }] };
  ids.young = value(
    await addRelease(ina, { kitId: ids.kit, name: "5.0", madeOn: "2025-09-30", facts, inspectionId: ids.inspection }),
  );
  const detail = await getRelease(ina, ids.young);
  expect(detail?.inspection?.contents.info).toContain("Bollard 5.0");
  expect(detail?.facts).toEqual({ ...facts, abilities: [] });

  const manifest = await makeManifest(source, { name: "bollard-5.0.iso" });
  value(await storeManifest(ina, ids.inspection, packed(manifest)));
  expect(await readManifest(ina, ids.inspection)).toEqual(manifest);
  expect((await contentsKept(ina, ids.inspection)).manifestAt).toEqual(inventory.clock.now);
  expect((await getRelease(ina, ids.young))?.inspection?.file.sha256).toBe(manifest.file.sha256);
});

test("a manifest of another file, and bytes that are none, are refused with a sentence", async () => {
  const { ina } = inventory;
  const other = await makeManifest(memory(IMAGES.lantern11.make(w)), { name: "x" });
  for (const body of [packed(other), packed({ schema: "creel.manifest/1" }), new Uint8Array([1, 2, 3])]) {
    const result = await storeManifest(ina, ids.inspection, body);
    expect(result.ok).toBe(false);
    if (!result.ok) expect(problemText(result.problem)).toMatch(/\S+ \S+ \S+/);
  }
  expect((await storeContents(ina, packed({ inspection: {} }))).ok).toBe(false);
  expect((await storeManifest(ina, 99_999, packed(other))).ok).toBe(false);
});

test("a release is changed under its version, and the change is told with what it was before", async () => {
  const { ina, col } = inventory;
  const input = {
    kitId: ids.kit,
    name: "5.0",
    madeOn: "2025-10-01",
    note: "Checked.",
    facts: null,
    inspectionId: ids.inspection,
  };
  expect(value(await saveRelease(col, ids.young, 1, input))).toBe(2);
  const stale = await saveRelease(ina, ids.young, 1, { ...input, note: "Other." });
  expect(stale).toMatchObject({ ok: false, problem: { code: "stale" } });
  const [latest] = await history(ina, "release", ids.young, 1);
  expect(latest).toMatchObject({
    personName: "Col Marrick",
    before: { madeOn: "2025-09-30" },
    after: { madeOn: "2025-10-01" },
  });
  expect(value(await saveKit(ina, ids.kit, 1, { name: "Bollard", family: "Linux", purpose: "Rescue" }))).toBe(2);
});

test("superseding: shown on both sides, never in a circle", async () => {
  const { ina } = inventory;
  ids.old = value(await addRelease(ina, { kitId: ids.kit, name: "4.1", supersededById: ids.young }));
  expect((await getRelease(ina, ids.young))?.supersedes).toEqual([{ id: ids.old, text: "Bollard 4.1" }]);
  const circle = await saveRelease(ina, ids.young, 2, { kitId: ids.kit, name: "5.0", supersededById: ids.old });
  expect(circle).toMatchObject({ ok: false, problem: { why: { code: "superseded-by-itself" } } });
  expect((await addRelease(ina, { kitId: ids.kit, name: "9", supersededById: 9999 })).ok).toBe(false);
});

test("a medium can point to what was kept, and is listed with its release", async () => {
  const { ina } = inventory;
  const medium = { tag: "BO-01", name: null, kind: "usb", capacityBytes: null, siteId: null, releaseIds: [ids.young] };
  value(await addMedium(ina, medium, { kept: ids.inspection }));
  expect((await getMedium(ina, "BO-01"))?.inspection?.file.name).toBe("bollard-5.0.iso");
  expect((await addMedium(ina, { ...medium, tag: "BO-02" }, { kept: 9999 })).ok).toBe(false);
  expect(await mediaOf(ina, ids.young)).toMatchObject({ total: 1, items: [{ tag: "BO-01" }] });
  expect((await listReleases(ina)).map((each) => [each.name, each.read, each.media])).toEqual([
    ["5.0", true, 1],
    ["4.1", false, 0],
  ]);
});

test("two releases are compared from what was kept; one that was never read cannot be", async () => {
  const { ina } = inventory;
  const [before, after] = [await getRelease(ina, ids.old), await getRelease(ina, ids.young)];
  if (!before || !after) throw new Error("not there");
  expect(await compareTwo(ina, before, after)).toBeNull();
  expect(await compareTwo(ina, after, after)).toMatchObject({ programs: [], files: { changed: [], by: "digest" } });
});
