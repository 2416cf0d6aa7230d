import { eq } from "drizzle-orm";
import { CachedSource, ReadFailed } from "@/core/kernel/source";
import { findPack, readPack } from "@/core/making/pack/pack-read";
import { DeviceFault } from "@/core/making/writing/device";
import { inspect } from "@/core/medium/inspection/inspect";
import { act } from "../act";
import type { Context } from "../context";
import type { BerthId } from "../db/ids";
import { berths, devices, media } from "../db/schema";
import { asSource } from "../devices/device";
import { fail, type Result, refused } from "../problems";
import { openDevice } from "./devices";
import { isElsewhere } from "./looks";
import { importPack, type PackImport } from "./pack-import";

/** Takes in what the device in a berth says of itself. It is that medium from then on. Problems: `not-found`, `invalid`. */
export async function takeInFromBerth(context: Context, berthId: BerthId): Promise<Result<PackImport>> {
  const [row] = await context.db
    .select({ device: devices })
    .from(berths)
    .innerJoin(devices, eq(devices.id, berths.deviceId))
    .where(eq(berths.id, berthId));
  if (!row) return fail({ code: "not-found", what: "device in that berth" });
  if (await isElsewhere(context, row.device)) return refused({ code: "records-by-folder" });
  try {
    const device = await openDevice(row.device, { write: false });
    try {
      const source = new CachedSource(asSource(device));
      const open = await findPack(source);
      if (!open) return refused({ code: "pack-refused", problem: { code: "no-pack" } });
      const reading = await readPack(open);
      if (!reading.ok) return refused({ code: "pack-refused", problem: reading.problem });
      const { inspection } = await inspect(source, { name: `${reading.pack.head.medium.tag}.img` });
      return await act(context, null, async (acting) => {
        const taken = await importPack(acting, reading.pack, { read: inspection, isWhole: null });
        if (!taken.ok) return taken;
        const { tag } = taken.value.medium;
        const [medium] = await acting.db.select({ id: media.id }).from(media).where(eq(media.tag, tag));
        const [other] = medium
          ? await acting.db.select().from(devices).where(eq(devices.mediumId, medium.id)).limit(1)
          : [];
        const name = [other?.model, other?.serial].filter(Boolean).join(" ");
        if (other && other.id !== row.device.id) return refused({ code: "copy-of-medium", tag, device: name });
        if (medium) await acting.db.update(devices).set({ mediumId: medium.id }).where(eq(devices.id, row.device.id));
        return taken;
      });
    } finally {
      await device.close();
    }
  } catch (error) {
    const cause = error instanceof ReadFailed ? error.cause : error;
    if (cause instanceof DeviceFault) return refused({ code: "device-fault", fault: cause.code, offset: cause.offset });
    throw error;
  }
}
