import { randomUUID } from "node:crypto";
import { factsSchema } from "@/core/computer/facts/schema";
import { inspect } from "@/core/medium/inspection/inspect";
import { IMAGES } from "../../../scripts/demo/images";
import { factsOf, MACHINES } from "../../../scripts/demo/skerry-line";
import { run } from "../../../scripts/media/workshop";
import { testInventory, value } from "../../../test/support/database";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { problemText } from "../../core/words/problems";
import { drillsOf } from "../drills/drills";
import { reportPdf } from "../host/report-pdf";
import { recordImage } from "../images/images";
import { keepContents } from "../inspections/contents";
import { addComputer } from "../inventory/computers";
import { history } from "../inventory/events";
import { keyCardOf, listModels, saveKeyCard } from "../inventory/key-cards";
import { addSite } from "../inventory/sites";
import { addMedium } from "../media/media";
import { addKit, addRelease } from "../media/releases";
import type { Result } from "../problems";
import { marksOf, photoOf, takeMarks } from "./callout-marks";
import {
  chooseRoute,
  closeCallout,
  getCallout,
  listCallouts,
  offersOf,
  openCallout,
  replacementOf,
  setNewComputer,
  setNewDisk,
  stepsOf,
} from "./callouts";

const inventory = testInventory();
const w = tempWorkshop();
const ids = { callout: 0, computer: 0 };

const refusal = <T>(result: Result<T>) => (result.ok ? "" : problemText(result.problem));
const detail = async (id = ids.callout) => {
  const found = await getCallout(inventory.ina, id);
  if (!found) throw new Error("no call-out");
  return found;
};

beforeAll(async () => {
  const { ina } = inventory;
  const siteId = value(await addSite(ina, { name: "Head office" }));
  const at = MACHINES.findIndex(({ tag }) => tag === "HO-001");
  const facts = factsSchema.parse(factsOf(MACHINES[at] as (typeof MACHINES)[number], at));
  ids.computer = value(await addComputer(ina, { tag: "HO-001", name: "Reception", siteId, note: null, facts }));
  const file = IMAGES.spindle3.make(w);
  const { inspection, drivers } = await inspect(memory(file), { name: "spindle.img", depth: "deep" });
  const inspectionId = value(await keepContents(ina, { inspection, drivers, listing: null }));
  const kitId = value(await addKit(ina, { name: "Spindle", family: "Linux" }));
  const can = { purposes: ["put-back-images", "start-up-repair"], opens: [], abilities: [] };
  const release = value(await addRelease(ina, { kitId, name: "3.0", madeOn: "2026-01-01", facts: can, inspectionId }));
  const medium = {
    tag: "SP-01",
    name: null,
    kind: "disk",
    capacityBytes: 2e12,
    siteId,
    lentTo: null,
    note: null,
    condition: "good",
  };
  value(await addMedium(ina, { ...medium, releaseIds: [release] }, inspection));
  for (const day of ["2026-01-10", "2026-02-10"]) {
    const { make, model } = facts.computer;
    const body = {
      ...{ make, model, kit: "Spindle", kitVersion: "3.0", mode: "uefi", diskBytes: 500_107_862_016, sectorBytes: 512 },
      ...{
        partitions: [
          { role: "esp", active: false },
          { role: "system", active: false },
        ],
        encrypted: false,
        keyPlace: null,
      },
      ...{ kind: "full", parent: null, verified: { on: day, whole: true }, places: [{ on: "medium", tag: "SP-01" }] },
    };
    value(await recordImage(ina, { name: `HO-001 ${day}`, computer: "HO-001", takenAt: `${day}T18:00:00Z`, body }));
  }
});

test("a call-out is opened for a computer that is known, with a day that is one", async () => {
  expect(refusal(await openCallout(inventory.ina, { computer: "XX-1", happening: "malware" }))).toContain("XX-1");
  expect(refusal(await openCallout(inventory.ina, { computer: "HO-001", happening: "bored" }))).toContain(
    "What happened?",
  );
  expect(
    refusal(await openCallout(inventory.ina, { computer: "HO-001", happening: "malware", since: "2026-02-30" })),
  ).toContain("A day is");
  // Its name does as well as its tag.
  ids.callout = value(
    await openCallout(inventory.ina, { computer: "reception", happening: "malware", since: "2026-02-01" }),
  );
  expect((await listCallouts(inventory.ina, "open")).map(({ computer }) => computer)).toEqual(["HO-001"]);
});

test("offered are images from before the fault, and no repair of what may be infected", async () => {
  const { offers, passedOver } = await offersOf(inventory.ina, await detail());
  expect(offers.map(({ route, outcome, image }) => [route.medium, outcome, image])).toEqual([
    ["SP-01", "image", "HO-001 2026-01-10"],
    ["SP-01", "image-files", "HO-001 2026-01-10"],
  ]);
  expect(passedOver).toMatchObject([{ image: "HO-001 2026-02-10", why: "after-the-fault" }]);
});

