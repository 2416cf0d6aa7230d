import { factsSchema } from "@/core/computer/facts/schema";
import { USUAL_SETTINGS } from "@/core/cover/result";
import { inspect } from "@/core/medium/inspection/inspect";
import { dueReasonText } from "@/core/words/upkeep";
import { factsOf, MACHINES } from "../../../scripts/demo/skerry-line";
import { smallRelease, testBench } from "../../../test/support/bench";
import { testInventory, value } from "../../../test/support/database";
import { doJobs } from "../../../test/support/jobs";
import { memory } from "../../../test/support/workshop";
import { recordImage } from "../images/images";
import { addComputer } from "../inventory/computers";
import { saveRule } from "../inventory/policies";
import { addSite } from "../inventory/sites";
import { addMedium } from "../media/media";
import { aheadView } from "../upkeep/ahead";
import { everythingDue } from "../upkeep/due";
import { getPlan, startPlan } from "./plans";
import { coverView } from "./view";

// An image older than the policy allows counts for nothing, and its day is known beforehand.
const inventory = testInventory();
const { w, release } = testBench(inventory);

const at = (day: string) => {
  inventory.clock.now = new Date(`${day}T09:00:00Z`);
};
const body = {
  ...{ make: "Ostrel", model: "Block 3", kit: "Spindle", kitVersion: "3.0", mode: "uefi", diskBytes: 1e9 },
  ...{ sectorBytes: 512, encrypted: false, keyPlace: null, kind: "full", parent: null },
  ...{ verified: { on: "2026-03-01", whole: true }, places: [{ on: "medium", tag: "SP-1" }] },
  partitions: [
    { role: "esp", active: false },
    { role: "system", active: false },
  ],
};

beforeAll(async () => {
  at("2026-03-02");
  const { ina } = inventory;
  const spindle = await release(smallRelease(w, "SPINDLE", ["x64"]), "Spindle", "3.0", ["put-back-images"]);
  const siteId = value(await addSite(ina, { name: "Head office" }));
  const index = MACHINES.findIndex(({ tag }) => tag === "HO-001");
  const read = factsSchema.parse(factsOf(MACHINES[index] as (typeof MACHINES)[number], index));
  const off = { state: "off", pk: null, kek: null, db: null, dbx: null, sbatLevel: null } as const;
  const { make, model } = body;
  const facts = {
    ...read,
    computer: { ...read.computer, make, model },
    firmware: { ...read.firmware, kind: "uefi" as const, arch: "x64" as const, secureBoot: off },
  };
  value(await addComputer(ina, { tag: "HO-001", name: null, siteId, note: null, facts }));
  // Its loader on a FAT volume, where a computer looks for it.
  const stick = w.fat("spindle.img", 20, 16, { "EFI/BOOT/BOOTX64.EFI": w.efi("x64") });
  const { inspection } = await inspect(memory(stick), { name: "spindle.img" });
  const medium = { name: null, kind: "usb", lentTo: null, note: null, capacityBytes: 16e9, condition: "good" };
  value(await addMedium(ina, { ...medium, tag: "SP-1", siteId, releaseIds: [spindle] }, inspection));
  const image = { name: "HO-001 a", computer: "HO-001", takenAt: "2026-03-01T18:00:00Z" };
  value(await recordImage(ina, { ...image, body }));
  const asked = { back: 0, files: 0, image: 1, spares: 0, imageDays: 60, proof: "none", factsDays: null } as const;
  value(await saveRule(ina, { scope: "everywhere", target: "", values: asked }, null));
});

const met = async () => (await coverView(inventory.ina, { site: null, need: null, page: 1 })).met;
const due = async () => (await everythingDue(inventory.ina)).filter(({ kind }) => kind === "image");

test("an image counts for as many days as the policy says, and the day on which it ends is told before", async () => {
  expect(await met()).toBe(1);
  const [ahead, ...more] = await due();
  expect(more).toEqual([]);
  expect(ahead).toMatchObject({ computer: "HO-001", breaksOn: "2026-05-01", loses: { tags: ["HO-001"] } });
  expect(dueReasonText(ahead?.reason as never)).toBe("Its newest image expires on 1 May 2026.");
  const view = await aheadView(inventory.ina, { day: "2026-05-01", site: null, cause: null });
  expect(view.byCause.map(({ cause }) => cause)).toEqual(["image"]);
  expect(view.chosen?.computers).toMatchObject([{ tag: "HO-001", from: "2026-05-01" }]);
  // The sixtieth day after the first of March.
  at("2026-04-30");
  expect(await met()).toBe(1);
  at("2026-05-01");
  expect(await met()).toBe(0);
  const { lacking } = await coverView(inventory.ina, { site: null, need: "image", page: 1 });
  expect(lacking).toMatchObject([{ tag: "HO-001", needs: [{ have: [], oldImage: "2026-03-01" }] }]);
});

test("once it is too old no medium mends that: it is due once, and a plan says what would", async () => {
  const items = await due();
  expect(items).toHaveLength(1);
  expect(dueReasonText(items[0]?.reason as never)).toBe("Newest image: 61 days old.");
  const id = value(await startPlan(inventory.ina, { name: "", settings: USUAL_SETTINGS }));
  await doJobs(inventory.ina);
  const plan = await getPlan(inventory.ina, id);
  expect(plan?.result?.lacks).toMatchObject([
    {
      ...{ need: "image", computers: { tags: ["HO-001"] } },
      why: [{ code: "image-too-old", on: "2026-03-01", mostDays: 60 }],
    },
  ]);
});

test("a new image, or a policy that asks for none so young, and it is met again", async () => {
  const { ina } = inventory;
  value(await recordImage(ina, { name: "HO-001 b", computer: "HO-001", takenAt: "2026-05-01T07:00:00Z", body }));
  expect(await met()).toBe(1);
  expect(await due()).toEqual([]);
  // Sixty days before its day it is told.
  at("2026-05-02");
  expect((await due()).map(({ breaksOn }) => breaksOn)).toEqual(["2026-07-01"]);
  at("2027-05-01");
  expect(await met()).toBe(0);
  value(await saveRule(ina, { scope: "computer", target: "HO-001", values: { imageDays: null } }, null));
  expect(await met()).toBe(1);
});
