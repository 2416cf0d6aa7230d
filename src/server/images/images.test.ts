import { eq } from "drizzle-orm";
import { factsSchema } from "@/core/computer/facts/schema";
import { factsOf, MACHINES } from "../../../scripts/demo/skerry-line";
import { testInventory, value } from "../../../test/support/database";
import { problemText } from "../../core/words/problems";
import { closeCallout, openCallout } from "../callouts/callouts";
import { replaceDisk } from "../computers/computer-acts";
import { systemImages } from "../db/schema";
import { addComputer, getComputer, saveComputer } from "../inventory/computers";
import { history } from "../inventory/events";
import { changesAhead, noteChange, withdrawChange } from "../inventory/noted-changes";
import type { Result } from "../problems";
import { imageDueOf, listDue } from "./image-due";
import { imageParts } from "./image-parts";
import { imagePlan } from "./image-plans";
import {
  forgetImages,
  getImage,
  type ImageInput,
  imageInputOf,
  listImages,
  noteCopy,
  recordImage,
  saveImage,
} from "./images";
import { addStore } from "./stores";

const inventory = testInventory();
const ids: Record<string, number> = {};

const refusal = <T>(result: Result<T>) => (result.ok ? "" : problemText(result.problem));

const body = (more: Partial<ImageInput["body"]> = {}): ImageInput["body"] => ({
  ...{ make: "Ostrel", model: "Block 3", kit: "Spindle", kitVersion: "3.0", mode: "uefi", diskBytes: 500_107_862_016 },
  ...{ sectorBytes: 512, partitions: null, encrypted: false, keyPlace: null, kind: "full", parent: null },
  ...{ verified: { on: "2026-02-01", whole: true }, places: [{ on: "disk", name: "Disk 3", site: null }] },
  ...more,
});
const image = (name: string, takenAt: string, more: Partial<ImageInput["body"]> = {}, computer = "HO-001") =>
  recordImage(inventory.ina, { name, computer, takenAt, body: body(more) });
const detail = async (name: string) => {
  const found = await getImage(inventory.ina, ids[name] ?? 0);
  if (!found) throw new Error(name);
  return found;
};

async function addMachine(tag: string): Promise<number> {
  const at = MACHINES.findIndex((machine) => machine.tag === tag);
  const facts = factsSchema.parse(factsOf(MACHINES[at] as (typeof MACHINES)[number], at));
  return value(await addComputer(inventory.ina, { tag, name: null, siteId: null, note: null, facts }));
}

beforeAll(async () => {
  for (const tag of ["HO-001", "HO-002"]) await addMachine(tag);
  ids.full = value(await image("full", "2026-01-10T18:00:00Z", { usedBytes: 60e9, storedBytes: 36e9 }));
  ids.one = value(await image("one", "2026-01-20T18:00:00Z", { kind: "incremental", parent: "full" }));
  ids.two = value(await image("two", "2026-01-30T18:00:00Z", { kind: "incremental", parent: "one" }));
});

test("points of a computer are listed with what they build on, and found by name or tag", async () => {
  const { items, total } = await listImages(inventory.ina, {});
  expect([total, items.map(({ name, lineage }) => [name, lineage.state, lineage.parts.length])]).toEqual([
    3,
    [
      ["two", "usable", 3],
      ["one", "usable", 2],
      ["full", "usable", 1],
    ],
  ]);
  expect((await listImages(inventory.ina, { text: "on" })).items.map(({ name }) => name)).toEqual(["one"]);
  expect((await listImages(inventory.ina, { text: "ho-001" })).total).toBe(3);
  expect((await listImages(inventory.ina, { text: "100%_" })).total).toBe(0);
  expect((await detail("full")).dependents.sort()).toEqual(["one", "two"]);
});

test("a name is given once; what somebody else changed meanwhile is not written over", async () => {
  expect(refusal(await image("full", "2026-02-10T18:00:00Z"))).toContain("full");
  const { row } = await detail("one");
  const input = imageInputOf(await detail("one"));
  const state = (text: string) => ({ ...input, body: { ...input.body, state: text } });
  value(await saveImage(inventory.ina, row.id, row.version, state("with all updates")));
  expect(refusal(await saveImage(inventory.col, row.id, row.version, state("clean")))).not.toBe("");
  expect((await detail("one")).body.state).toBe("with all updates");
  const [change] = await history(inventory.ina, "image", row.id);
  expect(change).toMatchObject({
    action: "changed",
    before: { state: null },
    after: { state: "with all updates" },
  });
  // Nothing changed: nothing is recorded.
  const again = imageInputOf(await detail("one"));
  expect(value(await saveImage(inventory.ina, row.id, row.version + 1, again))).toBe(row.version + 1);
});

