import { eq } from "drizzle-orm";
import { observe } from "@/core/computer/facts/merge";
import type { PartialFacts } from "@/core/computer/facts/paths";
import { factsSchema } from "@/core/computer/facts/schema";
import { breakAt, linkVerdict, weakestVerdict } from "@/core/fleet/cell";
import { partitionsOf } from "@/core/judging/links/restore-image";
import { inspect } from "@/core/medium/inspection/inspect";
import { IMAGES, type ImageName } from "../../../scripts/demo/images";
import { factsOf, MACHINES } from "../../../scripts/demo/skerry-line";
import { testInventory, value } from "../../../test/support/database";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { problemText } from "../../core/words/problems";
import { moveComputer, previewFacts } from "../computers/computer-acts";
import { plannedDrills } from "../db/schema";
import { drillsOf, recordDrill } from "../drills/drills";
import { planDrill, plannedOf, withdrawDrill } from "../drills/planned-drills";
import { recordImage } from "../images/images";
import { keepContents } from "../inspections/contents";
import { addComputer, getComputer, inputOf, saveComputer } from "../inventory/computers";
import { history } from "../inventory/events";
import { addSite } from "../inventory/sites";
import { addMedium, getMedium, mediumInputOf, saveMedium } from "../media/media";
import { addKit, addRelease } from "../media/releases";
import { exportMatrix } from "./export-matrix";
import { fleet, groupMatrix } from "./fleet";
import { routesOf } from "./routes";

const inventory = testInventory();
const w = tempWorkshop();
const ids: Record<string, number> = {};

async function release(kit: string, family: string, name: string, image: ImageName, purposes: string[]) {
  const { inspection, drivers } = await inspect(memory(IMAGES[image].make(w)), { name: image, depth: "deep" });
  const inspectionId = value(await keepContents(inventory.ina, { inspection, drivers, listing: null }));
  const kitId = value(await addKit(inventory.ina, { name: kit, family }));
  const facts = { purposes, opens: [], abilities: [] };
  const id = value(await addRelease(inventory.ina, { kitId, name, madeOn: "2025-11-12", facts, inspectionId }));
  return { id, inspection };
}

/** Machines of the demo under their own tags. */
const MACHINES_HERE = ["HO-001", "HO-002", "NP-T1", "HO-005"];

beforeAll(async () => {
  const { ina } = inventory;
  ids.office = value(await addSite(ina, { name: "Head office" }));
  ids.workshop = value(await addSite(ina, { name: "Workshop" }));
  for (const [index, machine] of MACHINES.entries()) {
    if (!MACHINES_HERE.includes(machine.tag)) continue;
    const facts = factsSchema.parse(factsOf(machine, index));
    value(await addComputer(ina, { tag: machine.tag, name: machine.name, siteId: ids.office, note: null, facts }));
  }
  const spindle = await release("Spindle", "Linux", "3.0", "spindle3", ["put-back-images"]);
  const lantern = await release("Lantern", "PE", "12", "lantern12", ["reinstall"]);
  const medium = { name: null, kind: "usb", capacityBytes: null, lentTo: null, note: null };
  const state = { writtenOn: "2026-01-10", verified: { on: "2026-02-20", whole: true }, condition: "good" };
  for (const [tag, { id, inspection }] of Object.entries({ "SP-01": spindle, "LN-01": lantern }))
    value(await addMedium(ina, { tag, siteId: ids.office, releaseIds: [id], ...medium, ...state }, inspection));
  value(await addMedium(ina, { tag: "NEW-01", siteId: null, releaseIds: [], ...medium }, null));
});

async function cellOf(computer: string, medium: string) {
  const { matrix, computers, media } = await fleet(inventory.ina);
  const row = computers.findIndex(({ tag }) => tag === computer);
  const column = media.findIndex(({ part }) => part.tag === medium);
  expect([row, column].every((at) => at >= 0)).toBe(true);
  return { cell: matrix.cell(row, column), routes: matrix.routes(row, column) };
}

test("every cell is what the computer's own page says of that medium", async () => {
  const { matrix, computers, media } = await fleet(inventory.ina);
  expect(computers.map(({ tag }) => tag)).toEqual([...MACHINES_HERE].sort());
  for (const [row, { tag }] of computers.entries()) {
    const detail = await getComputer(inventory.ina, tag);
    if (!detail) throw new Error(tag);
    const routes = await routesOf(inventory.ina, detail);
    for (const [column, { part }] of media.entries()) {
      const best = routes.find((route) => route.medium === part.tag);
      expect([tag, part.tag, weakestVerdict(matrix.cell(row, column))]).toEqual([tag, part.tag, best?.weakest]);
    }
  }
});

test("Secure Boot counts: the signed medium starts the computer that allows its signer, the unsigned one does not", async () => {
  expect(linkVerdict((await cellOf("HO-002", "LN-01")).cell, "starts")).toBe("holds");
  expect(linkVerdict((await cellOf("HO-002", "SP-01")).cell, "starts")).toBe("holds-after-change");
  expect((await cellOf("NP-T1", "LN-01")).routes[0]?.links.starts.verdict).toBe("broken");
  expect((await cellOf("HO-001", "NEW-01")).routes[0]?.links.starts.reasons[0]?.code).toBe("medium-not-read");
});

