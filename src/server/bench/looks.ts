import { eq, inArray } from "drizzle-orm";
import { hostLookSchema } from "@/core/making/jobs/host";
import type { Context } from "../context";
import { berths, deviceLooks } from "../db/schema";
import { type Look, UNSEEN } from "../devices/device";
import { type DeviceRow, lookHere } from "./devices";

/** What is known of a device: looked at here, or as the bench host saw it in whose port it is. */
export async function lookAt(context: Pick<Context, "db">, row: DeviceRow): Promise<Look> {
  return (await looksAt(context, [row])).get(row.id) ?? UNSEEN;
}

/** The same of several devices, by their ids. */
export async function looksAt({ db }: Pick<Context, "db">, rows: readonly DeviceRow[]): Promise<Map<number, Look>> {
  const ids = rows.map(({ id }) => id);
  if (ids.length === 0) return new Map();
  const [seats, kept] = await Promise.all([
    db.select({ deviceId: berths.deviceId, hostId: berths.hostId }).from(berths).where(inArray(berths.deviceId, ids)),
    db.select().from(deviceLooks).where(inArray(deviceLooks.deviceId, ids)),
  ]);
  const elsewhere = new Set(seats.flatMap(({ deviceId, hostId }) => (hostId === null ? [] : [deviceId])));
  const looks = new Map(kept.map(({ deviceId, look }) => [deviceId as number, look]));
  const found = await Promise.all(
    rows.map(async (row) => {
      if (!elsewhere.has(row.id)) return [row.id, await lookHere(row)] as const;
      // One that an earlier version kept otherwise is as good as none: the host looks again.
      const read = hostLookSchema.shape.look.safeParse(looks.get(row.id));
      return [row.id, read.success ? read.data : UNSEEN] as const;
    }),
  );
  return new Map(found);
}

/** Whether a device is in a port of a bench host. */
export async function isElsewhere({ db }: Pick<Context, "db">, row: Pick<DeviceRow, "id">): Promise<boolean> {
  const [seat] = await db.select({ hostId: berths.hostId }).from(berths).where(eq(berths.deviceId, row.id));
  return seat?.hostId != null;
}
