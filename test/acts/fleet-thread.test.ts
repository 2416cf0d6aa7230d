import { rmSync } from "node:fs";
import { join } from "node:path";
import { buildSync } from "esbuild";
import { factsSchema } from "@/core/computer/facts/schema";
import { act } from "@/server/act";
import { revisionOf } from "@/server/db/revision";
import { fleetAnswers, kits, revisionChanges } from "@/server/db/schema";
import { setDesk } from "@/server/fleet/asked";
import { coversOf, fleetChoices } from "@/server/fleet/covers";
import { FleetDesk } from "@/server/fleet/desk";
import { overview } from "@/server/fleet/overview";
import { addComputer, getComputer, inputOf, saveComputer } from "@/server/inventory/computers";
import { noteChange } from "@/server/inventory/noted-changes";
import { addSite, listSites } from "@/server/inventory/sites";
import { addMedium, retireMedium } from "@/server/media/media";
import { addKit } from "@/server/media/releases";
import { fail, ok } from "@/server/problems";
import { factsOf, MACHINES } from "../../scripts/demo/skerry-line";
import { testInventory, value } from "../support/database";

// The thread that holds the fleet, from its real program, on a real database.
const inventory = testInventory();
/** Outside of the sources' folder: it is built with the packages beside it. */
const PROGRAM = join(__dirname, "..", "..", "node_modules", ".cache", `creel-fleet-${process.pid}.mjs`);
const desks: FleetDesk[] = [];
const ids: number[] = [];

function deskFor(quickMs: number, waitsMs = 60_000): FleetDesk {
  const desk = new FleetDesk(inventory.ina.db, { file: PROGRAM, databaseUrl: inventory.url, quickMs, waitsMs });
  desks.push(desk);
  return desk;
}

/** Asks through a desk what without one is answered here. */
async function through<T>(desk: FleetDesk | null, question: () => Promise<T>): Promise<T> {
  setDesk(desk ?? undefined);
  try {
    return await question();
  } finally {
    setDesk(undefined);
  }
}

const revision = () => revisionOf(inventory.ina.db);

async function lastChange() {
  const rows = await inventory.ina.db.select().from(revisionChanges);
  return rows.sort((a, b) => b.revision - a.revision)[0];
}

async function moved(tag: string, siteId: number | null): Promise<void> {
  const { ina } = inventory;
  const detail = await getComputer(ina, tag);
  if (!detail) throw new Error(`no ${tag}`);
  value(await saveComputer(ina, detail.row.id, detail.row.version, { ...inputOf(detail), siteId }));
}

beforeAll(async () => {
  buildSync({
    entryPoints: [join(__dirname, "..", "..", "src", "workers", "fleet.worker.ts")],
    outfile: PROGRAM,
    ...{ bundle: true, platform: "node", format: "esm", target: "node20", packages: "external" },
    // As the build has it: Node finds no file by half its name.
    alias: { "comlink/dist/umd/node-adapter.js": "comlink/dist/esm/node-adapter.mjs" },
  });
  const { ina } = inventory;
  for (const name of ["Head office", "Workshop"]) value(await addSite(ina, { name }));
  const [office] = await listSites(ina);
  for (const [index, machine] of MACHINES.slice(0, 6).entries()) {
    const facts = factsSchema.parse(factsOf(machine, index));
    const given = { tag: machine.tag, name: machine.name, siteId: office?.id ?? null, note: null, facts };
    ids.push(value(await addComputer(ina, given)));
  }
});

afterAll(async () => {
  await Promise.all(desks.map((desk) => desk.stop()));
  rmSync(PROGRAM, { force: true });
});

test("an act raises the revision once, with what it changed; one that is refused or writes nothing does not", async () => {
  const { ina } = inventory;
  const before = await revision();
  await moved(MACHINES[0]?.tag ?? "", null);
  expect(await revision()).toBe(before + 1);
  expect(await lastChange()).toMatchObject({ isWhole: false, computers: [ids[0]], media: [] });
  const refused = await act(ina, null, async (acting) => {
    value(await addKit(acting, { name: "Taken back", family: "Linux" }));
    return fail({ code: "not-found", what: "release" });
  });
  expect(refused.ok).toBe(false);
  value(await act(ina, null, async () => ok(1)));
  expect(await revision()).toBe(before + 1);
  // An act within another one is a part of it.
  value(
    await act(ina, null, async (acting) => {
      for (const name of ["Bollard", "Spindle"]) value(await addKit(acting, { name, family: "Linux" }));
      return ok(2);
    }),
  );
  expect(await revision()).toBe(before + 2);
  expect(await lastChange()).toMatchObject({ isWhole: true });
  expect(await ina.db.select({ name: kits.name }).from(kits)).toHaveLength(2);
  value(await noteChange(ina, { computer: MACHINES[1]?.tag, on: "2026-04-01", what: "a new disk" }));
  expect(await lastChange()).toMatchObject({ revision: before + 3, isWhole: false, media: [] });
});

