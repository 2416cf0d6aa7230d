import { copyFileSync, readFileSync } from "node:fs";
import { eq } from "drizzle-orm";
import { factsSchema } from "@/core/computer/facts/schema";
import { judgePair, surroundingsOf } from "@/core/fleet/judge";
import { packHeadSchema } from "@/core/making/pack/pack";
import { factsOf, MACHINES } from "../../../scripts/demo/skerry-line";
import { run } from "../../../scripts/media/workshop";
import { MIB, type Stick, smallRelease, testBench } from "../../../test/support/bench";
import { testInventory, value } from "../../../test/support/database";
import { problemText } from "../../core/words/problems";
import type { Context } from "../context";
import { computers, devices, imageCopies, kits, loads, media, releases, systemImages } from "../db/schema";
import { contentPath } from "../devices/simulated";
import { fleet } from "../fleet/fleet";
import { listStores } from "../images/stores";
import { addComputer } from "../inventory/computers";
import { getMedium, mediumInputOf, saveMedium } from "../media/media";
import { getJob, startCheck } from "./jobs";
import { planInBerth } from "./plans";
import { registerFromBerth } from "./register-found";
import { takeInFromBerth } from "./take-in";

// Media with two releases, as the simulated bench makes them; which one starts where: core/making/planning/several.test.ts.
const inventory = testInventory();
const other = testInventory();
const { w, folderOf, stick, release, begin, work, job } = testBench(inventory);
const ids = { wide: 0, narrow: 0, none: 0 };
let own: Stick;

beforeAll(async () => {
  ids.wide = await release(smallRelease(w, "WIDE", ["x64"]), "Fathom", "1.0", ["file-rescue"]);
  ids.narrow = await release(smallRelease(w, "NARROW", ["ia32"]), "Painter", "2.0", ["start-up-repair"]);
  ids.none = await release(smallRelease(w, "NONE", ["x64"]), "Hawser", "3.0", ["file-rescue"]);
  for (const [tag, arch] of [
    ["HO-001", "x64"],
    ["HO-002", "ia32"],
  ] as const) {
    const at = MACHINES.findIndex((machine) => machine.tag === "HO-001");
    const facts = factsSchema.parse(factsOf(MACHINES[at] as (typeof MACHINES)[number], at));
    const firmware = { ...facts.firmware, kind: "uefi" as const, arch, secureBoot: null, legacyMode: "off" as const };
    const off = {
      ...firmware,
      secureBoot: { state: "off" as const, pk: null, kek: null, db: null, dbx: null, sbatLevel: null },
    };
    value(
      await addComputer(inventory.ina, {
        tag,
        name: null,
        siteId: null,
        note: null,
        facts: { ...facts, firmware: off },
      }),
    );
  }
});

const wishFor = (stickOf: Stick, besideIds: number[]) => ({
  ...{ berthId: stickOf.berthId, releaseId: ids.wide, besideIds, tag: "RM-70", files: [] },
  ...{ way: "laid-out" as const, table: "gpt" as const, store: false },
});

test("two releases are made into one medium, and each computer is served by the one that it comes to", async () => {
  own = await stick("two", { bytes: 300 * MIB });
  const plan = value(await planInBerth(inventory.ina, wishFor(own, [ids.narrow])));
  expect(plan.beside).toEqual(["Painter 2.0"]);
  const id = value(await begin(own, { releaseId: ids.wide, besideIds: [ids.narrow], tag: "RM-70" }));
  await work();
  expect(await job(id)).toMatchObject({ state: "done", result: { state: "verified" } });
  expect((await getJob(inventory.ina, id))?.release).toBe("Fathom 1.0 and Painter 2.0");
  const medium = await getMedium(inventory.ina, "RM-70");
  expect(medium?.loads.map(({ kitName }) => kitName)).toEqual(["Fathom", "Painter"]);
  const { world, computers } = await fleet(inventory.ina);
  const made = world.media.find(({ part }) => part.tag === "RM-70");
  if (!made) throw new Error("RM-70 is not there");
  const around = surroundingsOf(world);
  const given = computers.map((computer) => [
    computer.tag,
    judgePair(around, computer, made).map((route) => route.release),
  ]);
  expect(given).toEqual([
    ["HO-001", ["Fathom 1.0"]],
    ["HO-002", ["Painter 2.0"]],
  ]);
});

