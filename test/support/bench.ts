import { copyFileSync, mkdirSync } from "node:fs";
import { join } from "node:path";
import type { BenchResult } from "@/core/making/jobs/job";
import { inspect } from "@/core/medium/inspection/inspect";
import { makeManifest } from "@/core/medium/integrity/manifest";
import type { Purpose } from "@/core/medium/releases/facts";
import { getJob, type StartInput, startPreparation } from "@/server/bench/jobs";
import { planInBerth } from "@/server/bench/plans";
import { BenchRunner } from "@/server/bench/runner";
import type { Context } from "@/server/context";
import { berths, devices } from "@/server/db/schema";
import { makeSimulated, type Simulated } from "@/server/devices/simulated";
import { keepContents, keepManifest } from "@/server/inspections/contents";
import { addKit, addRelease } from "@/server/media/releases";
import type { Result } from "@/server/problems";
import { MODULES_ALIAS_5 } from "../../scripts/demo/drivers";
import { initrd } from "../../scripts/demo/images";
import type { Workshop } from "../../scripts/media/workshop";
import { type TestInventory, value } from "./database";
import { memory, tempWorkshop } from "./workshop";

export const MIB = 1 << 20;

/** A stick in a berth of its own. */
export interface Stick {
  deviceId: number;
  berthId: number;
  simulated: Simulated;
  serial: string;
}

export interface TestBench {
  w: Workshop;
  /** Where a simulated device is kept, by its name. */
  folderOf: (name: string) => string;
  stick: (
    name: string,
    more?: Partial<typeof devices.$inferInsert>,
    faults?: Partial<Simulated["faults"]>,
    context?: Context,
  ) => Promise<Stick>;
  /** Puts a file into the library, reads it, and enters it as a release with its manifest. Gives the release's id. */
  release: (file: string, kit: string, name: string, purposes: Purpose[]) => Promise<number>;
  /** Plans a medium in a stick's berth, names the stick, and queues it. */
  begin: (stick: Stick, wish: { releaseId: number; tag: string } & Partial<StartInput>) => Promise<Result<number>>;
  /** Does whatever is queued. */
  work: () => Promise<void>;
  job: (id: number) => Promise<{ state: string; result: BenchResult | null; codes: string[] }>;
}

/** A disc file with a release for UEFI computers of some architectures, with drivers for what is common. */
export function smallRelease(w: Workshop, name: string, archs: readonly ("x64" | "ia32")[]): string {
  const loaders = archs.map((arch) => [`EFI/BOOT/BOOT${arch.toUpperCase()}.EFI`, w.efi(arch)]);
  const files = {
    ...Object.fromEntries(loaders),
    "README.TXT": w.text(`${name}.txt`, name),
    "live/initrd.img": initrd(w, name, "6.12.9-small", MODULES_ALIAS_5),
  };
  return w.iso(`${name}.iso`, files, ["-V", name]);
}

/** A bench with simulated devices over an inventory, in a folder of its own. */
export function testBench(inventory: TestInventory): TestBench {
  const w = tempWorkshop();
  const data = join(w.folder, "data");
  const folderOf = (name: string) => join(data, "devices", name);
  beforeAll(() => {
    process.env.CREEL_DATA = data;
    mkdirSync(join(data, "library"), { recursive: true });
  });
  afterAll(() => {
    delete process.env.CREEL_DATA;
  });
  return {
    w,
    folderOf,
    stick: async (name, more = {}, faults = {}, { db } = inventory.ina) => {
      const given = {
        kind: "usb",
        model: "Norlight Dart 200",
        serial: `SER-${name}`,
        bytes: 200 * MIB,
        sectorBytes: 512,
      } as const;
      const simulated = await makeSimulated(folderOf(name), {
        ...given,
        ...(more.bytes ? { bytes: more.bytes } : {}),
        faults,
      });
      const [row] = await db
        .insert(devices)
        .values({ ...given, simulatedAs: name, ...more })
        .$returningId();
      const deviceId = (row as { id: number }).id;
      const [berth] = await db
        .insert(berths)
        .values({ name: `Berth ${name}`, accepts: "usb", place: 1, deviceId })
        .$returningId();
      return { deviceId, berthId: (berth as { id: number }).id, simulated, serial: given.serial };
    },
    release: async (file, kit, name, purposes) => {
      const own = file.split("/").at(-1) as string;
      copyFileSync(file, join(data, "library", own));
      const { inspection, drivers } = await inspect(memory(file), { name: own, depth: "deep" });
      const inspectionId = value(await keepContents(inventory.ina, { inspection, drivers, listing: null }));
      value(await keepManifest(inventory.ina, inspectionId, await makeManifest(memory(file), { name: own })));
      const kitId = value(await addKit(inventory.ina, { name: kit, family: "Linux" }));
      const facts = { purposes, opens: [{ kit, upTo: null }], abilities: [] };
      return value(await addRelease(inventory.ina, { kitId, name, madeOn: "2026-01-01", facts, inspectionId }));
    },
    begin: async ({ berthId, serial }, { releaseId, tag, ...more }) => {
      const wish = {
        ...{ berthId, releaseId, tag, store: true, files: [], besideIds: more.besideIds ?? [] },
        ...{ way: "laid-out" as const, table: "gpt" as const },
      };
      const { look } = value(await planInBerth(inventory.ina, wish));
      const confirm = serial.slice(-4);
      const fingerprint = look.fingerprint ?? "";
      return startPreparation(inventory.ina, { ...wish, confirm, lossAgreed: false, fingerprint, ...more });
    },
    work: async () => {
      const runner = new BenchRunner(inventory.ina.db, inventory.ina.now);
      await runner.step();
      await runner.idle();
    },
    job: async (id) => {
      const found = await getJob(inventory.ina, id);
      if (!found) throw new Error(`job ${id}`);
      const { state, result } = found.job;
      return { state, result: result as BenchResult | null, codes: found.lines.map(({ line }) => line.code) };
    },
  };
}
