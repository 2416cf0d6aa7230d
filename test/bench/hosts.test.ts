import { spawnSync } from "node:child_process";
import { mkdirSync, readFileSync, renameSync, truncateSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { eq } from "drizzle-orm";
import { BenchHost } from "@/cli/host/host";
import { ownPorts, type Ports, simulatedPorts } from "@/cli/host/ports";
import { CreelServer } from "@/cli/server/client";
import type { HostTold } from "@/core/making/jobs/host";
import { inspect } from "@/core/medium/inspection/inspect";
import { listBerths } from "@/server/bench/berths";
import { claimForHost, endHost, takeHostLook, takeHostReport, takeTelling } from "@/server/bench/hosts";
import { askOf, resume, type StartInput, startCheck } from "@/server/bench/jobs";
import { markInterrupted } from "@/server/bench/runner";
import { devices } from "@/server/db/schema";
import type { HostTree } from "@/server/devices/block-devices";
import { contentPath, makeSimulated, type Simulated, saveSimulated } from "@/server/devices/simulated";
import { getMedium } from "@/server/media/media";
import { IMAGES } from "../../scripts/demo/images";
import { run } from "../../scripts/media/workshop";
import { MIB, smallRelease, testBench } from "../support/bench";
import { type BenchServer, benchServer } from "../support/bench-server";
import { testInventory, value } from "../support/database";
import { addDisk, file } from "../support/host-tree";
import { memory } from "../support/workshop";

// A server, and computers elsewhere whose ports are its berths: they speak by HTTP alone and share no database. Their
// devices are simulated ones, and loop devices of the kernel where this machine has them (losetup(8)).
const inventory = testInventory();
const bench = testBench(inventory);
const { w, job } = bench;
const TIMES = { silentAfter: 2_000, held: 1_500, tellEvery: 100, sleeps: true };
const ids = { release: 0, large: 0 };
let server: BenchServer;

beforeAll(async () => {
  server = await benchServer(inventory);
  ids.release = await bench.release(IMAGES.bollard5.make(w), "Bollard", "5.0", ["file-rescue"]);
  ids.large = await bench.release(smallRelease(w, "CAIRN", ["x64"]), "Cairn", "1", ["file-rescue"]);
});
afterAll(() => server.close());
beforeEach(() => {
  Object.assign(server, { isCut: false, cutsAt: null, lies: null, asked: [] });
});

interface Made {
  host: BenchHost;
  said: string[];
  folder: string;
  /** Where its simulated devices are. */
  ports: string;
  secret: string;
}

/** A computer with a token of its own. */
async function computer(name: string, ports?: Ports): Promise<Made> {
  const { secret } = await server.token(name);
  const folder = w.path(`state-${name}`);
  mkdirSync(folder, { recursive: true });
  const own = w.path(`ports-${name}`);
  mkdirSync(own, { recursive: true });
  return { ...(await again({ folder, ports: own, secret }, name, ports)), folder, ports: own, secret };
}

/** The same computer after its program was started once more. */
async function again(
  { folder, ports, secret }: Pick<Made, "folder" | "ports" | "secret">,
  name: string,
  real?: Ports,
  times = TIMES,
) {
  const said: string[] = [];
  const host = new BenchHost({
    server: await CreelServer.of({ server: server.url, token: secret }),
    ...{ ports: real ?? simulatedPorts(ports), folder, name, times },
    print: (text) => said.push(text),
  });
  return { host, said };
}

const stickIn = (folder: string, port: string, serial: string | null, faults: Partial<Simulated["faults"]> = {}) =>
  makeSimulated(join(folder, port), {
    ...{ kind: "usb", model: "Norlight Dart 200", serial, bytes: 200 * MIB, sectorBytes: 512, faults },
  });

const berthNamed = async (name: string) => (await listBerths(inventory.ina)).find((berth) => berth.name === name);

/** Plans and queues a medium in a berth, as somebody at a page would. */
async function begin(berth: string, tag: string, releaseId = ids.release, more: Partial<StartInput> = {}) {
  const found = await berthNamed(berth);
  if (!found?.device) throw new Error(`nothing in ${berth}`);
  const { id: berthId, device } = found;
  const stick = { berthId, deviceId: device.row.id, serial: device.row.serial ?? berth, simulated: {} as Simulated };
  return bench.begin(stick, { releaseId, tag, ...(device.row.serial ? {} : { confirm: berth }), ...more });
}

/** Lets a host work until a job is in one of some states. */
async function until(host: BenchHost, id: number, ...states: string[]) {
  for (let tries = 0; tries < 600; tries++) {
    await host.step().catch(() => {});
    if (states.includes((await job(id)).state)) return job(id);
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  throw new Error(`job ${id} is ${(await job(id)).state}`);
}

describe("a loop device of the kernel in a port", () => {
  const tree: HostTree = { sys: w.path("sys"), proc: w.path("proc"), dev: w.path("dev") };
  const bytes = 200 * MIB;
  const image = w.path("stick.img");
  let loop: string | null = null;

  beforeAll(() => {
    writeFileSync(image, "");
    truncateSync(image, bytes);
    const made = spawnSync("losetup", ["--find", "--show", image], { encoding: "utf8" });
    loop = made.status === 0 ? made.stdout.trim() : null;
    mkdirSync(join(tree.sys, "block"), { recursive: true });
    file(join(tree.proc, "self", "mountinfo"), "22 1 8:1 / / rw\n");
    file(join(tree.proc, "swaps"), "Filename\tType\tSize\n");
    addDisk(tree, "sdb", { port: "1-4", serial: "ND90417", bytes, node: loop ?? image });
  });
  afterAll(() => {
    if (loop) spawnSync("losetup", ["--detach", loop]);
  });

  test("it is found, read, written, read back from the device, and recorded; other tools read what is on it", async () => {
    const { host, said } = await computer("bench-a", ownPorts(tree));
    await host.step();
    await host.step();
    const berth = await berthNamed("bench-a USB 1-4");
    expect(berth).toMatchObject({ isPort: true, host: { name: "bench-a", isThere: true } });
    expect(berth?.device).toMatchObject({ isUnread: false, look: { fault: null, fingerprint: expect.any(String) } });
    const id = value(await begin("bench-a USB 1-4", "RM-H1", ids.large));
    const done = await until(host, id, "done", "failed");
    expect(done).toMatchObject({ state: "done", result: { state: "verified" } });
    expect(done.codes).toEqual([
      ...["started", "device-open", "device-is-no-store", "plan", "written", "flushed", "read-back", "inspected"],
      ...["as-predicted", "recorded", "ended"],
    ]);
    expect(said.join(" ")).toContain("Norlight Dart, ND90417");
    expect(run("sgdisk", ["-v", loop ?? image])).toContain("No problems found");
    expect(run("mdir", ["-b", "-i", `${image}@@1M`, "::/EFI/BOOT"])).toContain("BOOTX64.EFI");
    expect((await getMedium(inventory.ina, "RM-H1"))?.row).toMatchObject({ verifiedWhole: true, kind: "usb" });
  });

  test("it is compared with its release there, and what came back otherwise is found", async () => {
    const { host } = await computer("bench-a2", ownPorts(tree));
    // The same port at another name: the computer was called otherwise.
    const before = await berthNamed("bench-a USB 1-4");
    await inventory.ina.db.execute(`UPDATE bench_hosts SET seen_at = '2026-01-01' WHERE name = 'bench-a'`);
    await host.step();
    const berth = await berthNamed("bench-a2 USB 1-4");
    expect([berth?.device?.row.id, (await berthNamed("bench-a USB 1-4"))?.device]).toEqual([
      before?.device?.row.id,
      null,
    ]);
    const verify = async () =>
      until(host, value(await startCheck(inventory.ina, berth?.id ?? 0, { kind: "verify" }, "")), "done", "failed");
    expect(await verify()).toMatchObject({ state: "done", result: { state: "compared", same: true } });
    const offset = Number(run("sh", ["-c", `LC_ALL=C grep -abo CAIRN ${image} | tail -1`]).split(":")[0]);
    run("sh", ["-c", `printf X | dd of=${loop ?? image} bs=1 seek=${offset} conv=notrunc,fsync`]);
    expect(await verify()).toMatchObject({ state: "failed", result: { state: "compared", same: false } });
  });
});

test("a killed host, a cut connection and a file cut off in the middle: it goes on where it stood, and fetches once", async () => {
  const made = await computer("bench-b");
  const slow = { slowAfter: { bytes: MIB, writeRate: 6e6 } };
  await stickIn(made.ports, "port 1", "BB-0001", slow);
  await made.host.step();
  const id = value(await begin("bench-b port 1", "RM-H2"));
  server.cutsAt = { path: /content\/0$/, bytes: 3 * MIB };
  await made.host.step();
  const isAt = async (phase: string) => {
    for (let tries = 0; tries < 400; tries++) {
      if ((await berthNamed("bench-b port 1"))?.jobId === id && (await phaseOf(id)) === phase) return;
      await new Promise((resolve) => setTimeout(resolve, 30));
    }
    throw new Error(`never at ${phase}`);
  };
  await isAt("write");
  // The connection goes; the host stops before anybody may take it for silent.
  server.isCut = true;
  await new Promise((resolve) => setTimeout(resolve, TIMES.silentAfter + 700));
  await markInterrupted(inventory.ina.db, new Date(), TIMES);
  expect(await job(id)).toMatchObject({ state: "interrupted" });
  expect(made.said.join(" ")).toMatch(/stopped for now|resumes once/);
  const size = readFileSync(contentPath(join(made.ports, "port 1"))).subarray(0, 4096).length;
  expect(size).toBe(4096);
  server.isCut = false;
  // Another process of the same computer takes it up.
  const next = await again(made, "bench-b");
  const done = await until(next.host, id, "done", "failed");
  expect(done).toMatchObject({ state: "done", result: { state: "verified" } });
  expect(done.codes).toEqual(expect.arrayContaining(["interrupted", "resumed", "recorded"]));
  const fetched = server.asked.filter((path) => /content\/0$/.test(path));
  expect(fetched).toHaveLength(2);
  // What is here is not fetched for the next medium.
  await stickIn(made.ports, "port 2", "BB-0002");
  await next.host.step();
  const second = value(await begin("bench-b port 2", "RM-H3"));
  await until(next.host, second, "done", "failed");
  expect(server.asked.filter((path) => /content\/0$/.test(path))).toHaveLength(2);
});

test("a laptop that fell asleep writes nothing more of what it held before, and goes on", async () => {
  const made = await computer("bench-z");
  // By its own clock, which stands still while it sleeps, it would hold its job for a minute.
  const patient = { silentAfter: 70_000, held: 60_000, tellEvery: 100, sleeps: true };
  const { host, said } = await again(made, "bench-z", undefined, patient);
  await stickIn(made.ports, "port 1", "BZ-0001", { slowAfter: { bytes: MIB, writeRate: 4e6 } });
  await host.step();
  const id = value(await begin("bench-z port 1", "RM-HZ"));
  await host.step();
  for (let tries = 0; (await phaseOf(id)) !== "write" && tries < 400; tries++)
    await new Promise((resolve) => setTimeout(resolve, 30));
  server.isCut = true;
  // clock_gettime(2): CLOCK_MONOTONIC does not count the time that a system is suspended; the clock on the wall does.
  const wall = Date.now.bind(Date);
  const clock = jest.spyOn(Date, "now").mockImplementation(() => wall() + 3_600_000);
  try {
    const isOver = () => said.some((text) => /stopped for now|resumes once/.test(text));
    for (let tries = 0; !isOver() && tries < 200; tries++) await new Promise((resolve) => setTimeout(resolve, 50));
    expect([isOver(), (await job(id)).state]).toEqual([true, "running"]);
    server.isCut = false;
    await markInterrupted(inventory.ina.db, new Date(), { silentAfter: 1 });
    expect(await until(host, id, "done", "failed")).toMatchObject({ state: "done", result: { state: "verified" } });
  } finally {
    clock.mockRestore();
  }
});

async function phaseOf(id: number): Promise<string | null> {
  const { getJob } = await import("@/server/bench/jobs");
  return (await getJob(inventory.ina, id))?.job.phase ?? null;
}

test("a stick that is pulled, one that is protected, and what somebody asks of a job elsewhere", async () => {
  const { host, ports } = await computer("bench-c");
  await stickIn(ports, "port 1", "BC-0001", { pulledAfterBytes: 6 * MIB });
  await stickIn(ports, "port 2", "BC-0002", { writeProtected: true });
  await stickIn(ports, "port 3", "BC-0003", { slowAfter: { bytes: MIB, writeRate: 4e6 } });
  await host.step();
  const pulled = value(await begin("bench-c port 1", "RM-H4"));
  const locked = value(await begin("bench-c port 2", "RM-H5"));
  expect(await until(host, pulled, "failed", "done")).toMatchObject({ result: { state: "fault", code: "gone" } });
  expect(await until(host, locked, "failed", "done")).toMatchObject({
    result: { state: "fault", code: "write-protected" },
  });
  expect(await getMedium(inventory.ina, "RM-H4")).toBeNull();
  await saveSimulated(join(ports, "port 1"), {
    ...(await makeSimulated(join(ports, "port 1"), {
      ...{ kind: "usb", model: "Norlight Dart 200", serial: "BC-0001", bytes: 200 * MIB, sectorBytes: 512 },
    })),
  });
  value(await resume(inventory.ina, pulled));
  expect(await until(host, pulled, "done", "failed")).toMatchObject({ state: "done" });

  const paused = value(await begin("bench-c port 3", "RM-H6"));
  await until(host, paused, "running");
  value(await askOf(inventory.ina, paused, "pause"));
  await until(host, paused, "paused");
  await host.step();
  expect((await job(paused)).state).toBe("paused");
  value(await askOf(inventory.ina, paused, "cancel"));
  expect((await job(paused)).state).toBe("cancelled");
});

test("a device that is put elsewhere is one device; two that say the same are two, and neither takes the other's place", async () => {
  const [a, b] = [await computer("bench-d"), await computer("bench-e")];
  await stickIn(a.ports, "port 1", "BD-0001");
  await a.host.step();
  const known = (await berthNamed("bench-d port 1"))?.device?.row.id;
  await stickIn(b.ports, "port 9", "BD-0001");
  await b.host.step();
  expect([await berthNamed("bench-e port 9"), b.said.at(-1)]).toEqual([
    undefined,
    "port 9: a device of the same model, size and serial is in bench-d port 1. This one is not used.",
  ]);
  renameSync(join(a.ports, "port 1"), w.path("pocket"));
  await a.host.step();
  await b.host.step();
  expect((await berthNamed("bench-e port 9"))?.device?.row.id).toBe(known);
  // Without a serial nobody can tell: they are two.
  await stickIn(a.ports, "port 2", null);
  await stickIn(b.ports, "port 2", null);
  await a.host.step();
  await b.host.step();
  const [one, other] = [await berthNamed("bench-d port 2"), await berthNamed("bench-e port 2")];
  expect(one?.device?.row.id).not.toBe(other?.device?.row.id);
  expect(other?.device?.alike).toContain("bench-d port 2");
});

test("a disc in the burner of a host is burnt once, and is the release to the byte", async () => {
  const { host, ports } = await computer("bench-h");
  await makeSimulated(join(ports, "burner"), {
    ...{ kind: "optical", model: "DVD-R, blank disc", serial: null, bytes: 700 * MIB, sectorBytes: 2048 },
  });
  await host.step();
  const disc = { way: "disc", store: false } as const;
  const id = value(await begin("bench-h burner", "RM-H8", ids.release, disc));
  expect(await until(host, id, "done", "failed")).toMatchObject({ state: "done", result: { state: "verified" } });
  const release = readFileSync(IMAGES.bollard5.make(w));
  const burnt = readFileSync(contentPath(join(ports, "burner")));
  expect(Buffer.compare(burnt.subarray(0, release.length), release)).toBe(0);
  expect((await getMedium(inventory.ina, "RM-H8"))?.row).toMatchObject({ kind: "optical", verifiedWhole: true });
  for (let tries = 0; tries < 3; tries++) await host.step();
  const again = await begin("bench-h burner", "RM-H9", ids.release, disc);
  const twice = again.ok ? await until(host, again.value, "done", "failed") : null;
  expect(twice?.result ?? again).toMatchObject(again.ok ? { state: "fault", code: "already-written" } : { ok: false });
});

test("the true size of a stick is tested at a host, once it was read there, and only while it is as it was then", async () => {
  const { host, ports } = await computer("bench-k");
  await stickIn(ports, "port 1", "BK-0001", { counterfeit: { trueBytes: 50 * MIB, how: "wraps" } });
  await stickIn(ports, "port 2", "BK-0002");
  const test = async (port: string, serial: string) => {
    const berth = await berthNamed(`bench-k ${port}`);
    return startCheck(inventory.ina, berth?.id ?? 0, { kind: "capacity" }, serial.slice(-4));
  };
  const { bearer } = await server.token("bench-k unread");
  const identity = { ...{ kind: "usb", sectorBytes: 512 }, model: "Dart", serial: "BK-0009", bytes: 200 * MIB };
  const unread = { name: "bench-k2", version: "1", system: "Linux", devices: [{ port: "port 1", identity }] };
  value(await takeHostReport(inventory.ina, bearer, unread));
  const early = await startCheck(
    inventory.ina,
    (await berthNamed("bench-k2 port 1"))?.id ?? 0,
    { kind: "capacity" },
    "0009",
  );
  expect(early).toMatchObject({ problem: { why: { code: "device-unreadable" } } });

  await host.step();
  const counterfeit = value(await test("port 1", "BK-0001"));
  const capacity = { state: "counterfeit", trueBytes: 50 * MIB, how: "wraps" };
  expect(await until(host, counterfeit, "done", "failed")).toMatchObject({ state: "done", result: { capacity } });
  const [row] = await inventory.ina.db.select().from(devices).where(eq(devices.serial, "BK-0001"));
  expect(row?.testResult).toEqual(capacity);
  // Somebody put files onto it after it was asked for: they stay.
  const changed = value(await test("port 2", "BK-0002"));
  const content = contentPath(join(ports, "port 2"));
  writeFileSync(content, "photos of the slipway", { flag: "r+" });
  expect(await until(host, changed, "done", "failed")).toMatchObject({
    result: { state: "device-changed", what: "content" },
  });
  expect(readFileSync(content).subarray(0, 6).toString()).toBe("photos");
});

test("two computers with one token and ports of one name do each their own jobs", async () => {
  const one = await computer("bench-f");
  const ports = w.path("ports-bench-g");
  const other = await again({ folder: w.path("state-bench-g"), ports, secret: one.secret }, "bench-g");
  await stickIn(one.ports, "port 1", "BF-0001");
  await stickIn(ports, "port 1", "BG-0001");
  for (const { host } of [one, other, one, other]) await host.step();
  const id = value(await begin("bench-g port 1", "RM-H7"));
  for (let tries = 0; tries < 5; tries++) {
    await one.host.step();
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  expect((await job(id)).state).toBe("queued");
  expect(await until(other.host, id, "done", "failed")).toMatchObject({ state: "done" });
  expect(one.said.join(" ")).not.toContain("Job");
});

describe("a host that is not to be believed", () => {
  const identity = {
    kind: "usb" as const,
    ...{ model: "Norlight Dart 200", serial: "BX-0001", bytes: 200 * MIB, sectorBytes: 512 as const },
  };
  const report = { name: "bench-x", version: "1", system: "Linux", devices: [{ port: "p", identity }] };
  const look = { inspection: null, pack: null, fingerprint: "0".repeat(64), fault: null };

  async function claimed(tag: string) {
    const { bearer } = await server.token(`bench-x ${tag}`);
    const name = `bench-x ${tag}`;
    const own = { ...report, name, devices: [{ port: "p", identity: { ...identity, serial: `BX-${tag}` } }] };
    value(await takeHostReport(inventory.ina, bearer, own));
    value(await takeHostLook(inventory.ina, bearer, { name, port: "p", identity: own.devices[0]?.identity, look }));
    const id = value(await begin(`${name} p`, tag));
    const given = value(await claimForHost(inventory.ina, bearer, { name }));
    expect(given?.id).toBe(id);
    const tell = (told: HostTold, runner = given?.runner ?? "") =>
      takeTelling(inventory.ina, bearer, id, { runner, told });
    return { bearer, id, tell, given };
  }

  test("says that it verified what it never wrote: nothing is recorded", async () => {
    const { id, tell } = await claimed("RM-X1");
    const result = { state: "verified", writtenBytes: 1, writeRate: 1, readRate: 1, viewsAsPredicted: true } as const;
    value(await tell({ what: "end", state: "done", result }));
    expect(await job(id)).toMatchObject({ state: "failed", result: { state: "lines-missing", codes: ["recorded"] } });
    expect(await getMedium(inventory.ina, "RM-X1")).toBeNull();
  });

  test("sends a reading of something else, or leaves out what it should have done: neither is recorded", async () => {
    const { id, tell } = await claimed("RM-X2");
    const { inspection } = await inspect(memory(smallRelease(w, "OTHER", ["ia32"])), { name: "RM-X2.img" });
    expect(value(await tell({ what: "made", read: inspection })).result).toMatchObject({ state: "not-as-predicted" });
    expect(await getMedium(inventory.ina, "RM-X2")).toBeNull();
    expect((await job(id)).codes).toEqual([]);
  });

  test("speaks of a job that is another's, or is over, or with words that nobody knows", async () => {
    const { id, tell } = await claimed("RM-X3");
    const { bearer } = await server.token("bench-y");
    const beat = { what: "beat", phase: "write", doneBytes: 1, totalBytes: 2, rate: null } as const;
    expect(await takeTelling(inventory.ina, bearer, id, { runner: "x", told: beat })).toMatchObject({
      problem: { code: "not-found" },
    });
    expect(value(await tell(beat, "somebody else"))).toMatchObject({ isHeld: false });
    expect(value(await tell(beat))).toMatchObject({ isHeld: true, wish: null, isSeated: true });
    for (const told of [
      { what: "line", line: { code: "recorded", medium: "RM-X3" } },
      { what: "line", line: { code: "as-predicted" } },
      { what: "line", line: { code: "ended", result: "verified" } },
      { what: "beat", phase: "x".repeat(99), doneBytes: -1, totalBytes: 2, rate: null },
      { what: "tested", result: { state: "sound" }, wear: null },
    ])
      expect(await tell(told as unknown as HostTold)).toMatchObject({ problem: { code: "invalid" } });
    expect((await job(id)).codes).toEqual([]);
    // Another token does not become this host, until its own is ended: then its ports are on the bench no more.
    const taken = await takeHostReport(inventory.ina, bearer, { ...report, name: "bench-x RM-X3" });
    expect(taken).toMatchObject({ problem: { why: { code: "bench-host-taken" } } });
    const { id: ownToken } = (await claimed("RM-X4")).bearer;
    value(await endHost(inventory.ina, ownToken));
    expect((await berthNamed("bench-x RM-X4 p"))?.device).toBeNull();
    value(await takeHostReport(inventory.ina, bearer, { ...report, name: "bench-x RM-X4", devices: [] }));
  });
});

describe("a server that is not to be believed", () => {
  const untouched = (folder: string) => {
    const content = readFileSync(contentPath(folder));
    return content.every((byte) => byte === 0);
  };

  test.each([
    ["content that is not what its digest says", /content/, (text: string) => text.replace(/CREEL|BOLLARD/i, "XXXXX")],
    [
      "a device that is not in that port",
      /claims/,
      (text: string) => text.replaceAll(/"serial":"BS-\d"/g, '"serial":"BS-77"'),
    ],
    ["a port that was not reported", /claims/, (text: string) => text.replace(/"port":"[^"]+"/, '"port":"port 8"')],
    [
      "another content than the one that it was planned for",
      /claims/,
      (text: string) => text.replace(/"fingerprint":"[0-9a-f]{64}"/, `"fingerprint":"${"0".repeat(64)}"`),
    ],
    ["a file that it never listed", /claims/, (text: string) => text.replace(/"content":0/, '"content":99')],
  ])("asks for %s: nothing is written", async (what, path, lie) => {
    const { host, ports } = await computer(`bench-s ${what.length}`);
    const serial = `BS-${what.length % 10}`;
    await stickIn(ports, "port 1", serial);
    await stickIn(ports, "port 8", "BS-88");
    await host.step();
    const id = value(await begin(`bench-s ${what.length} port 1`, `RM-S${what.length}`));
    server.lies = (asked, body) => (path.test(asked) ? lie(body) : body);
    for (let tries = 0; tries < 5 && (await job(id)).state !== "failed"; tries++) {
      await host.step().catch(() => {});
      await new Promise((resolve) => setTimeout(resolve, 300));
    }
    server.lies = null;
    expect((await job(id)).state).not.toBe("done");
    expect([untouched(join(ports, "port 1")), untouched(join(ports, "port 8"))]).toEqual([true, true]);
    const [row] = await inventory.ina.db.select().from(devices).where(eq(devices.serial, serial)).limit(1);
    expect(row?.timesWritten).toBe(0);
  });
});