test("an image and a drill close the chain to its end, each recorded with who and when", async () => {
  expect(breakAt((await cellOf("HO-001", "SP-01")).cell)).toBe("restores");
  const disk = (await getComputer(inventory.ina, "HO-001"))?.facts.disks?.[0];
  if (!disk) throw new Error("no disk");
  const body = {
    make: null,
    model: null,
    kit: "Spindle",
    kitVersion: "3.0",
    mode: "uefi",
    diskBytes: disk.bytes,
    sectorBytes: 512,
    partitions: partitionsOf(disk).map(({ role }) => ({ role, active: false })),
    encrypted: false,
    keyPlace: null,
    kind: "full",
    parent: null,
    verified: { on: "2026-02-21", whole: true },
    places: [{ on: "medium", tag: "SP-01" }],
  };
  const image = { name: "HO-001 2026-02-21", computer: "HO-001", takenAt: "2026-02-21T10:00:00Z", body };
  value(await recordImage(inventory.ina, image));
  expect(await recordImage(inventory.ina, image)).toMatchObject({ ok: false, problem: { code: "taken" } });
  expect(breakAt((await cellOf("HO-001", "SP-01")).cell)).toBe("proven");
  const drill = { medium: "SP-01", computer: "HO-001", on: "2026-02-22", result: "restored" };
  const id = value(await recordDrill(inventory.col, drill));
  const { cell, routes } = await cellOf("HO-001", "SP-01");
  expect([breakAt(cell), routes[0]?.outcome?.image?.id]).toEqual([null, "HO-001 2026-02-21"]);
  expect((await history(inventory.ina, "drill", id))[0]).toMatchObject({
    personName: "Col Marrick",
    entityTag: "SP-01 on HO-001",
  });
  const detail = await getMedium(inventory.ina, "SP-01");
  expect(await drillsOf(inventory.ina, { mediumId: detail?.row.id ?? 0 })).toMatchObject([{ computer: "HO-001" }]);
});

test("a drill that is planned is open until one is held on the computer itself, or it is withdrawn", async () => {
  const plan = { medium: "SP-01", computer: "HO-001", dueOn: "2026-03-10" };
  const told = async () => (await plannedOf(inventory.ina)).map(({ dueOn, isOverdue }) => [dueOn, isOverdue]);
  const why = async (more: object) => {
    const refused = await planDrill(inventory.ina, { ...plan, ...more });
    return refused.ok ? "" : problemText(refused.problem);
  };
  expect(await why({ medium: "NONE" })).toContain("no medium NONE in use");
  expect(await why({ computer: "NONE" })).toContain("no computer NONE in service");
  expect(await why({ dueOn: "2026-02-01" })).toContain("is past");
  const id = value(await planDrill(inventory.ina, plan));
  expect(value(await planDrill(inventory.col, { ...plan, dueOn: "2026-03-12" }))).toBe(id);
  expect(await told()).toEqual([["2026-03-12", false]]);
  const then = inventory.clock.now;
  inventory.clock.now = new Date("2026-03-13T08:00:00Z");
  expect(await told()).toEqual([["2026-03-12", true]]);
  const drill = { medium: "SP-01", computer: "HO-001", on: "2026-03-13", result: "failed" };
  value(await recordDrill(inventory.ina, drill, { text: "emulated", picture: null }));
  expect(await told()).toHaveLength(1);
  const held = value(await recordDrill(inventory.ina, { ...drill, result: "started" }));
  expect(await told()).toEqual([]);
  const [row] = await inventory.ina.db.select().from(plannedDrills).where(eq(plannedDrills.id, id));
  expect(row).toMatchObject({ drillId: held, endedAt: inventory.clock.now });
  const other = value(await planDrill(inventory.ina, { ...plan, dueOn: "2026-04-01" }));
  expect(other).not.toBe(id);
  value(await withdrawDrill(inventory.ina, other));
  expect(await told()).toEqual([]);
  expect((await withdrawDrill(inventory.ina, other)).ok).toBe(false);
  expect(
    (await history(inventory.ina, "planned drill", id)).map(({ action, personName }) => [action, personName]),
  ).toEqual([
    ["changed", "Col Marrick"],
    ["planned", "Ina Torvald"],
  ]);
  inventory.clock.now = then;
});

test("what is not there, or not yet, is refused with a sentence", async () => {
  const drill = { medium: "SP-01", computer: "HO-001", on: "2026-02-22", result: "started" };
  expect(await recordDrill(inventory.ina, { ...drill, medium: "NONE" })).toMatchObject({ ok: false });
  expect(await recordDrill(inventory.ina, { ...drill, computer: "NONE" })).toMatchObject({ ok: false });
  expect(await recordDrill(inventory.ina, { ...drill, on: "2030-01-01" })).toMatchObject({
    problem: { code: "refused", why: { code: "day-ahead-drill" }, field: "on" },
  });
  expect(await recordDrill(inventory.ina, { ...drill, result: "perhaps" })).toMatchObject({ ok: false });
});

