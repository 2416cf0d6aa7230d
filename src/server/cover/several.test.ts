import { type Facts, factsSchema } from "@/core/computer/facts/schema";
import { USUAL_SETTINGS } from "@/core/cover/result";
import { taskText } from "@/core/words/cover";
import { factsOf, MACHINES } from "../../../scripts/demo/skerry-line";
import { MIB, smallRelease, testBench } from "../../../test/support/bench";
import { testInventory, value } from "../../../test/support/database";
import { doJobs } from "../../../test/support/jobs";
import { listTasks, tickTask } from "../drills/cover-tasks";
import { recordDrill } from "../drills/drills";
import { plannedOf } from "../drills/planned-drills";
import { addComputer } from "../inventory/computers";
import { saveRule } from "../inventory/policies";
import { addSite } from "../inventory/sites";
import { getMedium } from "../media/media";
import { acceptPlan, getPlan, startPlan } from "./plans";

// Which of two releases comes up on which firmware: core/making/planning/several.test.ts, under real firmware.
const inventory = testInventory();
const { w, stick, release, begin, work } = testBench(inventory);
const ids = { wide: 0, narrow: 0, plan: 0 };

beforeAll(async () => {
  const { ina } = inventory;
  ids.wide = await release(smallRelease(w, "WIDE", ["x64"]), "Fathom", "1.0", ["file-rescue"]);
  ids.narrow = await release(smallRelease(w, "NARROW", ["ia32"]), "Painter", "2.0", ["file-rescue"]);
  const siteId = value(await addSite(ina, { name: "Head office" }));
  const at = MACHINES.findIndex(({ tag }) => tag === "HO-001");
  const facts: Facts = factsSchema.parse(factsOf(MACHINES[at] as (typeof MACHINES)[number], at));
  const off = { state: "off", pk: null, kek: null, db: null, dbx: null, sbatLevel: null } as const;
  for (const [tag, arch] of [
    ["HO-001", "x64"],
    ["HO-002", "ia32"],
  ] as const) {
    const firmware = { ...facts.firmware, kind: "uefi" as const, arch, secureBoot: off, legacyMode: null };
    value(await addComputer(ina, { tag, name: null, siteId, note: null, facts: { ...facts, firmware } }));
  }
  const asked = { back: 0, files: 1, withinMinutes: 15, spares: 0, proof: "computer", verificationDays: null } as const;
  value(await saveRule(ina, { scope: "everywhere", target: "", values: asked }, null));
});

test("two computers that no one release starts are served by one medium that carries both", async () => {
  const { ina } = inventory;
  ids.plan = value(await startPlan(ina, { name: "", settings: USUAL_SETTINGS }));
  await doJobs(ina);
  const plan = await getPlan(ina, ids.plan);
  expect(plan?.result).toMatchObject({ isLeast: true, lacks: [], met: { now: 0, planned: 2, of: 2 } });
  const [only, ...more] = plan?.result?.media ?? [];
  expect(more).toEqual([]);
  expect(only).toMatchObject({ act: "buy", way: "laid-out", serves: { tags: ["HO-001", "HO-002"] } });
  expect([only?.releaseId, ...(only?.besideIds ?? [])].sort()).toEqual([ids.wide, ids.narrow].sort());
  // One of the two alone serves one computer: both by themselves cost more.
  const { writeMinutes, drillMinutes, workHour, prices } = USUAL_SETTINGS;
  const one = ((writeMinutes + drillMinutes) / 60) * workHour + (prices["8 GB"] as number);
  expect(plan?.result?.cost.total).toBeLessThan(2 * one);
  expect(plan?.result?.cost.total).toBeCloseTo(one + (drillMinutes / 60) * workHour);
});

test("accepted, its tasks are ticked by what is done at the bench and tried on the computers", async () => {
  const { ina } = inventory;
  const plan = await getPlan(ina, ids.plan);
  value(await acceptPlan(ina, ids.plan, plan?.version ?? 0));
  const left = async () => {
    const tasks = await listTasks(ina, ids.plan);
    return tasks.filter(({ doneAt }) => doneAt === null).map(({ body }) => body.kind);
  };
  expect(await left()).toEqual(["buy", "write", "move", "drill", "drill"]);
  const [write] = (await listTasks(ina, ids.plan)).filter(({ body }) => body.kind === "write");
  expect(write && taskText(write.body)).toMatch(
    /^Make a medium of (Fathom 1.0 and Painter 2.0|Painter 2.0 and Fathom 1.0) for Head office\.$/,
  );
  const { releaseId, besideIds = [] } = write?.body ?? {};
  // Another medium than the one that is asked for ticks nothing.
  value(await begin(await stick("other"), { releaseId: ids.wide, tag: "FA-01" }));
  await work();
  expect(await left()).toContain("write");
  const own = await stick("both", { bytes: 300 * MIB });
  value(await begin(own, { releaseId: releaseId as number, besideIds, store: false, tag: "FA-02" }));
  await work();
  expect(await left()).toEqual(["buy", "move", "drill", "drill"]);
  // What was to be done with the new medium is to be done with the one that it is now.
  const texts = (await listTasks(ina, ids.plan)).map(({ body }) => taskText(body));
  expect(texts.slice(2)).toEqual([
    "Bring FA-02 to Head office.",
    "Run a drill of FA-02 on HO-001.",
    "Run a drill of FA-02 on HO-002.",
  ]);
  expect((await plannedOf(ina)).map(({ medium, computer }) => [medium, computer])).toEqual([
    ["FA-02", "HO-001"],
    ["FA-02", "HO-002"],
  ]);
  const [move] = (await listTasks(ina, ids.plan)).filter(({ body }) => body.kind === "move");
  value(await tickTask(ina, move?.id ?? 0, true));
  expect((await getMedium(ina, "FA-02"))?.siteName).toBe("Head office");
  expect((await listTasks(ina, ids.plan)).find(({ id }) => id === write?.id)?.doneBy).toBe("Ina Torvald");
  const tried = (computer: string, result: "started" | "failed") =>
    recordDrill(ina, { medium: "FA-02", computer, on: "2026-03-01", result });
  value(await tried("HO-001", "failed"));
  expect(await left()).toEqual(["buy", "drill", "drill"]);
  value(await tried("HO-001", "started"));
  value(await tried("HO-002", "started"));
  expect(await left()).toEqual(["buy"]);
});
