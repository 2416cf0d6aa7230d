import { hex } from "@/core/kernel/fields";
import { type ByteSource, CachedSource, ReadFailed } from "@/core/kernel/source";
import type { PackHead } from "@/core/making/pack/pack";
import { glanceAtPack } from "@/core/making/pack/pack-read";
import { blockDigest } from "@/core/making/writing/blocks";
import { type Device, DeviceFault, type DeviceIdentity } from "@/core/making/writing/device";
import { inspect } from "@/core/medium/inspection/inspect";
import type { Inspection } from "@/core/medium/inspection/schema";

/** As far as a plan goes by a device: as it is kept. */
export interface DeviceShape {
  kind: DeviceIdentity["kind"];
  model: string;
  serial: string | null;
  bytes: number;
  sectorBytes: number;
}

export function identityOfRow({ kind, model, serial, bytes, sectorBytes }: DeviceShape): DeviceIdentity {
  return { kind, model, serial, bytes, sectorBytes: sectorBytes as DeviceIdentity["sectorBytes"] };
}

/** As far as work on a device goes by it. */
export interface DeviceTarget extends DeviceShape {
  /** Keeps images that are received: never written to as a whole. */
  isStore: boolean;
}

/** A device as bytes to be read: what it cannot read is a failed read, as with any file. */
export function asSource(device: Device): ByteSource {
  return {
    sizeBytes: device.sizeBytes,
    read: async (offset, length) => {
      try {
        return await device.read(offset, length);
      } catch (cause) {
        throw new ReadFailed(offset, length, { cause });
      }
    },
  };
}

/** Of a device's first and last bytes, and of some between: another content has another fingerprint. */
const SAMPLE_BYTES = 64 << 10;
const SAMPLES = 16;

export async function fingerprintOf(device: Device): Promise<string> {
  const step = Math.max(SAMPLE_BYTES, Math.floor((device.sizeBytes - SAMPLE_BYTES) / SAMPLES / 512) * 512);
  const digests: Uint8Array[] = [];
  const take = async (at: number) => digests.push(await blockDigest(await readable(device, at)));
  for (let at = 0, sample = 0; at < device.sizeBytes && sample <= SAMPLES; at += step, sample++) await take(at);
  await take(Math.max(0, device.sizeBytes - SAMPLE_BYTES));
  const all = new Uint8Array(digests.length * 32);
  for (const [at, digest] of digests.entries()) all.set(digest, at * 32);
  return hex(await blockDigest(all));
}

/** What can be read of a sample: a place that the device cannot read is empty. A device that is gone is no other one. */
async function readable(device: Device, at: number): Promise<Uint8Array> {
  try {
    return await device.read(at, SAMPLE_BYTES);
  } catch (error) {
    if (error instanceof DeviceFault && error.code === "read-failed") return new Uint8Array(0);
    throw error;
  }
}

/** What a quick look at a device finds. */
export interface Look {
  inspection: Inspection | null;
  /** What it says of itself; null where it carries no pack. */
  pack: PackHead | null;
  fingerprint: string | null;
  /** Why it could not be looked at. */
  fault: DeviceFault["code"] | null;
}

export const UNSEEN: Look = { inspection: null, pack: null, fingerprint: null, fault: null };

/** The sectors of a device, as reading it asks for them; of a disc they are told by its kind. */
export function sectorsOf({ sectorBytes }: Pick<DeviceShape, "sectorBytes">): { sectorBytes: 512 | 4096 } {
  return { sectorBytes: sectorBytes === 4096 ? 4096 : 512 };
}

/** Looks at a device that `open` opens. */
export async function lookWith(open: () => Promise<Device>, shape: DeviceShape): Promise<Look> {
  try {
    const device = await open();
    try {
      const source = new CachedSource(asSource(device));
      const { inspection } = await inspect(source, { name: `${shape.model}.img`, ...sectorsOf(shape) });
      const pack = await glanceAtPack(source);
      return { inspection, pack, fingerprint: await fingerprintOf(device), fault: null };
    } finally {
      await device.close();
    }
  } catch (error) {
    const cause = error instanceof ReadFailed ? error.cause : error;
    if (cause instanceof DeviceFault) return { ...UNSEEN, fault: cause.code };
    throw error;
  }
}