test("what is chosen must be offered; its steps stay what they were made of", async () => {
  const wanted = { medium: "SP-01", outcome: "image", release: "Spindle 3.0" };
  expect(refusal(await chooseRoute(inventory.ina, ids.callout, { ...wanted, image: "HO-001 2026-02-10" }))).toContain(
    "no longer offered",
  );
  value(await chooseRoute(inventory.ina, ids.callout, { ...wanted, image: "HO-001 2026-01-10" }));
  const steps = await stepsOf(inventory.ina, await detail());
  expect(steps?.map(({ step }) => step.code)).toEqual(
    expect.arrayContaining(["fetch", "choose-image", "choose-target", "put-back"]),
  );
  expect(steps?.find(({ step }) => step.code === "choose-image")?.step).toMatchObject({
    image: { name: "HO-001 2026-01-10" },
  });
});

test("a smaller disk takes no image of the old one, and another way has to be chosen", async () => {
  expect(refusal(await setNewDisk(inventory.ina, ids.callout, { bytes: -1, sectorBytes: 512, bus: null }))).not.toBe(
    "",
  );
  value(await setNewDisk(inventory.ina, ids.callout, { bytes: 480e9, sectorBytes: 512, bus: "sata" }));
  expect(await replacementOf(inventory.ina, await detail())).toMatchObject({
    largest: null,
    fits: [{ fit: { state: "too-small" } }, { fit: { state: "too-small" } }],
    shrinking: { stillLackingBytes: expect.any(Number) },
  });
  // Files can be had of both all the same.
  const left = (await offersOf(inventory.ina, await detail())).offers.map(({ outcome }) => outcome);
  expect(new Set(left)).toEqual(new Set(["image-files"]));
  expect((await detail()).row.chosen).toBeNull();
  value(await setNewDisk(inventory.ina, ids.callout, null));
  value(
    await chooseRoute(inventory.ina, ids.callout, {
      medium: "SP-01",
      outcome: "image",
      release: "Spindle 3.0",
      image: "HO-001 2026-01-10",
    }),
  );
});

test("another computer of the same model takes the images of the old one, another model does not", async () => {
  const id = value(await openCallout(inventory.ina, { computer: "HO-001", happening: "new-computer" }));
  const { computer } = await detail(id);
  const { facts } = computer;
  const like = (tag: string, model: string) => ({
    ...{ tag, name: null, siteId: computer.row.siteId, note: null },
    facts: { ...facts, computer: { ...facts.computer, tag, serial: null, model } },
  });
  value(await addComputer(inventory.ina, like("HO-101", facts.computer.model ?? "")));
  value(await addComputer(inventory.ina, like("HO-102", "Another 9")));
  expect(refusal(await setNewComputer(inventory.ina, id, "HO-001"))).toContain("the computer itself");
  expect(refusal(await setNewComputer(inventory.ina, id, "HO-999"))).toContain("HO-999");
  value(await setNewComputer(inventory.ina, id, "HO-101"));
  const images = async () =>
    (await offersOf(inventory.ina, await detail(id))).offers.flatMap(({ image, outcome }) =>
      outcome === "image" ? (image ?? []) : [],
    );
  expect(await images()).toEqual(["HO-001 2026-02-10", "HO-001 2026-01-10"]);
  value(await setNewComputer(inventory.ina, id, "HO-102"));
  expect(await images()).toEqual([]);
  value(await closeCallout(inventory.ina, id, { cameBack: "not-back", failed: null, lost: null, mediumWorked: null }));
});

test("marks are taken in once, in whatever order they come and however often they are sent", async () => {
  const mark = (step: string, minute: number, more: object = {}) => ({
    id: randomUUID(),
    step,
    kind: "done",
    at: `2026-03-01T08:${String(minute).padStart(2, "0")}:00Z`,
    ...more,
  });
  const late = mark("power", 5);
  const early = mark("fetch", 1);
  const photo = mark("start", 3, {
    kind: "photo",
    photo: Buffer.from([1, 2, 3]).toString("base64"),
    photoType: "image/png",
  });
  expect(value(await takeMarks(inventory.ina, ids.callout, [late, photo]))).toBe(2);
  const both = await Promise.all([
    takeMarks(inventory.ina, ids.callout, [early, late]),
    takeMarks(inventory.col, ids.callout, [early, late]),
  ]);
  expect(both.every(({ ok }) => ok)).toBe(true);
  expect((await marksOf(inventory.ina, ids.callout)).map(({ step }) => step)).toEqual(["fetch", "start", "power"]);
  expect(await photoOf(inventory.ina, ids.callout, photo.id)).toMatchObject({ type: "image/png" });
  expect(refusal(await takeMarks(inventory.ina, ids.callout, [{ ...early, kind: "maybe" }]))).not.toBe("");
  expect(refusal(await takeMarks(inventory.ina, 99_999, [early]))).toContain("call-out");
});

