import { randomBytes } from "node:crypto";
import { truncateSync, writeFileSync } from "node:fs";
import { listBerths } from "@/server/bench/berths";
import { getJob, resume } from "@/server/bench/jobs";
import type { Simulated } from "@/server/devices/simulated";
import { getMedium } from "@/server/media/media";
import { run } from "../../scripts/media/workshop";
import { MIB, smallRelease, testBench } from "../support/bench";
import { type BenchServer, benchServer } from "../support/bench-server";
import { testInventory, value } from "../support/database";
import { type Guest, startGuest } from "../support/guest";

// A bench host in a computer of its own: Debian's kernel sees USB mass storage of QEMU's (qemu-xhci, usb-storage, usb-bot
// with scsi-hd, sd-card), and Creel what the kernel shows of it. `npm run bench-host` runs all of it, `npm test` the
// first part.
const inventory = testInventory();
const bench = testBench(inventory);
const { w, job } = bench;
const isWhole = process.env.CREEL_BENCH_HOST === "1";
const whole = isWhole ? test : test.skip;

let server: BenchServer;
let guest: Guest;
let releaseId: number;
let largeId: number;

/** A file that stands for a device, empty or with a FAT of a name. */
function disk(name: string, bytes: number, label?: string): string {
  const path = w.path(`${name}.img`);
  writeFileSync(path, "");
  truncateSync(path, bytes);
  if (label) run("mkfs.fat", ["-n", label, path]);
  return path;
}

const drive = (id: string, path: string, more = "") => ["-drive", `if=none,id=${id},format=raw,file=${path}${more}`];
const stick = (id: string, serial: string | null, port: number) => [
  "-device",
  `usb-storage,bus=usb.0,port=${port},id=u-${id},drive=${id},removable=on${serial ? `,serial=${serial}` : ""}`,
];

const BYTES = 160 * MIB;

beforeAll(async () => {
  server = await benchServer(inventory);
  releaseId = await bench.release(smallRelease(w, "CAIRN", ["x64"]), "Cairn", "1", ["file-rescue"]);
  // So large that it is being written for a while.
  const filler = w.path("filler.bin");
  writeFileSync(filler, randomBytes(48 * MIB));
  const large = { "EFI/BOOT/BOOTX64.EFI": w.efi("x64"), "live/filler.bin": filler };
  if (isWhole) largeId = await bench.release(w.iso("LARGE.iso", large, ["-V", "LARGE"]), "Large", "1", ["file-rescue"]);
  const { secret } = await server.token("guest");
  const faulty = w.path("faulty.conf");
  // QEMU, docs/devel/blkdebug.rst: a read error at a sector, in units of 512 bytes.
  writeFileSync(
    faulty,
    '[inject-error]\nevent = "read_aio"\nerrno = "5"\nsector = "4096"\nimmediately = "off"\nonce = "off"\n',
  );
  guest = await startGuest({ port: Number(new URL(server.url).port), token: secret }, [
    ...drive("own", disk("own", BYTES)),
    ...["-device", "ahci,id=ahci", "-device", "ide-hd,drive=own,bus=ahci.0,serial=OWNDISK1"],
    ...drive("a", disk("a", BYTES)),
    ...stick("a", "GUEST-A1", 1),
    ...drive("m", disk("m", 64 * MIB, "MOUNTED")),
    ...stick("m", "GUEST-M1", 2),
    ...(isWhole
      ? [
          ...drive("b", disk("b", BYTES), ",bps_wr=6000000"),
          ...stick("b", "GUEST-B1", 3),
          ...drive("p", disk("p", BYTES), ",readonly=on"),
          ...stick("p", "GUEST-P1", 4),
          ...["-blockdev", `driver=file,node-name=f-file,filename=${disk("f", BYTES)}`],
          ...["-blockdev", `driver=blkdebug,node-name=f-debug,image=f-file,config=${faulty}`],
          ...["-blockdev", "driver=raw,node-name=f,file=f-debug"],
          ...stick("f", "GUEST-F1", 5),
          // A card's size is a power of two (SD Association, "Physical Layer Simplified Specification").
          ...drive("c", disk("c", 256 * MIB)),
          ...["-device", "sdhci-pci", "-device", "sd-card,drive=c"],
        ]
      : []),
  ]);
}, 300_000);
afterAll(async () => {
  await guest?.stop();
  await server?.close();
});