test("the thread answers what is answered here, and an edit through one desk is read through the other at once", async () => {
  const { ina } = inventory;
  const [one, other] = [deskFor(60_000), deskFor(60_000)];
  const asked: (() => Promise<unknown>)[] = [() => overview(ina), () => coversOf(ina, ids), () => fleetChoices(ina)];
  for (const question of asked) {
    const here = await through(null, question);
    expect(await through(one, question)).toEqual(here);
    expect(await through(other, question)).toEqual(here);
  }
  const sites = await listSites(ina);
  for (const { id } of [...sites, ...sites]) {
    await moved(MACHINES[1]?.tag ?? "", id);
    const here = await through(null, () => overview(ina));
    expect(await through(other, () => overview(ina))).toEqual(here);
    expect(await through(one, () => overview(ina))).toEqual(here);
    expect(here.bySite.find(({ siteId }) => siteId === id)?.counts).toBeDefined();
  }
  // A medium more: everything is judged anew.
  const medium = { name: null, kind: "usb", capacityBytes: null, lentTo: null, note: null, siteId: null };
  const added = value(await addMedium(ina, { tag: "XY-01", releaseIds: [], ...medium }, null));
  expect((await through(other, () => overview(ina))).media).toBe(1);
  expect((await through(one, () => fleetChoices(ina))).media).toEqual(["XY-01"]);
  value(await retireMedium(ina, added, 1, true));
  expect((await through(one, () => fleetChoices(ina))).media).toEqual([]);
});

test("asked many times at once, it is answered once; what fails is told, and is asked again", async () => {
  const { ina } = inventory;
  const desk = deskFor(60_000);
  const [first, ...others] = await Promise.all(
    Array.from({ length: 20 }, () => through(desk, () => desk.ask(ina, "choices", []))),
  );
  for (const answer of others) expect(answer).toBe(first);
  await expect(desk.ask(ina, "nobody-answers-this", [])).rejects.toThrow("Nobody here answers");
  await expect(desk.ask(ina, "nobody-answers-this", [])).rejects.toThrow("Nobody here answers");
  expect(await desk.ask(ina, "choices", [])).toEqual(first);
});

test("a fleet that takes long is judged by the next thread, while this one goes on answering", async () => {
  const { ina } = inventory;
  const desk = deskFor(-1);
  const names = async () => ((await desk.ask(ina, "choices", [])) as { media: string[] }).media;
  expect(await names()).toEqual([]);
  const medium = { name: null, kind: "usb", capacityBytes: null, lentTo: null, note: null, siteId: null };
  value(await addMedium(ina, { tag: "XY-02", releaseIds: [], ...medium }, null));
  expect(desk.standing()).toEqual({ isBehind: false, olderAgoMs: null });
  // As it was, and told to be so, until the next one is ready.
  expect(await names()).toEqual([]);
  expect(desk.standing().isBehind).toBe(true);
  for (let waited = 0; desk.standing().isBehind && waited < 200; waited++)
    await new Promise((done) => setTimeout(done, 50));
  expect(desk.standing().isBehind).toBe(false);
  expect(await names()).toEqual(["XY-02"]);
  // What a job keeps or sends waits for the next one.
  value(await addMedium(ina, { tag: "XY-03", releaseIds: [], ...medium }, null));
  expect(await desk.askNow(ina, "choices", [])).toMatchObject({ media: ["XY-02", "XY-03"] });
  // A page that was told the older one hears that it was.
  expect(desk.standing().olderAgoMs).toBeGreaterThan(0);
});

test("on another day everything is judged anew, and until then told to be of the day before", async () => {
  const { ina, clock } = inventory;
  const before = clock.now;
  const desk = deskFor(-1);
  const count = async () => ((await desk.ask(ina, "overview", [])) as { computers: number }).computers;
  expect([await count(), desk.standing().isBehind]).toEqual([6, false]);
  clock.now = new Date(before.getTime() + 86_400_000);
  expect([await count(), desk.standing().isBehind]).toEqual([6, true]);
  for (let waited = 0; desk.standing().isBehind && waited < 400; waited++)
    await new Promise((done) => setTimeout(done, 50));
  expect([desk.standing().isBehind, await count(), desk.standing().isBehind]).toEqual([false, 6, false]);
  clock.now = before;
});

test("a thread that found no database is followed by one that does", async () => {
  const { ina } = inventory;
  const gone = new URL(inventory.url);
  gone.port = "1";
  const program = { file: PROGRAM, databaseUrl: gone.toString(), quickMs: 60_000, waitsMs: 60_000 };
  const desk = new FleetDesk(ina.db, program);
  desks.push(desk);
  await expect(desk.ask(ina, "covers", [[1, 2, 3]])).rejects.toThrow();
  program.databaseUrl = inventory.url;
  expect(await desk.ask(ina, "covers", [[1, 2, 3]])).toHaveLength(3);
});

test("a server that starts gives what was answered before of the same revision, while it still reads", async () => {
  const { ina } = inventory;
  const { keepAnswer } = await import("@/server/fleet/kept-answers");
  const day = ina.now().toISOString().slice(0, 10);
  const question = { question: "choices", asked: [], day };
  await keepAnswer(ina.db, question, { value: "kept", revision: await revision() });
  expect(await deskFor(60_000).ask(ina, "choices", [])).toBe("kept");
  await moved(MACHINES[2]?.tag ?? "", null);
  // Of an older revision it is only given where reading takes long.
  const late = deskFor(60_000, 0);
  expect(await late.ask(ina, "choices", [])).toBe("kept");
  expect(late.standing().isBehind).toBe(true);
  expect(await deskFor(60_000).ask(ina, "choices", [])).toMatchObject({ media: ["XY-02", "XY-03"] });
  const questions = await ina.db.select({ question: fleetAnswers.question }).from(fleetAnswers);
  expect(questions.filter(({ question }) => question === "choices")).toHaveLength(1);
});
