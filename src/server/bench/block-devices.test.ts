import { mkdirSync, readFileSync, rmSync } from "node:fs";
import { join } from "node:path";
import { eq } from "drizzle-orm";
import { DeviceFault, type DeviceIdentity } from "@/core/making/writing/device";
import { testInventory } from "../../../test/support/database";
import { addDisk, type Disk, file } from "../../../test/support/host-tree";
import { tempWorkshop } from "../../../test/support/workshop";
import { berths, devices } from "../db/schema";
import { findBlockDevices, type HostTree, openBlockDevice } from "../devices/block-devices";
import { fillBerth, listBerths } from "./berths";
import { seat } from "./found-berths";

const w = tempWorkshop();
const host: HostTree = { sys: w.path("sys"), proc: w.path("proc"), dev: w.path("dev") };

const disk = (name: string, given: Disk) => addDisk(host, name, given);

beforeEach(() => {
  for (const folder of Object.values(host)) rmSync(folder, { recursive: true, force: true });
  mkdirSync(join(host.sys, "block"), { recursive: true });
  file(join(host.proc, "self", "mountinfo"), "22 1 8:1 / / rw - ext4 /dev/sda1 rw\n");
  file(join(host.proc, "swaps"), "Filename\tType\tSize\n");
});

const names = async () => (await findBlockDevices(host)).map(({ name }) => name);

test("a stick in a port is found with what it says of itself", async () => {
  disk("sdb", { port: "2-1.4", serial: "ND20417731", bytes: 4 << 20 });
  expect(await findBlockDevices(host)).toEqual([
    {
      name: "sdb",
      port: "USB 2-1.4",
      identity: { kind: "usb", model: "Norlight Dart", serial: "ND20417731", bytes: 4 << 20, sectorBytes: 512 },
    },
  ]);
});

test("disks of the machine, what is mounted, swapped to or part of something else, and empty slots are not", async () => {
  disk("sda", { removable: false, number: "8:0", partitions: ["sda1"] });
  disk("sdc", { port: "2-2", number: "8:32", partitions: ["sdc1"] });
  disk("sdd", { port: "2-3", number: "8:48", partitions: ["sdd1", "sdd2"] });
  disk("sde", { port: "2-4", number: "8:64", partitions: ["sde1"] });
  disk("sdf", { port: "2-5", number: "8:80", bytes: 0 });
  disk("nvme0n1", { number: "259:0" });
  disk("sdg", { port: "2-6", number: "8:96" });
  expect(await names()).toEqual(["sdc", "sdd", "sde", "sdg"]);
  file(join(host.proc, "self", "mountinfo"), "22 1 8:1 / / rw\n40 22 8:33 / /media/stick rw\n");
  file(join(host.proc, "swaps"), "Filename Type Size\n/dev/sdd2 partition 1000\n");
  file(join(host.sys, "class", "block", "sdd2", "dev"), "8:50\n");
  file(join(host.sys, "block", "sde", "sde1", "holders", "dm-0"), "");
  expect(await names()).toEqual(["sdg"]);
});

test("it is opened as long as it is the one that is meant, written to, and read anew after a flush", async () => {
  disk("sdb", { port: "2-1" });
  const [found] = await findBlockDevices(host);
  const { port, identity } = found as { port: string; identity: DeviceIdentity };
  const flushed: string[] = [];
  const options = { host, flushCaches: async (node: string) => void flushed.push(node) };
  const device = await openBlockDevice(port, identity, { ...options, write: true });
  await device.write(512, new Uint8Array(1024).fill(7));
  await device.flush();
  expect([...(await device.read(1000, 700)).subarray(530, 540)]).toEqual([7, 7, 7, 7, 7, 7, 0, 0, 0, 0]);
  expect((await device.read(identity.bytes - 100, 400)).length).toBe(100);
  await device.close();
  expect(flushed).toEqual([join(host.dev, "sdb")]);
  expect(readFileSync(join(host.dev, "sdb")).subarray(510, 514)).toEqual(Buffer.of(0, 0, 7, 7));
  const fault = (wanted: DeviceIdentity) =>
    openBlockDevice(port, wanted, { ...options, write: true }).then(
      () => null,
      (error: unknown) => (error instanceof DeviceFault ? error.code : error),
    );
  file(join(host.sys, "block", "sdb", "ro"), "1\n");
  expect(await fault(identity)).toBe("write-protected");
  // Mounted since it was planned for, then another one in its port, then none.
  file(join(host.proc, "self", "mountinfo"), "40 22 8:16 / /media/stick rw\n");
  expect(await fault(identity)).toBe("in-use");
  file(join(host.proc, "self", "mountinfo"), "");
  file(join(host.sys, "devices", "pci0000:00", "usb2", "2-1", "serial"), "S2\n");
  expect(await fault(identity)).not.toBeNull();
  rmSync(join(host.sys, "block", "sdb"), { recursive: true });
  expect(await fault(identity)).toBe("gone");
});

describe("ports as berths", () => {
  const inventory = testInventory();
  const seen = async () =>
    (await listBerths(inventory.ina)).map(({ name, device, isPort }) => [name, isPort, device?.row.serial ?? null]);

  test("a port is a berth with whatever is in it; devices are known again wherever they are put", async () => {
    disk("sdb", { port: "2-1", serial: "A1" });
    disk("sdc", { port: "2-2", serial: "A2", number: "8:32" });
    await seat(inventory.ina, await findBlockDevices(host));
    expect(await seen()).toEqual([
      ["USB 2-1", true, "A1"],
      ["USB 2-2", true, "A2"],
    ]);
    rmSync(join(host.sys, "block", "sdb"), { recursive: true });
    rmSync(join(host.sys, "block", "sdc"), { recursive: true });
    disk("sdd", { port: "2-3", serial: "A1", number: "8:48" });
    await seat(inventory.ina, await findBlockDevices(host));
    expect(await seen()).toEqual([
      ["USB 2-1", true, null],
      ["USB 2-2", true, null],
      ["USB 2-3", true, "A1"],
    ]);
    const rows = await inventory.ina.db.select().from(devices);
    expect(rows.map(({ serial, port }) => [serial, port])).toEqual([
      ["A1", "USB 2-3"],
      ["A2", "USB 2-2"],
    ]);
  });

  test("what is in a port is not put in or taken out here", async () => {
    const [berth] = await inventory.ina.db.select().from(berths).where(eq(berths.name, "USB 2-3"));
    const result = await fillBerth(inventory.ina, berth?.id ?? 0, berth?.version ?? 0, null);
    expect(result.ok ? null : result.problem).toMatchObject({ code: "refused", why: { code: "berth-is-port" } });
  });
});
