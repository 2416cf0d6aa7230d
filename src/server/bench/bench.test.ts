import { spawnSync } from "node:child_process";
import { copyFileSync, mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { open } from "node:fs/promises";
import { basename, join } from "node:path";
import { eq } from "drizzle-orm";
import { readLine } from "@/core/computer/exchange/lines";
import { factsSchema } from "@/core/computer/facts/schema";
import { openPath } from "@/core/formats/file-tree";
import { dayOf } from "@/core/kernel/days";
import { inspect } from "@/core/medium/inspection/inspect";
import { startPathsOf } from "@/core/medium/inspection/start-paths";
import { volumesOf } from "@/core/medium/volumes/volumes";
import { readWorld } from "@/core/world/read";
import { IMAGES } from "../../../scripts/demo/images";
import { factsOf, MACHINES } from "../../../scripts/demo/skerry-line";
import { run } from "../../../scripts/media/workshop";
import { MIB, type Stick, smallRelease, testBench } from "../../../test/support/bench";
import { testInventory, value } from "../../../test/support/database";
import { memory } from "../../../test/support/workshop";
import { problemText } from "../../core/words/problems";
import type { Context } from "../context";
import { connect } from "../db/client";
import { benchJobs, devices, media, stores } from "../db/schema";
import { contentPath, type Simulated, saveSimulated } from "../devices/simulated";
import { recordDrill } from "../drills/drills";
import { worldText } from "../fleet/export-world";
import { fleet } from "../fleet/fleet";
import { FileSource } from "../host/file-source";
import { recordImage } from "../images/images";
import { keepContents, readManifest } from "../inspections/contents";
import { addComputer, getComputer } from "../inventory/computers";
import { history } from "../inventory/events";
import { addSite } from "../inventory/sites";
import { addMedium, getMedium, mediumInputOf, saveMedium } from "../media/media";
import { addKit, addRelease, getRelease, listReleases } from "../media/releases";
import { fillBerth, listBerths, listDevices, looseDevices } from "./berths";
import { carriableFiles } from "./carry";
import { FAULTS, switchFault } from "./faults";
import { askOf, getJob, resume, type StartInput, startCheck, startStore } from "./jobs";
import { openMediumFile } from "./medium-file";
import { planInBerth } from "./plans";
import { proposeFor } from "./proposals";
import { BenchRunner, markInterrupted } from "./runner";
import { takeInFromBerth } from "./take-in";
import { importWorld } from "./world-import";

const inventory = testInventory();
const other = testInventory();
const bench = testBench(inventory);
const { w, folderOf, stick, work, job } = bench;
const ids = { release: 0, berth: 0, other: 0 };

const OTHER_DRIVER = {
  kind: "inf" as const,
  path: "/d/other.inf",
  kernel: null,
  arch: null,
  drivers: { "other.inf": ["PCI\\VEN_1234&DEV_0001"] },
};

function begin(own: Stick, tag: string, more: Partial<StartInput> = {}) {
  return bench.begin(own, { releaseId: ids.release, tag, ...more });
}

beforeAll(async () => {
  ids.release = await bench.release(IMAGES.bollard5.make(w), "Bollard", "5.0", ["file-rescue"]);
  const at = MACHINES.findIndex(({ tag }) => tag === "HO-001");
  const facts1 = factsSchema.parse(factsOf(MACHINES[at] as (typeof MACHINES)[number], at));
  value(await addComputer(inventory.ina, { tag: "HO-001", name: null, siteId: null, note: null, facts: facts1 }));
});

test("from a plan to a medium that is verified, recorded and dated; the log says each step", async () => {
  const own = await stick("a");
  const id = value(await begin(own, "RM-90"));
  await work();
  const done = await job(id);
  expect(done).toMatchObject({ state: "done", result: { state: "verified", viewsAsPredicted: true } });
  expect(done.codes).toEqual([
    ...["started", "device-open", "device-is-no-store", "plan", "written", "flushed", "read-back", "inspected"],
    ...["as-predicted", "recorded", "ended"],
  ]);
  const medium = await getMedium(inventory.ina, "RM-90");
  const today = dayOf(inventory.ina.now());
  expect(medium?.row).toMatchObject({ kind: "usb", writtenOn: today, verifiedOn: today, verifiedWhole: true });
  expect(medium?.loads.map(({ kitName }) => kitName)).toEqual(["Bollard"]);
  const paths = medium?.inspection ? startPathsOf(medium.inspection) : [];
  expect(paths.some(({ firmware, arch }) => firmware === "uefi" && arch === "x64")).toBe(true);
  const [device] = await inventory.ina.db.select().from(devices).where(eq(devices.id, own.deviceId));
  expect(device).toMatchObject({ timesWritten: 1, mediumId: medium?.row.id, writeRate: expect.any(Number) });
  expect((await history(inventory.ina, "medium", medium?.row.id ?? 0)).map(({ action }) => action)).toEqual(["added"]);
  const berth = (await listBerths(inventory.ina)).find((each) => each.id === own.berthId);
  expect(berth?.device).toMatchObject({ medium: { tag: "RM-90" }, look: { fault: null } });
  ids.berth = own.berthId;
});

test("it carries what explains it: run sheets of those it serves, their records, and sums that sha256sum accepts", async () => {
  const image = contentPath(folderOf("a"));
  run("sh", ["-c", `mkdir ${w.folder}/out && mcopy -s -i ${image}@@1M ::/ ${w.folder}/out/`]);
  const told = run("sh", ["-c", `cd ${w.folder}/out && sha256sum -c CREEL/SHA256SUMS`]);
  expect(told).not.toContain("FAILED");
  expect(told).toContain("isolinux/isolinux.cfg: OK");
  const read = (path: string) => readFileSync(join(w.folder, "out", "CREEL", path), "utf8");
  expect(read("about.html")).toContain("HO-001");
  expect(read("sheets/HO-001.html")).toContain("Recover ");
  expect(readLine(read("records.jsonl").trim())).toMatchObject({ ok: true, record: { tag: "HO-001" } });
  expect(JSON.parse(read("pack.json"))).toMatchObject({
    medium: { tag: "RM-90" },
    release: { kit: "Bollard", name: "5.0" },
  });
});

test("a medium as a file, to be written later: a table and files that other tools read, as small as it can be", async () => {
  const { ina } = inventory;
  const wish = { releaseId: ids.release, besideIds: [], table: "gpt", store: false, tag: "RM-F1", files: [] } as const;
  const copy = async (way: "laid-out" | "as-it-is", bytes: number | null) => {
    const { name, source, close } = value(await openMediumFile(ina, { ...wish, way }, bytes));
    const path = join(w.folder, name);
    const file = await open(path, "w");
    for (let at = 0; at < source.sizeBytes; at += MIB) await file.write(await source.read(at, MIB), 0, undefined, at);
    await file.close();
    await close();
    return { path, bytes: source.sizeBytes };
  };
  const small = await copy("laid-out", null);
  expect(run("sgdisk", ["-v", small.path])).toContain("No problems found");
  expect(run("mdir", ["-b", "-i", `${small.path}@@1M`, "::/EFI/BOOT"])).toContain("BOOTX64.EFI");
  const larger = await copy("laid-out", 300 * MIB + 77);
  expect([larger.bytes, larger.bytes > small.bytes]).toEqual([300 * MIB, true]);
  const raw = await copy("as-it-is", null);
  const release = readFileSync(join(w.folder, "data", "library", basename(IMAGES.bollard5.make(w))));
  expect(Buffer.compare(readFileSync(raw.path).subarray(0, release.length), release)).toBe(0);
});

test("what a medium is called, where it is kept and what it is for are recorded with it", async () => {
  const { ina } = inventory;
  const siteId = value(await addSite(ina, { name: "Boathouse" }));
  const own = await stick("kept");
  value(await begin(own, "RM-81", { keptAs: { name: "Boathouse stick", siteId, note: "For the slipway" } }));
  await work();
  const medium = await getMedium(ina, "RM-81");
  expect(medium?.row).toMatchObject({ name: "Boathouse stick", siteId, note: "For the slipway" });
  // Made anew without a word of it, it keeps what it had.
  value(await begin(own, "RM-81", { confirm: "RM-81", lossAgreed: true }));
  await work();
  expect((await getMedium(ina, "RM-81"))?.row).toMatchObject({ name: "Boathouse stick", siteId });
});

test("an account of another site empties no medium of this one", async () => {
  const { ina } = inventory;
  const own = await stick("of-one-site");
  const [here, elsewhere] = [
    value(await addSite(ina, { name: "Sail loft" })),
    value(await addSite(ina, { name: "Mole" })),
  ];
  value(await begin(own, "RM-84A", { keptAs: { name: null, siteId: here, note: null } }));
  await work();
  const over = () => begin(own, "RM-84A", { confirm: "RM-84A", lossAgreed: true });
  ina.sites = [elsewhere];
  expect(await over()).toEqual({
    ok: false,
    problem: { code: "refused", why: { code: "other-site", site: "Sail loft" } },
  });
  ina.sites = [here];
  value(await over());
  ina.sites = null;
  await work();
});

test("an empty inventory is rebuilt from the medium: computer, kit, release with its manifest, medium; nothing twice", async () => {
  const image = contentPath(folderOf("a"));
  const args = [
    "scripts/creel.mjs",
    "import",
    image,
    join(w.folder, "out"),
    "--as",
    "Ina Torvald",
    "--verify",
    "--json",
  ];
  const creel = () => {
    const env = { ...process.env, DATABASE_URL: other.url };
    const { status, stdout, stderr } = spawnSync(process.execPath, args, { env, encoding: "utf8" });
    return {
      status,
      stderr,
      lines: stdout
        .trim()
        .split("\n")
        .map((line) => JSON.parse(line)),
    };
  };
  const told = creel();
  expect([told.status, told.stderr]).toEqual([0, ""]);
  const release = (state: string) => ({ text: "Bollard 5.0", state });
  expect(told.lines.map(({ file: _file, ...rest }) => rest)).toEqual([
    {
      medium: { tag: "RM-90", state: "added" },
      release: release("added"),
      computers: { added: 1, known: 0 },
      keyCards: { added: 0, known: 0 },
      isWhole: true,
    },
    {
      medium: { tag: "RM-90", state: "known" },
      release: release("known"),
      computers: { added: 0, known: 1 },
      keyCards: { added: 0, known: 0 },
      isWhole: null,
    },
  ]);
  const [before, after] = [inventory.ina, other.ina];
  const [medium, rebuilt] = [await getMedium(before, "RM-90"), await getMedium(after, "RM-90")];
  expect(rebuilt?.row).toMatchObject({ kind: "usb", writtenOn: medium?.row.writtenOn, verifiedWhole: true });
  expect(rebuilt?.inspection?.views).toEqual(medium?.inspection?.views);
  expect(rebuilt?.inspection?.programs).toEqual(medium?.inspection?.programs);
  const facts = async (context: Context) => (await getComputer(context, "HO-001"))?.facts;
  expect(await facts(after)).toEqual(await facts(before));
  const [own] = await listReleases(after);
  const [kept, here] = [await getRelease(after, own?.id ?? 0), await getRelease(before, ids.release)];
  const manifest = async (context: Context, detail: typeof kept) =>
    readManifest(context, detail?.row.inspectionId ?? 0);
  expect(await manifest(after, kept)).toEqual(await manifest(before, here));
  expect(kept?.facts).toEqual(here?.facts);
});

test("a device that says it is a medium becomes it, and a copy of one that is here does not", async () => {
  const { db } = other.ina;
  const own = await stick("shelf", {}, {}, other.ina);
  copyFileSync(contentPath(folderOf("a")), contentPath(folderOf("shelf")));
  const [seen] = await listBerths(other.ina);
  expect(seen?.device).toMatchObject({ medium: null, look: { pack: { medium: { tag: "RM-90" } } } });
  expect(value(await takeInFromBerth(other.ina, own.berthId)).medium).toEqual({ tag: "RM-90", state: "known" });
  const [device] = await db.select().from(devices).where(eq(devices.id, own.deviceId));
  expect(device?.mediumId).toBe((await getMedium(other.ina, "RM-90"))?.row.id);
  const copy = await stick("copy", {}, {}, other.ina);
  copyFileSync(contentPath(folderOf("a")), contentPath(folderOf("copy")));
  const refused = await takeInFromBerth(other.ina, copy.berthId);
  expect(refused.ok ? "" : problemText(refused.problem)).toContain("this one is a copy of it");
  const blank = await stick("none", {}, {}, other.ina);
  const nothing = await takeInFromBerth(other.ina, blank.berthId);
  expect(nothing.ok ? "" : problemText(nothing.problem)).toContain("No Creel records");
});

test("what was made is verified again from its berth, and damage is named by file", async () => {
  const check = async () => {
    const id = value(await startCheck(inventory.ina, ids.berth, { kind: "verify" }, ""));
    await work();
    return job(id);
  };
  expect(await check()).toMatchObject({
    state: "done",
    result: { state: "compared", same: true, result: "same-files" },
  });
  const path = contentPath(folderOf("a"));
  const at = readFileSync(path).indexOf("SERIAL 0 115200");
  const handle = await open(path, "r+");
  await handle.write(Uint8Array.of(0x58), 0, 1, at);
  await handle.close();
  const damaged = await check();
  expect(damaged).toMatchObject({ state: "failed", result: { state: "compared", same: false } });
  expect(damaged.result?.state === "compared" && damaged.result.damaged.join()).toContain("(content)");
  expect((await getMedium(inventory.ina, "RM-90"))?.row.verifiedWhole).toBe(false);
});

test("only the device that was meant is written to: named by its serial or tag, and as it was when it was planned for", async () => {
  const own = await stick("b");
  const refused = async (more: Partial<StartInput>) => {
    const result = await begin(own, "RM-91", more);
    return result.ok ? "accepted" : problemText(result.problem);
  };
  expect(await refused({ confirm: "SER-a" })).toContain("the last four characters of its serial");
  expect(await refused({ confirm: "" })).toContain("does not name the device");
  expect(await refused({ fingerprint: "0".repeat(64) })).toContain("changed since the preview");
  const id = value(await begin(own, "RM-91"));
  // Between the plan and the start somebody put something on it.
  const handle = await open(contentPath(folderOf("b")), "r+");
  await handle.write(new Uint8Array(100).fill(9), 0, 100, 0);
  await handle.close();
  await work();
  expect(await job(id)).toMatchObject({ state: "failed", result: { state: "device-changed", what: "content" } });
  expect((await getMedium(inventory.ina, "RM-91")) === null).toBe(true);
});

test("a store that receives images is never written to, and what holds the only route or images wants a second yes", async () => {
  const store = await stick("store", { isStore: true });
  const result = await begin(store, "RM-92");
  expect(result.ok ? "" : problemText(result.problem)).toContain("receives images");
  const held = await stick("held");
  const medium = {
    name: null,
    kind: "usb",
    capacityBytes: null,
    siteId: null,
    lentTo: null,
    note: null,
    releaseIds: [],
  };
  const mediumId = value(await addMedium(inventory.ina, { tag: "IM-01", ...medium }, null));
  await inventory.ina.db.update(devices).set({ mediumId }).where(eq(devices.id, held.deviceId));
  const body = {
    ...{ make: null, model: null, kit: "Bollard", kitVersion: "5.0", mode: "uefi", diskBytes: 1e9, sectorBytes: 512 },
    ...{ partitions: [], encrypted: false, keyPlace: null, kind: "full", parent: null, verified: null },
    places: [{ on: "medium", tag: "IM-01" }],
  };
  value(
    await recordImage(inventory.ina, {
      name: "HO-001 2026",
      computer: "HO-001",
      takenAt: "2026-02-21T10:00:00Z",
      body,
    }),
  );
  const first = await begin(held, "RM-93", { confirm: "im-01" });
  expect(first.ok ? {} : first.problem).toMatchObject({ code: "refused", why: { code: "loss-not-agreed" } });
  expect((await begin(held, "RM-93", { confirm: "im-01", lossAgreed: true })).ok).toBe(true);
  await work();
});

test("a medium that is overwritten is said to hold nothing before the first byte is written, and is gone once it is another", async () => {
  const own = await stick("over", {}, { bad: [{ start: 3 * MIB, lengthBytes: 512 }] });
  const medium = { name: null, kind: "usb", capacityBytes: null, siteId: null, lentTo: null, note: null } as const;
  const verified = { on: "2026-02-01", whole: true };
  const input = { ...medium, tag: "OV-01", writtenOn: "2026-02-01", verified, releaseIds: [ids.release] };
  const { inspection } = await inspect(memory(join(w.folder, "data", "library", "bollard-5.0.iso")), { name: "b.iso" });
  const mediumId = value(await addMedium(inventory.ina, input, inspection));
  await inventory.ina.db.update(devices).set({ mediumId }).where(eq(devices.id, own.deviceId));
  const id = value(await begin(own, "OV-02", { confirm: "OV-01", lossAgreed: true }));
  await work();
  expect(await job(id)).toMatchObject({ state: "failed", result: { state: "fault" } });
  const lost = await getMedium(inventory.ina, "OV-01");
  expect(lost).toMatchObject({
    loads: [],
    inspection: null,
    row: { verifiedOn: null, writtenOn: null, retiredAt: null },
  });
  await saveSimulated(folderOf("over"), { ...own.simulated, faults: {} });
  value(await resume(inventory.ina, id));
  await work();
  expect(await job(id)).toMatchObject({ state: "done" });
  expect((await getMedium(inventory.ina, "OV-01"))?.row.retiredAt).not.toBeNull();
  expect((await getMedium(inventory.ina, "OV-02"))?.row.verifiedWhole).toBe(true);
  // A tag that another device has is not given twice.
  const second = await begin(await stick("second"), "OV-02");
  expect(second.ok ? "" : problemText(second.problem)).toContain(
    "OV-02 is another device, the Norlight Dart 200, serial SER-over",
  );
});

test("a sample that is right confirms what was whole, and makes nothing whole; one that is damaged says so", async () => {
  const own = await stick("sampled");
  value(await begin(own, "SA-01"));
  await work();
  const check = async () => {
    const id = value(await startCheck(inventory.ina, own.berthId, { kind: "verify", share: 0.3 }, ""));
    await work();
    return job(id);
  };
  inventory.clock.now = new Date("2026-04-02T08:00:00Z");
  expect(await check()).toMatchObject({ state: "done", result: { state: "sampled", same: true, by: "files" } });
  expect((await getMedium(inventory.ina, "SA-01"))?.row).toMatchObject({
    verifiedOn: "2026-03-01",
    verifiedWhole: true,
    sampledOn: "2026-04-02",
  });
  const { row } = (await getMedium(inventory.ina, "SA-01")) ?? {};
  await inventory.ina.db.update(media).set({ verifiedOn: null, verifiedWhole: null, sampledOn: null });
  await check();
  expect((await getMedium(inventory.ina, "SA-01"))?.row).toMatchObject({ verifiedOn: null, sampledOn: null });
  const path = contentPath(folderOf("sampled"));
  const at = readFileSync(path).indexOf("BOOTX64 EFI");
  const handle = await open(path, "r+");
  await handle.write(Buffer.from("BOOTX65 EFI"), 0, 11, at);
  await handle.close();
  expect(await check()).toMatchObject({ state: "failed", result: { state: "sampled", same: false } });
  expect((await getMedium(inventory.ina, row?.tag ?? ""))?.row.verifiedWhole).toBe(false);
  inventory.clock.now = new Date("2026-03-01T08:00:00Z");
});

test("files of the library are carried along in the store, and a plan says so", async () => {
  const carry = join(w.folder, "data", "library", "carry");
  mkdirSync(carry, { recursive: true });
  const content = Buffer.alloc(3_000_000, 5);
  writeFileSync(join(carry, "HO-001 2026-02.img"), content);
  expect(await carriableFiles()).toEqual([{ name: "HO-001 2026-02.img", bytes: content.length }]);
  const own = await stick("carrier");
  const id = value(await begin(own, "CA-01", { files: ["HO-001 2026-02.img"] }));
  await work();
  expect(await job(id)).toMatchObject({ state: "done", result: { state: "verified" } });
  const source = await FileSource.open(contentPath(folderOf("carrier")));
  const volumes = await volumesOf(source);
  const found = await Promise.all(volumes.map(({ tree }) => openPath(tree, "/CREEL/carried/HO-001 2026-02.img")));
  expect(volumes.map(({ kind }, at) => [kind, found[at]?.sizeBytes ?? null])).toEqual([
    ["fat32", null],
    ["exfat", content.length],
  ]);
  await source.close();
  const gone = await begin(await stick("carrier2"), "CA-02", { files: ["other.img"] });
  expect(gone.ok ? "" : problemText(gone.problem)).toContain("other.img is no longer in the library");
});

test("a driver that a computer needs and a release lacks is carried along from the release that has it", async () => {
  const kitId = value(await addKit(inventory.ina, { name: "Lantern", family: "PE" }));
  const facts = { purposes: ["start-up-repair"], opens: [], abilities: [] };
  const release: number[] = [];
  for (const name of ["lantern11", "lantern12"] as const) {
    const file = IMAGES[name].make(w);
    copyFileSync(file, join(w.folder, "data", "library", IMAGES[name].file));
    const { inspection, drivers } = await inspect(memory(file), { name: IMAGES[name].file, depth: "deep" });
    // The older one drives something, and not this controller.
    const own = name === "lantern12" ? drivers : [{ ...(drivers[0] ?? OTHER_DRIVER), ...OTHER_DRIVER }];
    const inspectionId = value(await keepContents(inventory.ina, { inspection, drivers: own, listing: null }));
    release.push(
      value(await addRelease(inventory.ina, { kitId, name: name.slice(-2), madeOn: null, facts, inspectionId })),
    );
  }
  const vmd = MACHINES.findIndex((machine, at) => JSON.stringify(factsOf(machine, at)).includes("9A0B"));
  const machine = MACHINES[vmd] as (typeof MACHINES)[number];
  const needs = factsSchema.parse(factsOf(machine, vmd));
  value(await addComputer(inventory.ina, { tag: machine.tag, name: null, siteId: null, note: null, facts: needs }));
  const own = await stick("driver");
  const wish = {
    berthId: own.berthId,
    releaseId: release[0] as number,
    way: "laid-out",
    table: "gpt",
    store: false,
    tag: "DR-01",
    besideIds: [],
    files: [],
  } as const;
  const planned = value(await planInBerth(inventory.ina, wish));
  expect(planned.carry).toEqual([{ kind: "driver", releaseId: release[1], path: "/DRIVERS/NLSTOR.INF" }]);
  const id = value(await begin(own, "DR-01", { releaseId: release[0] as number, store: false }));
  await work();
  expect(await job(id)).toMatchObject({ state: "done", result: { state: "verified" } });
  const path = `::/CREEL/drivers/${release[1]}/DRIVERS/NLSTOR.INF`;
  expect(run("mtype", ["-i", `${contentPath(folderOf("driver"))}@@1M`, path])).toContain(
    "Storage controllers of Norlight",
  );
});

test("pulled out on the way it says where it stands; put back it goes on, and ends verified", async () => {
  const own = await stick("c", {}, { pulledAfterBytes: 2 * MIB });
  const id = value(await begin(own, "RM-94"));
  await work();
  expect(await job(id)).toMatchObject({ state: "failed", result: { state: "fault", code: "gone" } });
  expect((await getMedium(inventory.ina, "RM-94")) === null).toBe(true);
  await saveSimulated(folderOf("c"), { ...own.simulated, faults: {} });
  value(await resume(inventory.ina, id));
  await work();
  const again = await job(id);
  expect(again).toMatchObject({ state: "done", result: { state: "verified" } });
  expect(again.codes.filter((code) => code === "started")).toHaveLength(2);
  expect(again.codes).toContain("resumed");
});

test.each<[string, Partial<Simulated["faults"]>, object]>([
  ["bad sectors", { bad: [{ start: 1 * MIB, lengthBytes: 512 }] }, { state: "fault", code: "write-failed" }],
  ["a bit that flips", { flipsAt: MIB + 3 * 512 }, { state: "differs" }],
  ["false capacity", { counterfeit: { trueBytes: 20 * MIB, how: "wraps" } }, { state: "wraps", trueBytes: 20 * MIB }],
  ["write protection", { writeProtected: true }, { state: "fault", code: "write-protected" }],
  ["somebody else at it", { inUse: true }, { state: "fault", code: "in-use" }],
])("%s: no medium is recorded", async (what, faults, result) => {
  const name = what.replaceAll(" ", "-");
  const own = await stick(name, {}, faults);
  const id = value(await begin(own, `X-${name}`.slice(0, 40)));
  await work();
  expect(await job(id)).toMatchObject({ state: "failed", result });
  expect((await getMedium(inventory.ina, `X-${name}`.slice(0, 40))) === null).toBe(true);
});

test("a counterfeit is found with its true size, and kept with the device", async () => {
  const own = await stick("false", {}, { counterfeit: { trueBytes: 50 * MIB, how: "drops" } });
  const wrong = await startCheck(inventory.ina, own.berthId, { kind: "capacity" }, "nope");
  expect(wrong.ok).toBe(false);
  const id = value(await startCheck(inventory.ina, own.berthId, { kind: "capacity" }, own.serial.slice(-4)));
  await work();
  const capacity = { state: "counterfeit", trueBytes: 50 * MIB, how: "drops" };
  expect(await job(id)).toMatchObject({ state: "done", result: { state: "capacity", capacity } });
  const [device] = await inventory.ina.db.select().from(devices).where(eq(devices.id, own.deviceId));
  expect(device?.testResult).toEqual(capacity);
  const filled = (await listBerths(inventory.ina)).flatMap((each) => each.device ?? []);
  expect(filled.find(({ row }) => row.id === own.deviceId)?.trust).toEqual({
    verdict: "distrust",
    reasons: [{ code: "counterfeit", trueBytes: 50 * MIB }],
  });
  const refused = await begin(own, "RM-98");
  expect(refused.ok ? "" : problemText(refused.problem)).toContain("Counterfeit");
  // Others of its model are to be tested first.
  for (const { row, trust } of filled)
    if (row.id !== own.deviceId && row.model === device?.model && row.testResult === null)
      expect(trust.reasons.map(({ code }) => code)).toEqual(["model-failed"]);
});

test("a device whose medium failed where it was needed is to be verified; that, or a later use that went well, clears it", async () => {
  const own = await stick("used");
  value(await begin(own, "RM-97"));
  await work();
  const codes = async () => {
    const found = (await listDevices(inventory.ina)).find(({ row }) => row.id === own.deviceId);
    return found?.trust.reasons.map(({ code }) => code).filter((code) => code !== "model-failed");
  };
  const use = { medium: "RM-97", computer: "HO-001", on: dayOf(inventory.clock.now) };
  expect(await codes()).toEqual([]);
  value(await recordDrill(inventory.ina, { ...use, result: "failed" }));
  expect(await codes()).toEqual(["failed-in-use"]);
  value(await recordDrill(inventory.ina, { ...use, result: "started" }));
  expect(await codes()).toEqual([]);
  value(await recordDrill(inventory.ina, { ...use, result: "failed" }));
  expect(await codes()).toEqual(["failed-in-use"]);
  const before = inventory.clock.now;
  inventory.clock.now = new Date(before.getTime() + 60_000);
  value(await startCheck(inventory.ina, own.berthId, { kind: "verify", share: 0.5 }, ""));
  await work();
  expect(await codes()).toEqual(["failed-in-use"]);
  value(await startCheck(inventory.ina, own.berthId, { kind: "verify" }, ""));
  await work();
  expect(await codes()).toEqual([]);
  inventory.clock.now = before;
});

test("one job holds a berth; what is queued can be cancelled; a silent runner's job is interrupted and goes on", async () => {
  const own = await stick("d");
  const id = value(await begin(own, "RM-95"));
  const second = await begin(own, "RM-96");
  expect(second.ok ? "" : problemText(second.problem)).toContain(`Job ${id} uses this berth`);
  value(await askOf(inventory.ina, id, "cancel"));
  expect((await job(id)).state).toBe("cancelled");
  const next = value(await begin(own, "RM-96"));
  const long = new Date(Date.now() - 60_000);
  await inventory.ina.db
    .update(benchJobs)
    .set({ state: "running", runner: "gone", heartbeatAt: long })
    .where(eq(benchJobs.id, next));
  await markInterrupted(inventory.ina.db, new Date());
  expect(await job(next)).toMatchObject({ state: "interrupted", codes: ["interrupted"] });
  value(await resume(inventory.ina, next));
  await work();
  expect((await job(next)).state).toBe("done");
});

test("a runner without its database stops before its next write, and whoever takes its job up finds what it left", async () => {
  const own = await stick("cut", {}, { slowAfter: { bytes: 1 << 20, writeRate: 4e6 } });
  const id = value(await begin(own, "RM-98"));
  const db = connect(inventory.url);
  const times = { silentAfter: 700, held: 400, tellEvery: 50 };
  const cut = new BenchRunner(db, inventory.ina.now, times);
  await cut.step();
  for (let tries = 0; (await getJob(inventory.ina, id))?.job.phase !== "write"; tries++) {
    if (tries > 500) throw new Error("it does not write");
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
  await db.$client.end();
  await cut.idle();
  // It has stopped before anybody may take it for silent.
  const left = (await getJob(inventory.ina, id))?.job;
  expect(left?.state).toBe("running");
  const other = new BenchRunner(inventory.ina.db, inventory.ina.now, times);
  for (let tries = 0; (await job(id)).state !== "interrupted"; tries++) {
    if (tries > 500) throw new Error("it is not found silent");
    await new Promise((resolve) => setTimeout(resolve, 20));
    await other.step();
  }
  value(await resume(inventory.ina, id));
  // With the usual times: on a busy machine it is not heard of for longer than this one would hold it.
  await work();
  expect(await job(id)).toMatchObject({ state: "done", codes: expect.arrayContaining(["interrupted", "resumed"]) });
});

test("two runners never do one job twice, and several berths are worked at once", async () => {
  const sticks = await Promise.all(["p", "q", "r"].map((name) => stick(name)));
  const jobs: number[] = [];
  for (const [at, each] of sticks.entries()) jobs.push(value(await begin(each, `RM-10${at}`)));
  const runners = [1, 2].map(() => new BenchRunner(inventory.ina.db, inventory.ina.now));
  await Promise.all(runners.map((runner) => runner.step()));
  await Promise.all(runners.map((runner) => runner.idle()));
  for (const id of jobs) {
    const { state, codes } = await job(id);
    expect([state, codes.filter((code) => code === "started").length]).toEqual(["done", 1]);
  }
});

test("berths are filled and emptied, each device in one of them", async () => {
  const own = await stick("e");
  const [berth] = (await listBerths(inventory.ina)).filter(({ id }) => id === own.berthId);
  if (!berth) throw new Error("no berth");
  value(await fillBerth(inventory.ina, berth.id, berth.version, null));
  expect((await looseDevices(inventory.ina)).map(({ id }) => id)).toContain(own.deviceId);
  const stale = await fillBerth(inventory.ina, berth.id, berth.version, own.deviceId);
  expect(stale.ok ? "" : stale.problem.code).toBe("stale");
  value(await fillBerth(inventory.ina, berth.id, berth.version + 1, own.deviceId));
  const taken = (await listBerths(inventory.ina)).find((each) => each.id !== own.berthId && each.device);
  const twice = await fillBerth(inventory.ina, taken?.id ?? 0, taken?.version ?? 0, own.deviceId);
  expect(twice.ok ? "" : problemText(twice.problem)).toContain("holds a device");
  expect((await listBerths(inventory.ina)).find(({ id }) => id === own.berthId)?.device?.alike.length).toBeGreaterThan(
    0,
  );
  rmSync(folderOf("e"), { recursive: true });
  expect((await listBerths(inventory.ina)).find(({ id }) => id === own.berthId)?.device?.look.fault).toBe("gone");
});

test("each fault can be switched on and off again, and says itself", async () => {
  const own = await stick("faulty");
  for (const fault of FAULTS) {
    value(await switchFault(inventory.ina, own.deviceId, fault));
    expect((await listBerths(inventory.ina)).find(({ id }) => id === own.berthId)?.device?.fault).toBe(fault);
  }
  value(await switchFault(inventory.ina, own.deviceId, "none"));
  expect((await switchFault(inventory.ina, 999_999, "slow")).ok).toBe(false);
});

test("a plan tells beforehand which computers the medium will be a route for", async () => {
  const own = await stick("f");
  const wish = {
    berthId: own.berthId,
    releaseId: ids.release,
    way: "laid-out",
    table: "gpt",
    store: false,
    tag: "RM-97",
    besideIds: [],
    files: [],
  } as const;
  const planned = value(await planInBerth(inventory.ina, wish));
  expect(planned.plan.ok).toBe(true);
  expect(planned.prediction?.items.map(({ tag }) => tag)).toEqual(["HO-001", "HO-002"]);
  expect(Object.values(planned.prediction?.counts ?? {}).reduce((sum, each) => sum + each, 0)).toBe(2);
});

test("media are proposed for computers: what serves most, its size, a free tag, and berths with a device to take", async () => {
  const free = await stick("proposed");
  await stick("proposed-store", { isStore: true });
  const view = await proposeFor(inventory.ina, { tags: ["ho-001", "XX-9", ""], ids: [] });
  expect(view.computers.map(({ tag }) => tag)).toEqual(["HO-001"]);
  expect(view.unknown).toEqual(["XX-9"]);
  const [best] = view.proposals;
  expect(best).toMatchObject({ release: "Bollard 5.0", size: { kind: "stick", bytes: 4e9 }, notServed: [] });
  expect(best?.tag).toMatch(/^[A-Z]+-\d+$/);
  expect(await getMedium(inventory.ina, best?.tag ?? "")).toBeNull();
  const names = (best?.berths ?? []).map(({ name }) => name);
  expect(names).not.toContain("Berth proposed-store");
  const berth = (await listBerths(inventory.ina)).find(({ id }) => id === free.berthId);
  expect(berth?.device?.row.bytes).toBeGreaterThan(best?.neededBytes ?? 0);
  // Ways of the same release that would do as well, or less, are told beside it.
  expect(best?.others.length).toBeGreaterThan(0);
  rmSync(join(w.folder, "data", "library", "bollard-5.0.iso"));
  const without = await proposeFor(inventory.ina, { tags: ["HO-001"], ids: [] });
  expect(without.proposals.map(({ release }) => release)).not.toContain("Bollard 5.0");
  expect(without.leftOut).toContainEqual({ release: "Bollard 5.0", file: "bollard-5.0.iso" });
  expect(await proposeFor(inventory.ina, { tags: [], ids: [] })).toMatchObject({
    computers: [],
    proposals: [],
    together: [],
  });
});

test("a stick becomes nothing but a store: verified, registered, and never written to as a whole again", async () => {
  const { ina } = inventory;
  const own = await stick("vault");
  const look = (await listBerths(ina)).find(({ id }) => id === own.berthId)?.device?.look;
  const wish = { berthId: own.berthId, name: "Deck vault", siteId: null, lossAgreed: false };
  const ask = (more: object) =>
    startStore(ina, { ...wish, fingerprint: look?.fingerprint ?? "", confirm: "ault", ...more });
  expect((await ask({ name: " " })).ok).toBe(false);
  expect((await ask({ confirm: "other" })).ok).toBe(false);
  expect((await ask({ fingerprint: "of before" })).ok).toBe(false);
  const id = value(await ask({}));
  await work();
  expect(await job(id)).toMatchObject({ state: "done", result: { state: "verified" } });
  const [device] = await ina.db.select().from(devices).where(eq(devices.id, own.deviceId));
  expect(device).toMatchObject({ isStore: true, mediumId: null });
  const [store] = await ina.db.select().from(stores).where(eq(stores.name, "Deck vault"));
  expect(store).toMatchObject({ kind: "disk", capacityBytes: expect.any(Number) });
  // exFAT by a tool that knows nothing of Creel: fsck.exfat(8) of exfatprogs.
  const part = join(w.folder, "vault.part");
  run("sh", [
    "-c",
    `tail -c +1048577 '${contentPath(folderOf("vault"))}' | head -c ${store?.capacityBytes} > '${part}'`,
  ]);
  expect(run("fsck.exfat", ["-n", part])).toContain("clean");
  expect((await ask({ name: "Another" })).ok).toBe(false);
  expect((await ask({})).ok).toBe(false);
});

test("a release without its system files: both sums are told, it reinstalls nothing, and is verified as what it is", async () => {
  const { ina } = inventory;
  const releaseId = await bench.release(IMAGES.lantern12.make(w), "Beacon", "12", ["start-up-repair", "reinstall"]);
  const own = await stick("lean");
  const wish = { berthId: own.berthId, releaseId, besideIds: [], way: "laid-out", table: "gpt", store: false } as const;
  const notes = async (systemFiles: boolean) => {
    const { plan } = value(await planInBerth(ina, { ...wish, tag: "RM-82", files: [], systemFiles }));
    return plan.ok ? plan.notes.filter(({ code }) => code === "system-files") : [];
  };
  const [included] = await notes(true);
  expect(included).toMatchObject({ isIncluded: true, bytes: expect.any(Number) });
  expect(await notes(false)).toEqual([{ ...included, isIncluded: false }]);
  value(await begin(own, "RM-82", { releaseId, systemFiles: false }));
  await work();
  const image = contentPath(folderOf("lean"));
  expect(run("mdir", ["-b", "-i", `${image}@@1M`, "::/sources"])).not.toMatch(/install\.wim/i);
  run("sh", ["-c", `mkdir ${w.folder}/lean && mcopy -s -i ${image}@@1M ::/ ${w.folder}/lean/`]);
  expect(run("sh", ["-c", `cd ${w.folder}/lean && sha256sum -c CREEL/SHA256SUMS`])).not.toContain("FAILED");
  const carried = async () => (await fleet(ina)).media.find(({ part }) => part.tag === "RM-82")?.releases[0];
  expect(await carried()).toMatchObject({ name: "Beacon 12 without system files" });
  expect((await carried())?.systems?.some(({ role }) => role === "installs")).toBe(false);
  expect((await carried())?.facts.purposes).toEqual(["start-up-repair"]);
  const check = value(await startCheck(ina, own.berthId, { kind: "verify", share: null }, ""));
  await work();
  expect(await job(check)).toMatchObject({ result: { state: "compared", same: true } });
  // Whoever edits the medium, or imports its records elsewhere, does not make it more than it is.
  const medium = await getMedium(ina, "RM-82");
  if (!medium) throw new Error("RM-82");
  value(await saveMedium(ina, medium.row.id, medium.row.version, { ...mediumInputOf(medium), note: "On the shelf" }));
  expect((await getMedium(ina, "RM-82"))?.loads[0]?.lacksSystemFiles).toBe(true);
  expect(JSON.parse(readFileSync(join(w.folder, "lean", "CREEL", "pack.json"), "utf8"))).toMatchObject({
    medium: { lacksSystemFiles: true },
  });
  // As a document of the whole inventory it is told as a release of its own, and stays one where that is imported.
  let text = "";
  for await (const part of worldText(ina)) text += part;
  const world = readWorld(JSON.parse(text));
  if (!world.ok) throw new Error(world.told);
  value(await importWorld(other.ina, world.document, "inventory.json"));
  const imported = (await fleet(other.ina)).media.find(({ part }) => part.tag === "RM-82")?.releases ?? [];
  expect(imported.map(({ name, facts }) => [name, facts.purposes])).toEqual([
    ["Beacon 12 without system files", ["start-up-repair"]],
  ]);
  // Of a release that has none, nothing is left out.
  const bare = await bench.release(smallRelease(w, "bare", ["x64"]), "Fender", "1", ["file-rescue"]);
  value(await begin(await stick("bare"), "RM-83", { releaseId: bare, systemFiles: false }));
  await work();
  expect((await getMedium(ina, "RM-83"))?.loads[0]).toMatchObject({ releaseName: "1", lacksSystemFiles: false });
});
