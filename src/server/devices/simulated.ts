import { type FileHandle, mkdir, open, readFile, rename, stat, writeFile } from "node:fs/promises";
import { dirname, join } from "node:path";
import { z } from "zod";
import { DEVICE_KINDS, type Device, DeviceFault, type DeviceIdentity } from "@/core/making/writing/device";

/** A simulated device as its file has it: what it says of itself, what it is, and which faults are switched on. */
export const simulatedSchema = z.object({
  kind: z.enum(DEVICE_KINDS),
  model: z.string(),
  serial: z.string().nullable(),
  /** What it says it holds. */
  bytes: z.number().int().positive(),
  sectorBytes: z.union([z.literal(512), z.literal(2048), z.literal(4096)]).default(512),
  /** Bytes a second; null: as fast as this machine. */
  readRate: z.number().positive().nullable().default(null),
  writeRate: z.number().positive().nullable().default(null),
  faults: z
    .object({
      /** What it really holds; what is written past it wraps around, or is dropped. */
      counterfeit: z.object({ trueBytes: z.number().int().positive(), how: z.enum(["wraps", "drops"]) }).nullable(),
      /** Sectors that cannot be read or written. */
      bad: z.array(z.object({ start: z.number().int(), lengthBytes: z.number().int() })),
      /** It is pulled out once so much was written to it since it was put in. */
      pulledAfterBytes: z.number().int().nullable(),
      /** It answers no more once so much was written. */
      stopsAfterBytes: z.number().int().nullable(),
      /** Flash with a small fast cache: slower once so much was written. */
      slowAfter: z.object({ bytes: z.number().int(), writeRate: z.number().positive() }).nullable(),
      writeProtected: z.boolean(),
      inUse: z.boolean(),
      /** One bit of this byte comes back wrong, as from flash that forgets. */
      flipsAt: z.number().int().nullable(),
    })
    .partial()
    .default({}),
});
export type Simulated = z.infer<typeof simulatedSchema>;

/** What a simulated device is made of: a folder with its description and its content. */
const DESCRIPTION = "device.json";
const CONTENT = "content.img";

export async function makeSimulated(folder: string, given: z.input<typeof simulatedSchema>): Promise<Simulated> {
  const simulated = simulatedSchema.parse(given);
  await mkdir(folder, { recursive: true });
  const content = await open(join(folder, CONTENT), "a");
  // A disc that was not written yet has nothing on it to be read.
  if (simulated.kind !== "optical" && (await content.stat()).size === 0) await content.truncate(realBytes(simulated));
  await content.close();
  await saveSimulated(folder, simulated);
  return simulated;
}

/** Whole or not at all, whatever happens meanwhile. */
export async function saveSimulated(folder: string, simulated: Simulated): Promise<void> {
  const file = join(folder, DESCRIPTION);
  await writeFile(`${file}.new`, JSON.stringify(simulated, null, 2));
  await rename(`${file}.new`, file);
}

/** Null where the folder holds no device that can be read. */
export async function readSimulated(folder: string): Promise<Simulated | null> {
  try {
    return simulatedSchema.parse(JSON.parse(await readFile(join(folder, DESCRIPTION), "utf8")));
  } catch {
    return null;
  }
}

export function contentPath(folder: string): string {
  return join(folder, CONTENT);
}

function realBytes({ bytes, faults }: Simulated): number {
  return faults.counterfeit?.trueBytes ?? bytes;
}

function identityOf({ kind, model, serial, bytes, sectorBytes }: Simulated): DeviceIdentity {
  return { kind, model, serial, bytes, sectorBytes };
}

/** Opens a simulated device. Throws `DeviceFault` where it is gone, or in use by somebody else and wanted for writing. */
export async function openSimulated(folder: string, { write }: { write: boolean }): Promise<Device> {
  const simulated = await readSimulated(folder);
  if (!simulated) throw new DeviceFault("gone");
  if (write && simulated.faults.inUse) throw new DeviceFault("in-use");
  if (write && simulated.faults.writeProtected) throw new DeviceFault("write-protected");
  const size = await stat(contentPath(folder)).then(
    (found) => found.size,
    () => 0,
  );
  if (write && simulated.kind === "optical" && size > 0) throw new DeviceFault("already-written");
  const handle = await open(contentPath(folder), write ? "r+" : "r").catch(() => null);
  if (!handle) throw new DeviceFault("gone");
  return new SimulatedDevice(folder, simulated, handle);
}