const inGuest = async () =>
  (await listBerths(inventory.ina)).filter(({ host, device }) => host?.name === "guest" && device);
const bySerial = async (serial: string) =>
  (await inGuest()).find(({ device }) => device?.row.serial === serial && !device.isUnread);

async function until<T>(find: () => Promise<T | null | undefined | false>, seconds: number, what: string): Promise<T> {
  for (const end = Date.now() + seconds * 1000; Date.now() < end; ) {
    const found = await find();
    if (found) return found;
    await new Promise((resolve) => setTimeout(resolve, 250));
  }
  throw new Error(`not within ${seconds} s: ${what}\n${guest.console().slice(-3000)}`);
}

async function begin(serial: string, tag: string, of = releaseId): Promise<number> {
  const { id: berthId, device } = await until(() => bySerial(serial), 300, `${serial} on the bench`);
  const stickOf = { berthId, deviceId: device?.row.id ?? 0, serial, simulated: {} as Simulated };
  return value(await bench.begin(stickOf, { releaseId: of, tag }));
}

const over = (id: number, ...states: string[]) =>
  until(
    async () => (states.includes((await job(id)).state) ? job(id) : null),
    240,
    `job ${id} is ${states.join(" or ")}`,
  );

test("a stick in a guest is written, read back, compared and recorded; its own disk and what is mounted are never offered", async () => {
  const id = await begin("GUEST-A1", "RM-G1");
  expect(await over(id, "done", "failed")).toMatchObject({ state: "done", result: { state: "verified" } });
  expect(run("sgdisk", ["-v", w.path("a.img")])).toContain("No problems found");
  expect(run("mdir", ["-b", "-i", `${w.path("a.img")}@@1M`, "::/EFI/BOOT"])).toContain("BOOTX64.EFI");
  expect((await getMedium(inventory.ina, "RM-G1"))?.row).toMatchObject({ kind: "usb", verifiedWhole: true });
  const serials = (await inGuest()).map(({ device }) => device?.row.serial);
  expect(serials).toContain("GUEST-A1");
  expect(guest.console()).toContain("mounted a stick");
  expect(serials.filter((serial) => serial === "GUEST-M1" || serial === "OWNDISK1")).toEqual([]);
  expect(guest.console()).not.toContain("OWNDISK1");
}, 900_000);

whole(
  "a stick that is pulled in the middle fails there, and goes on when it is back",
  async () => {
    const id = await begin("GUEST-B1", "RM-G2", largeId);
    await until(
      async () => {
        const now = (await getJob(inventory.ina, id))?.job;
        return now && ["write", "flush"].includes(now.phase ?? "") && now.doneBytes > 8 * MIB;
      },
      120,
      "it writes",
    );
    await guest.ask("device_del", { id: "u-b" });
    expect(await over(id, "failed")).toMatchObject({ result: { state: "fault" } });
    expect(await getMedium(inventory.ina, "RM-G2")).toBeNull();
    await until(async () => !(await bySerial("GUEST-B1")), 60, "its berth is empty");
    await guest.ask("blockdev-add", { driver: "file", "node-name": "b2", filename: w.path("b.img") });
    const again = {
      driver: "usb-storage",
      bus: "usb.0",
      port: "3",
      id: "u-b2",
      drive: "b2",
      removable: true,
      serial: "GUEST-B1",
    };
    await guest.ask("device_add", again);
    await until(() => bySerial("GUEST-B1").then(Boolean), 60, "it is back");
    value(await resume(inventory.ina, id));
    const done = await over(id, "done", "failed");
    expect(done).toMatchObject({ state: "done", result: { state: "verified" } });
    expect(done.codes).toContain("resumed");
  },
  600_000,
);