test("lists go by what the body says, also after it was changed", async () => {
  const { row } = await detail("two");
  const columns = async () =>
    (await inventory.ina.db.select().from(systemImages).where(eq(systemImages.id, row.id)))[0];
  expect(await columns()).toMatchObject({ kind: "incremental", parent: "one", verifiedOn: "2026-02-01" });
  const input = imageInputOf(await detail("two"));
  value(await saveImage(inventory.ina, row.id, row.version, { ...input, body: { ...input.body, verified: null } }));
  expect(await columns()).toMatchObject({ verifiedOn: null, verifiedWhole: null });
  expect((await detail("two")).lineage.state).toBe("unsure");
});

test("one that was deleted is forgotten, with what is known of it kept; what builds on it fails", async () => {
  expect(value(await forgetImages(inventory.ina, [ids.one as number, ids.one as number, 99_999]))).toBe(1);
  expect(await getImage(inventory.ina, ids.one as number)).toBeNull();
  expect((await detail("two")).lineage).toMatchObject({
    state: "unusable",
    problems: [{ code: "part-unverified" }, { code: "parent-unknown" }],
  });
  expect((await imageParts(inventory.ina.db)).map(({ id }) => id)).toEqual(["full", "two"]);
  expect((await history(inventory.ina, "image", ids.one as number))[0]).toMatchObject({ action: "retired" });
});

test("a copy that is whole speaks for the image; one that is damaged does where there is no other", async () => {
  const store = {
    name: "Share",
    kind: "share",
    medium: null,
    computer: null,
    diskSerial: null,
    siteId: null,
    reachedFrom: null,
    address: null,
    link: null,
    capacityBytes: null,
    freeBytes: null,
    folder: null,
    namePattern: null,
    note: null,
  };
  const storeIds = [
    value(await addStore(inventory.ina, store)),
    value(await addStore(inventory.ina, { ...store, name: "Other" })),
  ];
  const note = (at: number, verified: { on: string; whole: boolean } | null, state: "there" | "missing" = "there") =>
    noteCopy(inventory.ina.db, inventory.ina, {
      imageId: ids.full as number,
      storeId: storeIds[at] as number,
      files: [],
      state,
      verified,
    });
  await note(0, { on: "2026-02-20", whole: false });
  expect((await detail("full")).body.verified).toEqual({ on: "2026-02-20", whole: false });
  await note(1, { on: "2026-02-10", whole: true });
  expect((await detail("full")).body.verified).toEqual({ on: "2026-02-10", whole: true });
  expect((await detail("full")).body.places).toHaveLength(3);
  await note(1, null, "missing");
  expect((await detail("full")).body.verified).toEqual({ on: "2026-02-20", whole: false });
});

test("due: none at all, a new disk, another system, and one that was brought back", async () => {
  const due = async () => {
    const { items } = await listDue(inventory.ina);
    // A computer by itself is told the same.
    for (const tag of ["HO-001", "HO-002"]) {
      const { row, siteName: site } = (await getComputer(inventory.ina, tag)) ?? {};
      if (!row) throw new Error(tag);
      const own = await imageDueOf(inventory.ina, row.id, { ...row, site: site ?? null });
      expect(own?.reasons ?? null).toEqual(items.find(({ computer }) => computer === tag)?.reasons ?? null);
    }
    return Object.fromEntries(items.map(({ computer, reasons }) => [computer, reasons.map(({ code }) => code)]));
  };
  value(await image("HO-002 now", "2026-02-25T18:00:00Z", {}, "HO-002"));
  value(await image("HO-001 now", "2026-02-25T18:00:00Z"));
  expect(await due()).toEqual({});
  const before = await getComputer(inventory.ina, "HO-002");
  if (!before) throw new Error("HO-002");
  const disk = { index: 0, bytes: 1e12, sectorBytes: 512, bus: "sata", model: "Halyde", serial: "H1" };
  value(await replaceDisk(inventory.ina, before.row.id, before.row.version, disk));
  expect(await due()).toEqual({ "HO-002": ["disk-replaced"] });
  const own = await getComputer(inventory.ina, "HO-001");
  if (!own) throw new Error("HO-001");
  const systems = (own.facts.systems ?? []).map((system) => ({ ...system, version: "99.1" }));
  const input = { tag: "HO-001", name: null, siteId: null, note: null, facts: { ...own.facts, systems } };
  value(await saveComputer(inventory.ina, own.row.id, own.row.version, input));
  expect((await due())["HO-001"]).toEqual(["system-changed"]);
  const callout = value(await openCallout(inventory.ina, { computer: "HO-002", happening: "disk-gone" }));
  value(
    await closeCallout(inventory.ina, callout, { cameBack: "image", failed: null, lost: null, mediumWorked: null }),
  );
  expect((await due())["HO-002"]).toEqual(["disk-replaced", "restored"]);
  inventory.clock.now = new Date("2026-12-01T08:00:00Z");
  expect((await due())["HO-001"]).toEqual(["system-changed", "old"]);
  inventory.clock.now = new Date("2026-03-01T08:00:00Z");
});