test("closed with how it ended it proves the medium, and teaches how long it takes", async () => {
  inventory.clock.now = new Date("2026-03-01T09:00:00Z");
  const outcome = { cameBack: "image", failed: null, lost: "forms", mediumWorked: true };
  value(await closeCallout(inventory.ina, ids.callout, outcome));
  expect(refusal(await closeCallout(inventory.ina, ids.callout, outcome))).toContain("is closed");
  expect(await drillsOf(inventory.ina, { computerId: ids.computer })).toMatchObject([
    { medium: "SP-01", result: "restored", on: "2026-03-01" },
  ]);
  expect((await history(inventory.ina, "call-out", ids.callout)).length).toBeGreaterThan(3);
  const { make, model } = (await detail(ids.callout)).computer.row;
  const started = async () => (await listModels(inventory.ina)).find((each) => each.model === model)?.lastStart;
  expect(await started()).toEqual({ on: "2026-03-01", computer: "HO-001", isWithThisCard: false });
  const card = { make, model, setup: "F2", startMenu: "F12", save: "F10", quirks: null };
  const cardAt = (on: string) => ({ ...inventory.ina, now: () => new Date(`${on}T10:00:00Z`) });
  value(await saveKeyCard(cardAt("2026-02-28"), null, card));
  expect(await started()).toMatchObject({ isWithThisCard: true });
  const { id: cardId, version } = (await keyCardOf(inventory.ina, make, model)) ?? { id: 0, version: 0 };
  value(await saveKeyCard(cardAt("2026-03-01"), { id: cardId, version }, { ...card, startMenu: "F9" }));
  expect(await started()).toMatchObject({ isWithThisCard: false });
  for (let more = 0; more < 2; more++) {
    const id = value(await openCallout(inventory.ina, { computer: "HO-001", happening: "disk-gone" }));
    inventory.clock.now = new Date(inventory.clock.now.getTime() + 40 * 60_000);
    value(await closeCallout(inventory.ina, id, { ...outcome, mediumWorked: null }));
  }
  const id = value(await openCallout(inventory.ina, { computer: "HO-001", happening: "disk-gone" }));
  const [best] = (await offersOf(inventory.ina, await detail(id))).offers;
  // Three of the past: 40, 40 and, from the tick of fetching on, 59 minutes; fetching comes to it.
  expect([best?.seconds.low, best?.seconds.high]).toEqual([40 * 60 + 120, 59 * 60 + 900]);
  inventory.clock.now = new Date("2026-03-01T08:00:00Z");
});

test("a disk that was fitted is not recorded as empty once something came back on it", async () => {
  const before = (await detail()).computer.facts.disks?.[0];
  const fitted = { model: "Tallin 1", serial: "T-1" };
  const close = async (cameBack: string) => {
    const id = value(await openCallout(inventory.ina, { computer: "HO-001", happening: "new-disk" }));
    value(await setNewDisk(inventory.ina, id, { bytes: 4e12, sectorBytes: 512, bus: "sata" }));
    value(await closeCallout(inventory.ina, id, { cameBack, failed: null, lost: null, mediumWorked: null, fitted }));
    return (await detail(id)).computer.facts.disks?.[0];
  };
  expect(before?.partitions.length).toBeGreaterThan(1);
  expect(await close("copy")).toMatchObject({ serial: "T-1", bytes: 4e12, partitions: before?.partitions });
  expect(await close("image")).toMatchObject({ partitions: [], blank: null });
  expect(await close("not-back")).toMatchObject({ partitions: [], blank: true });
});

// Reference: pdftotext (Poppler).
test("a report is a PDF that says what it was given, over several pages", async () => {
  const lines = Array.from({ length: 90 }, (_, at) => ({
    kind: "line" as const,
    text: `Line ${at}: ${"word ".repeat(at % 25)}`,
  }));
  const pdf = await reportPdf("Call-out HO-001", [
    { kind: "title", text: "Call-out: HO-001 → é" },
    ...lines,
    { kind: "picture", bytes: new Uint8Array(9), type: "image/png" },
  ]);
  const { writeFileSync } = await import("node:fs");
  writeFileSync(w.path("r.pdf"), pdf);
  const told = run("pdftotext", ["-layout", w.path("r.pdf"), "-"]);
  expect(told).toContain("Call-out: HO-001 ? é");
  expect(told.match(/Line \d+:/g)).toHaveLength(90);
  expect(run("pdfinfo", [w.path("r.pdf")])).toMatch(/Pages:\s+[2-9]/);
});