whole(
  "one that is write-protected is refused, and one that cannot be read back everywhere is never verified",
  async () => {
    const locked = await begin("GUEST-P1", "RM-G3");
    expect(await over(locked, "failed", "done")).toMatchObject({ result: { state: "fault", code: "write-protected" } });
    const faulty = await begin("GUEST-F1", "RM-G4");
    expect(await over(faulty, "failed", "done")).toMatchObject({ state: "failed", result: { state: "fault" } });
    expect([await getMedium(inventory.ina, "RM-G3"), await getMedium(inventory.ina, "RM-G4")]).toEqual([null, null]);
  },
  600_000,
);

whole(
  "a card in a slot of the guest is made as a card",
  async () => {
    const card = await until(
      async () => (await inGuest()).find(({ device }) => device?.row.kind === "card" && !device.isUnread),
      60,
      "a card",
    );
    expect(card.name).toMatch(/^guest slot mmcblk\d$/);
    const serial = card.device?.row.serial ?? "";
    const at = { berthId: card.id, deviceId: card.device?.row.id ?? 0, serial, simulated: {} as Simulated };
    const id = value(await bench.begin(at, { releaseId, tag: "RM-G7" }));
    expect(await over(id, "done", "failed")).toMatchObject({ state: "done", result: { state: "verified" } });
    expect(run("sgdisk", ["-v", w.path("c.img")])).toContain("No problems found");
    expect((await getMedium(inventory.ina, "RM-G7"))?.row.kind).toBe("usb");
  },
  300_000,
);

whole(
  "two that say the same are told apart by their ports, and 4,096-byte sectors and cards are made as such",
  async () => {
    const add = async (id: string, path: string, device: object) => {
      await guest.ask("blockdev-add", { driver: "file", "node-name": id, filename: path });
      await guest.ask("device_add", { id: `u-${id}`, drive: id, ...device });
    };
    const usb = { driver: "usb-storage", bus: "usb.0", removable: true };
    for (const id of ["b2", "f", "p"]) await guest.ask("device_del", { id: id === "b2" ? "u-b2" : `u-${id}` });
    await until(async () => !(await bySerial("GUEST-P1")), 60, "they are out");
    await add("t1", disk("t1", BYTES), { ...usb, port: "3", serial: "TWIN" });
    await add("t2", disk("t2", BYTES), { ...usb, port: "4", serial: "TWIN" });
    const twins = await until(
      async () => {
        const found = (await inGuest()).filter(({ device }) => device?.row.serial === "TWIN" && !device.isUnread);
        return found.length === 2 ? found : null;
      },
      60,
      "two that say the same",
    );
    const [one, other] = twins as [(typeof twins)[number], (typeof twins)[number]];
    expect(one.device?.alike).toContain(other.name);
    const at = { berthId: one.id, deviceId: one.device?.row.id ?? 0, serial: "TWIN", simulated: {} as Simulated };
    const id = value(await bench.begin(at, { releaseId, tag: "RM-G5" }));
    expect(await over(id, "done", "failed")).toMatchObject({ state: "done" });
    const written = ["t1", "t2"].filter((name) => !run("head", ["-c", "1024", w.path(`${name}.img`)]).match(/^\0*$/));
    expect(written).toHaveLength(1);
    // usb-bot with scsi-hd tells other sectors than 512; usb-storage does not.
    await guest.ask("device_del", { id: "u-t1" });
    await guest.ask("device_del", { id: "u-t2" });
    await guest.ask("blockdev-add", { driver: "file", "node-name": "k", filename: disk("k", 400 * MIB) });
    await guest.ask("device_add", { driver: "usb-bot", bus: "usb.0", port: "4", id: "bot", serial: "GUEST-K1" });
    await guest.ask("device_add", {
      ...{ driver: "scsi-hd", bus: "bot.0", drive: "k", id: "u-k", removable: true, serial: "GUEST-K1" },
      ...{ logical_block_size: 4096, physical_block_size: 4096 },
    });
    await guest.ask("qom-set", { path: "/machine/peripheral/bot", property: "attached", value: true });
    const large = await begin("GUEST-K1", "RM-G6");
    expect(await over(large, "done", "failed")).toMatchObject({ state: "done" });
    expect((await getMedium(inventory.ina, "RM-G6"))?.inspection?.sectorBytes).toBe(4096);
  },
  600_000,
);