test("an edit of one computer or one medium is in the matrix at once; one that comes or goes, too", async () => {
  const before = await fleet(inventory.ina);
  const detail = await getComputer(inventory.ina, "HO-005");
  if (!detail || ids.workshop === undefined) throw new Error("not there");
  value(await moveComputer(inventory.ina, detail.row.id, detail.row.version, ids.workshop));
  expect(linkVerdict((await cellOf("HO-005", "LN-01")).cell, "atHand")).toBe("holds-after-change");
  const medium = await getMedium(inventory.ina, "LN-01");
  if (!medium) throw new Error("not there");
  const input = { ...mediumInputOf(medium), siteId: ids.workshop };
  value(await saveMedium(inventory.ina, medium.row.id, medium.row.version, input));
  expect(linkVerdict((await cellOf("HO-005", "LN-01")).cell, "atHand")).toBe("holds");
  expect(linkVerdict((await cellOf("HO-002", "LN-01")).cell, "atHand")).toBe("holds-after-change");
  // Nothing was built anew for that.
  expect((await fleet(inventory.ina)).matrix).toBe(before.matrix);
  const facts = factsSchema.parse({ schema: "creel.facts/1" });
  value(await addComputer(inventory.ina, { tag: "HO-900", name: null, siteId: null, note: null, facts }));
  expect((await fleet(inventory.ina)).computers.map(({ tag }) => tag)).toContain("HO-900");
});

test("drills and images follow a computer whose tag is changed, and copies are told as they are now", async () => {
  const detail = await getComputer(inventory.ina, "HO-001");
  if (!detail) throw new Error("not there");
  const { id, version } = detail.row;
  value(await saveComputer(inventory.ina, id, version, { ...inputOf(detail), tag: "HO-001B" }));
  expect(breakAt((await cellOf("HO-001B", "SP-01")).cell)).toBeNull();
  value(await saveComputer(inventory.ina, id, version + 1, { ...inputOf(detail), tag: "HO-001" }));
  expect(breakAt((await cellOf("HO-001", "SP-01")).cell)).toBeNull();
  // A copy of what LN-01 carries comes to the office: LN-01, which did not change, tells it.
  const [spare, own] = await Promise.all(["NEW-01", "LN-01"].map((tag) => getMedium(inventory.ina, tag)));
  if (!spare || !own) throw new Error("not there");
  const releaseIds = own.loads.map(({ releaseId }) => releaseId);
  const input = { ...mediumInputOf(spare), siteId: ids.office, releaseIds };
  value(await saveMedium(inventory.ina, spare.row.id, spare.row.version, input));
  const { routes } = await cellOf("HO-002", "LN-01");
  expect(routes[0]?.links.atHand.reasons).toContainEqual(
    expect.objectContaining({ code: "copy-at-site", medium: "NEW-01" }),
  );
});

test("grouped: every row and column once, the worst rows first", async () => {
  const all = await fleet(inventory.ina);
  const { rows, columns } = groupMatrix(all);
  expect(rows.flatMap(({ members }) => members).sort()).toEqual(all.computers.map((_, at) => at));
  expect(columns.flatMap(({ members }) => members).sort()).toEqual(all.media.map((_, at) => at));
  const holding = rows.map(({ weakest }) => weakest[0]);
  expect(holding).toEqual([...holding].sort((a, b) => a - b));
  expect(groupMatrix(all, { computers: "tablet" }).rows).toHaveLength(1);
  expect(groupMatrix(all, { media: "spindle" }).columns).toHaveLength(1);
  expect(groupMatrix(all, { site: "Workshop" }).rows.flatMap(({ members }) => members)).toHaveLength(1);
});

test("exported: a line for each computer, a column for each medium", async () => {
  const parts: string[] = [];
  for await (const part of exportMatrix(inventory.ina, {})) parts.push(part);
  const lines = parts.join("").trim().split("\r\n");
  expect(lines[0]).toBe("computer,name,site,LN-01,NEW-01,SP-01");
  expect(lines).toHaveLength(6);
  expect(lines.find((line) => line.startsWith("HO-001"))).toMatch(/,holds$/);
  expect(lines.find((line) => line.startsWith("NP-T1"))).toContain("Starts broken");
});

test("taking in facts tells beforehand what the computer's routes come to with them", async () => {
  const source = { kind: "collector", name: "creel-collect.sh 1", at: "2026-02-28T00:00:00Z", by: null } as const;
  const preview = async (arch: string) =>
    value(
      await previewFacts(inventory.ina, {
        tag: "HO-002",
        observations: [observe(source, { firmware: { arch } } as PartialFacts)],
        choices: { "firmware/arch": 0 },
      }),
    );
  expect((await preview("x64")).answers).toBeNull();
  const { answers } = await preview("aa64");
  expect(answers?.before).not.toBe(answers?.after);
  expect(answers?.after).toContain("HO-002");
});
