import { randomBytes } from "node:crypto";
import { mkdirSync, readFileSync, renameSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { BenchHost } from "@/cli/host/host";
import { type Ports, simulatedPorts } from "@/cli/host/ports";
import { CreelServer, ServerUnreached } from "@/cli/server/client";
import type { Device } from "@/core/making/writing/device";
import { listBerths } from "@/server/bench/berths";
import { resume, startCheck } from "@/server/bench/jobs";
import { markInterrupted } from "@/server/bench/runner";
import { contentPath, makeSimulated, type Simulated } from "@/server/devices/simulated";
import { getMedium } from "@/server/media/media";
import { MIB, testBench } from "../support/bench";
import { type BenchServer, benchServer } from "../support/bench-server";
import { testInventory, value } from "../support/database";
import { dice } from "../support/dice";

// A host whose cables are pulled at random: its connection, its power, its stick. Whatever happens, a medium is recorded
// once all of it was read back, and holds what was written. CREEL_PULLS: how often (50 take about five minutes).
const inventory = testInventory();
const bench = testBench(inventory);
const { w, job } = bench;
const PULLS = Number(process.env.CREEL_PULLS ?? 8);
const TIMES = { silentAfter: 1_200, held: 900, tellEvery: 60, sleeps: true };
const MEDIA = 2;
/** What was said of a medium before it is recorded. */
const PROVEN = ["written", "flushed", "read-back", "inspected", "as-predicted"];
let server: BenchServer;
let releaseId: number;

beforeAll(async () => {
  server = await benchServer(inventory);
  // So large that writing it takes seconds.
  const filler = w.path("filler.bin");
  writeFileSync(filler, randomBytes(16 * MIB));
  const file = w.iso("CAIRN.iso", { "EFI/BOOT/BOOTX64.EFI": w.efi("x64"), "live/filler.bin": filler }, ["-V", "CAIRN"]);
  releaseId = await bench.release(file, "Cairn", "1", ["file-rescue"]);
});
afterAll(() => server.close());

const wait = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

/** A host that can lose its power: from then on nothing of it is heard, and nothing of it reaches a device. */
async function powered(secret: string, ports: string, folder: string) {
  let isOn = true;
  const guard = <T>(run: () => Promise<T>): Promise<T> => (isOn ? run() : new Promise<T>(() => {}));
  const real = await CreelServer.of({ server: server.url, token: secret });
  const reached = new Proxy(real, {
    get: (target, key) => {
      const own = Reflect.get(target, key, target);
      if (typeof own !== "function") return own;
      return (...given: unknown[]) =>
        isOn ? own.apply(target, given) : Promise.reject(new ServerUnreached("no power"));
    },
  });
  const simulated = simulatedPorts(ports);
  const own: Ports = {
    list: simulated.list,
    open: async (port, identity, access) => {
      const device = await simulated.open(port, identity, access);
      const acts: Partial<Device> = {
        read: (offset, length) => guard(() => device.read(offset, length)),
        write: (offset, bytes) => guard(() => device.write(offset, bytes)),
        flush: () => guard(() => device.flush()),
        close: () => device.close(),
      };
      return { identity: device.identity, sizeBytes: device.sizeBytes, ...acts } as Device;
    },
  };
  const host = new BenchHost({
    ...{ server: reached, ports: own, folder, name: "bench-p", times: TIMES, print: () => {} },
  });
  return {
    step: () => host.step().catch(() => false),
    off: () => {
      isOn = false;
    },
  };
}

test(`${PULLS} cables pulled at random: nothing is recorded that was not read back, and all of it is in the end`, async () => {
  const random = dice(20_261_201);
  const { secret } = await server.token("bench-p");
  const [ports, folder] = [w.path("ports"), w.path("state")];
  for (const each of [ports, folder]) mkdirSync(each, { recursive: true });
  const berthOf = async (port: string) =>
    (await listBerths(inventory.ina)).find(({ name }) => name === `bench-p ${port}`);
  let host = await powered(secret, ports, folder);
  let pulls = 0;
  for (let nth = 0; nth < MEDIA; nth++) {
    const port = `port ${nth}`;
    const serial = `BP-000${nth}`;
    await makeSimulated(join(ports, port), {
      ...{ kind: "usb", model: "Norlight Dart 200", serial, bytes: 200 * MIB, sectorBytes: 512 },
      faults: { slowAfter: { bytes: MIB, writeRate: 3e6 } },
    });
    const seen = async () => {
      for (let tries = 0; !(await berthOf(port))?.device?.look.fingerprint && tries < 200; tries++) {
        await host.step();
        await wait(20);
      }
    };
    await seen();
    const found = await berthOf(port);
    const at = { berthId: found?.id ?? 0, deviceId: found?.device?.row.id ?? 0, serial, simulated: {} as Simulated };
    const tag = `RM-P${nth}`;
    const id = value(await bench.begin(at, { releaseId, tag }));
    const most = Math.ceil((PULLS * (nth + 1)) / MEDIA);
    for (let turns = 0; (await job(id)).state !== "done"; turns++) {
      if (turns > 2_000) throw new Error(`job ${id} is ${JSON.stringify(await job(id))}`);
      await host.step();
      await wait(40);
      const { state } = await job(id);
      if (await getMedium(inventory.ina, tag)) expect((await job(id)).codes).toEqual(expect.arrayContaining(PROVEN));
      // Somebody puts the stick back and says go on; what is interrupted goes on by itself.
      if (state === "failed") {
        const said = JSON.stringify(await job(id));
        if (!(await resume(inventory.ina, id)).ok) throw new Error(said);
      }
      await markInterrupted(inventory.ina.db, new Date(), TIMES);
      if (state !== "running" || pulls >= most || random(3) > 0) continue;
      pulls++;
      const kind = random(3);
      if (kind === 0) {
        server.isCut = true;
        await wait(200 + random(2_000));
        server.isCut = false;
      } else if (kind === 1) {
        host.off();
        await wait(random(1_500));
        host = await powered(secret, ports, folder);
      } else {
        renameSync(join(ports, port), w.path("pocket"));
        await host.step();
        await wait(random(900));
        renameSync(w.path("pocket"), join(ports, port));
      }
    }
    const { codes, result } = await job(id);
    expect(result).toMatchObject({ state: "verified" });
    expect(codes).toEqual(expect.arrayContaining(PROVEN));
    await seen();
    const check = value(await startCheck(inventory.ina, found?.id ?? 0, { kind: "verify" }, ""));
    for (let tries = 0; !["done", "failed"].includes((await job(check)).state) && tries < 400; tries++) {
      await host.step();
      await markInterrupted(inventory.ina.db, new Date(), TIMES);
      await wait(40);
    }
    expect(await job(check)).toMatchObject({ state: "done", result: { state: "compared", same: true } });
    expect(readFileSync(contentPath(join(ports, port))).subarray(510, 512)).toEqual(Buffer.of(0x55, 0xaa));
  }
  expect(pulls).toBe(PULLS);
}, 900_000);