test("due: a change that was noted asks for an image in the week before it, and for another once it was made", async () => {
  const reasons = async () =>
    (await listDue(inventory.ina)).items.find(({ computer }) => computer === "HO-003")?.reasons;
  inventory.clock.now = new Date("2026-05-01T08:00:00Z");
  const computerId = await addMachine("HO-003");
  value(await image("HO-003 spring", "2026-04-20T18:00:00Z", {}, "HO-003"));
  expect(refusal(await noteChange(inventory.ina, { computer: "HO-099", on: "2026-05-10", what: "x" }))).toContain(
    "HO-099",
  );
  expect(refusal(await noteChange(inventory.ina, { computer: "HO-003", on: "soon", what: "x" }))).toContain(
    "2026-03-01",
  );
  expect(refusal(await noteChange(inventory.ina, { computer: "HO-003", on: "2026-05-10", what: " " }))).toContain(
    "few words",
  );
  const change = { computer: "HO-003", on: "2026-05-10", what: "Firmware 1.40" };
  const id = value(await noteChange(inventory.ina, change));
  const other = value(await noteChange(inventory.ina, { ...change, on: "2026-07-01", what: "Office programs" }));
  expect((await changesAhead(inventory.ina)).map(({ on, what, by }) => [on, what, by])).toEqual([
    ["2026-05-10", "Firmware 1.40", "Ina Torvald"],
    ["2026-07-01", "Office programs", "Ina Torvald"],
  ]);
  expect(await reasons()).toBeUndefined();
  inventory.clock.now = new Date("2026-05-04T08:00:00Z");
  expect(await reasons()).toEqual([{ code: "change-ahead", on: "2026-05-10", what: "Firmware 1.40", days: 6 }]);
  value(await image("HO-003 before firmware", "2026-05-05T18:00:00Z", {}, "HO-003"));
  expect(await reasons()).toBeUndefined();
  inventory.clock.now = new Date("2026-05-11T08:00:00Z");
  expect(await reasons()).toEqual([{ code: "changed", on: "2026-05-10", what: "Firmware 1.40" }]);
  value(await withdrawChange(inventory.ina, id));
  expect(refusal(await withdrawChange(inventory.ina, id))).toContain("change");
  value(await withdrawChange(inventory.ina, other));
  expect(await reasons()).toBeUndefined();
  expect(await changesAhead(inventory.ina)).toEqual([]);
  const log = (await history(inventory.ina, "computer", computerId)).map(({ action, before, after }) => ({
    ...{ action, before, after },
  }));
  expect(log).toContainEqual({
    action: "noted a change of",
    before: null,
    after: { on: "2026-05-10", what: "Firmware 1.40" },
  });
  expect(log).toContainEqual({
    action: "withdrew a change of",
    before: { on: "2026-05-10", what: "Firmware 1.40" },
    after: null,
  });
  inventory.clock.now = new Date("2026-03-01T08:00:00Z");
});

test("the next image is estimated by what the last one came to", async () => {
  expect(refusal(await imagePlan(inventory.ina, "XX-1", null, null))).toContain("XX-1");
  expect(refusal(await imagePlan(inventory.ina, "HO-001", 999, null))).toContain("store");
  const plan = value(await imagePlan(inventory.ina, "HO-001", null, "clean"));
  expect(plan.size?.source).toEqual({ from: "own", images: 1 });
  expect(plan.size?.bytes.likely).toBeCloseTo((plan.usedBytes ?? 0) * 0.6, -3);
  expect(plan.seconds?.take.low).toBeGreaterThan(0);
  expect(plan.name).toMatch(/^HO-001 2026-03-01 .* clean$/);
});