test("an edit leaves each where it stands, and a release taken off takes its place with it", async () => {
  const medium = await getMedium(inventory.ina, "RM-70");
  if (!medium) throw new Error("RM-70 is not there");
  const places = () =>
    inventory.ina.db
      .select({ part: loads.part })
      .from(loads)
      .where(eq(loads.mediumId, medium.row.id))
      .orderBy(loads.id);
  const before = await places();
  expect(before.map(({ part }) => part?.startedBy)).toEqual([["x64"], ["ia32"]]);
  const input = { ...mediumInputOf(medium), note: "In the drawer by the door." };
  const version = value(await saveMedium(inventory.ina, medium.row.id, medium.row.version, input));
  expect(await places()).toEqual(before);
  const fewer = { ...input, releaseIds: [ids.wide] };
  const next = value(await saveMedium(inventory.ina, medium.row.id, version, fewer));
  expect(await places()).toEqual(before.slice(0, 1));
  // Read again as something else, it stands nowhere that is known.
  const whole = { ...(medium.inspection as object), partitions: [] };
  const last = value(await saveMedium(inventory.ina, medium.row.id, next, { ...fewer, note: "Read again." }, whole));
  expect(await places()).toEqual([{ part: null }]);
  const both = { ...input, releaseIds: [ids.wide, ids.narrow] };
  value(await saveMedium(inventory.ina, medium.row.id, last, both, medium.inspection));
});

test("all of them are verified, and damage to the second is named", async () => {
  const again = value(await begin(own, { releaseId: ids.wide, besideIds: [ids.narrow], tag: "RM-70" }));
  await work();
  expect(await job(again)).toMatchObject({ state: "done" });
  const whole = value(await startCheck(inventory.ina, own.berthId, { kind: "verify" }, ""));
  await work();
  expect(await job(whole)).toMatchObject({ state: "done", result: { state: "compared", same: true } });
  const content = contentPath(folderOf("two"));
  const bytes = readFileSync(content);
  const loader = readFileSync(w.efi("ia32"));
  const at = bytes.indexOf(loader.subarray(0, 4096));
  expect(at).toBeGreaterThan(0);
  w.put(content, at + 2000, new Uint8Array(64).fill(0xa5));
  const damaged = value(await startCheck(inventory.ina, own.berthId, { kind: "verify" }, ""));
  await work();
  const { state, result } = await job(damaged);
  expect([state, result]).toMatchObject(["failed", { state: "compared", same: false }]);
  expect(JSON.stringify(result)).toContain("BOOTIA32.EFI");
  expect((await getMedium(inventory.ina, "RM-70"))?.row.verifiedWhole).toBe(false);
});

test("a release that no computer would come to is refused with its name, and one that is not there as well", async () => {
  const other = await stick("three", { bytes: 300 * MIB });
  const plan = value(await planInBerth(inventory.ina, wishFor(other, [ids.none])));
  expect(plan.plan).toMatchObject({ ok: false, problems: [{ code: "nothing-starts-it", release: "Hawser 3.0" }] });
  const twice = await planInBerth(inventory.ina, wishFor(other, [ids.wide]));
  expect(twice.ok ? "" : problemText(twice.problem)).toContain("already on the medium");
  expect(await planInBerth(inventory.ina, wishFor(other, [9999]))).toMatchObject({ problem: { code: "not-found" } });
  const [row] = await inventory.ina.db.select().from(devices).where(eq(devices.id, other.deviceId));
  expect(row?.timesWritten).toBe(0);
});