class SimulatedDevice implements Device {
  readonly identity: DeviceIdentity;
  readonly sizeBytes: number;
  private writtenBytes = 0;
  /** When the device will be done with what it was given so far. */
  private busyUntil = 0;
  constructor(
    private readonly folder: string,
    private readonly simulated: Simulated,
    private readonly handle: FileHandle,
  ) {
    this.identity = identityOf(simulated);
    this.sizeBytes = simulated.bytes;
  }

  async read(offset: number, length: number): Promise<Uint8Array> {
    const wanted = Math.max(0, Math.min(length, this.sizeBytes - offset));
    // A plain array on the buffer's memory: a Buffer's own `slice` would share its bytes instead of copying them.
    const out = new Uint8Array(Buffer.allocUnsafeSlow(wanted).buffer);
    return out.subarray(0, await this.readInto(offset, out));
  }

  async readInto(offset: number, target: Uint8Array): Promise<number> {
    const wanted = Math.max(0, Math.min(target.length, this.sizeBytes - offset));
    const out = target.subarray(0, wanted);
    await this.answer(offset);
    if (this.isBad(offset, wanted)) throw new DeviceFault("read-failed", offset);
    await this.pace(wanted, this.simulated.readRate);
    // What is not there reads as zeros; what is there fills the rest, so that the usual block is not cleared first.
    const isWhole = !this.simulated.faults.counterfeit && this.identity.kind !== "optical";
    if (!isWhole) out.fill(0);
    for (const { at, from, bytes } of this.runs(offset, wanted)) {
      if (at === null) continue;
      const { bytesRead } = await this.handle.read(out, from, bytes, at);
      if (isWhole) out.fill(0, from + bytesRead);
      // A disc ends where it was written to.
      if (bytesRead < bytes && this.identity.kind === "optical") return from + bytesRead;
    }
    const flip = this.simulated.faults.flipsAt;
    if (flip != null && flip >= offset && flip < offset + wanted)
      out[flip - offset] = (out[flip - offset] as number) ^ 4;
    return wanted;
  }

  async write(offset: number, bytes: Uint8Array): Promise<void> {
    await this.answer(offset);
    if (offset + bytes.length > this.sizeBytes || this.isBad(offset, bytes.length))
      throw new DeviceFault("write-failed", offset);
    const { writeRate, faults } = this.simulated;
    const slow = faults.slowAfter && this.writtenBytes >= faults.slowAfter.bytes ? faults.slowAfter.writeRate : null;
    await this.pace(bytes.length, slow ?? writeRate);
    for (const { at, from, bytes: count } of this.runs(offset, bytes.length))
      if (at !== null) await this.handle.write(bytes, from, count, at);
    this.writtenBytes += bytes.length;
  }

  async flush(): Promise<void> {
    await this.answer(null);
    await this.handle.datasync();
  }

  async close(): Promise<void> {
    await this.handle.close();
  }

  /** Throws where it was pulled out meanwhile; never answers where it has stopped. */
  private async answer(offset: number | null): Promise<void> {
    const { pulledAfterBytes, stopsAfterBytes } = this.simulated.faults;
    if (pulledAfterBytes != null && this.writtenBytes >= pulledAfterBytes) throw new DeviceFault("gone", offset);
    if (stopsAfterBytes != null && this.writtenBytes >= stopsAfterBytes) await new Promise(() => {});
    const isThere = await stat(dirname(contentPath(this.folder))).catch(() => null);
    if (!isThere) throw new DeviceFault("gone", offset);
  }

  private isBad(offset: number, length: number): boolean {
    const bad = this.simulated.faults.bad ?? [];
    return bad.some(({ start, lengthBytes }) => start < offset + length && start + lengthBytes > offset);
  }

  /** Where a range really lies: a counterfeit wraps around at its true size, or has nothing behind it (`at` null). */
  private *runs(offset: number, length: number): Generator<{ at: number | null; from: number; bytes: number }> {
    const { counterfeit } = this.simulated.faults;
    if (!counterfeit) {
      yield { at: offset, from: 0, bytes: length };
      return;
    }
    const { trueBytes, how } = counterfeit;
    for (let from = 0; from < length; ) {
      const place = offset + from;
      const within = place % trueBytes;
      const bytes = Math.min(length - from, trueBytes - within);
      yield { at: place < trueBytes || how === "wraps" ? within : null, from, bytes };
      from += bytes;
    }
  }

  private async pace(bytes: number, rate: number | null): Promise<void> {
    if (rate === null) return;
    const now = performance.now();
    this.busyUntil = Math.max(now, this.busyUntil) + (bytes / rate) * 1000;
    await new Promise((resolve) => setTimeout(resolve, this.busyUntil - now));
  }
}