test("an empty inventory is rebuilt from the medium with all its releases, each where it stands", async () => {
  await begin(own, { releaseId: ids.wide, besideIds: [ids.narrow], store: true, tag: "RM-70" });
  await work();
  // The room for images is a store from then on.
  const [store] = await listStores(inventory.ina);
  expect(store).toMatchObject({ medium: "RM-70", row: { name: "RM-70 store", kind: "medium", retiredAt: null } });
  expect(store?.row.freeBytes).toBeGreaterThan(0);
  // An image is kept there; whoever writes the medium again takes it away, and that is known.
  const { db } = inventory.ina;
  const [computer] = await db.select({ id: computers.id }).from(computers);
  const times = { createdAt: inventory.ina.now(), updatedAt: inventory.ina.now() };
  const body = { kind: "full", places: [] } as never;
  const image = { name: "kept there", computerId: computer?.id ?? 0, takenAt: inventory.ina.now(), body, ...times };
  const [imageRow] = await db.insert(systemImages).values(image).$returningId();
  await db.insert(imageCopies).values({ imageId: imageRow?.id ?? 0, storeId: store?.row.id ?? 0, files: [], ...times });
  await begin(own, { releaseId: ids.wide, besideIds: [ids.narrow], store: true, tag: "RM-70", lossAgreed: true });
  await work();
  expect(await db.select({ state: imageCopies.state }).from(imageCopies)).toEqual([{ state: "missing" }]);
  expect((await listStores(inventory.ina)).length).toBe(1);
  const empty = other.ina;
  const copy = await stick("two-copy", { bytes: 300 * MIB }, {}, empty);
  copyFileSync(contentPath(folderOf("two")), contentPath(folderOf("two-copy")));
  const taken = value(await takeInFromBerth(empty, copy.berthId));
  expect(taken).toMatchObject({ medium: { tag: "RM-70", state: "added" }, release: { text: "Fathom 1.0" } });
  const placesIn = async ({ db }: Context) => {
    const rows = await db
      .select({ kit: kits.name, part: loads.part, read: releases.inspectionId })
      .from(loads)
      .innerJoin(releases, eq(releases.id, loads.releaseId))
      .innerJoin(kits, eq(kits.id, releases.kitId))
      .innerJoin(media, eq(media.id, loads.mediumId))
      .where(eq(media.tag, "RM-70"))
      .orderBy(loads.id);
    return rows.map(({ read, ...row }) => ({ ...row, isRead: read !== null }));
  };
  const [here, there] = [await placesIn(inventory.ina), await placesIn(empty)];
  expect(there.map(({ kit, part }) => ({ kit, part }))).toEqual(here.map(({ kit, part }) => ({ kit, part })));
  // Only what was read of the first is on the medium.
  expect(there.map(({ isRead }) => isRead)).toEqual([true, false]);
});

test("what an old pack does not say is taken as it was: one release, the medium to itself", async () => {
  const alone = await stick("alone", { bytes: 300 * MIB });
  value(await begin(alone, { releaseId: ids.wide, tag: "RM-71" }));
  await work();
  const image = contentPath(folderOf("alone"));
  const head = JSON.parse(run("mtype", ["-i", `${image}@@1M`, "::/CREEL/pack.json"]));
  expect(head).toMatchObject({ release: { kit: "Fathom" }, beside: [] });
  const { beside: _beside, ...old } = head;
  expect(packHeadSchema.parse(old)).toMatchObject({ beside: [] });
  expect(packHeadSchema.safeParse({ ...old, beside: [head.release, head.release, head.release] }).success).toBe(false);
});

test("a stick that came from elsewhere is registered as it is, and recognised as its release", async () => {
  const image = (name: string, label: string) => {
    const files = { "EFI/BOOT/BOOTX64.EFI": w.efi("x64"), "NOTES.TXT": w.efi("ia32") };
    const esp = w.fat(`${name}.fat`, 34, 32, files, ["-s", "1", "-n", label]);
    return w.gpt(`${name}.img`, 40, ["-n", "1:2048:+34M", "-t", "1:ef00"], { 1: esp });
  };
  const file = image("cutter", "CUTTER");
  const cutter = await release(file, "Cutter", "1.0", ["file-rescue"]);
  await release(image("wherry", "WHERRY"), "Wherry", "1.0", ["file-rescue"]);
  const found = await stick("foreign", { bytes: 100 * MIB });
  copyFileSync(file, contentPath(folderOf("foreign")));
  const register = (tag: string) => registerFromBerth(inventory.ina, found.berthId, { tag });
  expect(await register(" ")).toMatchObject({ ok: false });
  expect(value(await register("RM-90"))).toEqual({ tag: "RM-90", release: "Cutter 1.0" });
  const medium = await getMedium(inventory.ina, "RM-90");
  expect(medium).toMatchObject({ row: { kind: "usb", capacityBytes: 100 * MIB }, loads: [{ releaseId: cutter }] });
  expect(medium?.inspection?.partitions[0]?.label).toBe("CUTTER");
  // The device is that medium from then on.
  const again = await register("RM-91");
  expect(again.ok ? "" : problemText(again.problem)).toBe("This device is RM-90 already.");
});
