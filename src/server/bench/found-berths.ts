import { and, eq, isNotNull, isNull, sql } from "drizzle-orm";
import { sameDevice } from "@/core/making/writing/device";
import { act } from "../act";
import type { Context } from "../context";
import { insertedId } from "../db/results";
import { berths, devices } from "../db/schema";
import { ok } from "../problems";
import { type BlockDevice, findBlockDevices, usesBlockDevices } from "./block-devices";
import { type DeviceRow, identityOfRow } from "./devices";

/** Behind the berths that somebody set up. */
const PLACE_OF_FOUND = 1000;

/** Brings the berths that stand for ports of this machine to what is in them now. Does nothing where it was not told to. */
export async function seatFoundDevices(context: Context): Promise<void> {
  if (!usesBlockDevices()) return;
  await seat(context, await findBlockDevices());
}

/** A port is a berth, made when something is first seen in it; it is empty once that is gone. */
export async function seat(context: Context, found: BlockDevice[]): Promise<void> {
  await act(context, null, async ({ db: tx }) => {
    const knownDevices = await tx.select().from(devices).where(isNull(devices.simulatedAs));
    const knownBerths = await tx.select().from(berths).where(isNotNull(berths.port));
    const seated = new Map<string, number>();
    const taken = new Set<number>();
    for (const device of found) {
      const row = rowFor(device, knownDevices, taken);
      let id = row?.id;
      if (id === undefined) {
        const added = await tx
          .insert(devices)
          .values({ ...device.identity, port: device.port })
          .$returningId();
        id = insertedId(added);
      } else if (row?.port !== device.port)
        await tx.update(devices).set({ port: device.port }).where(eq(devices.id, id));
      taken.add(id);
      seated.set(device.port, id);
    }
    // Emptied first: a device that was moved is in one berth only.
    for (const berth of knownBerths)
      if (berth.deviceId !== null && seated.get(berth.port ?? "") !== berth.deviceId)
        await tx
          .update(berths)
          .set({ deviceId: null, version: sql`${berths.version} + 1` })
          .where(and(eq(berths.id, berth.id), eq(berths.deviceId, berth.deviceId)));
    for (const { port, identity } of found) {
      const berth = knownBerths.find((each) => each.port === port);
      const deviceId = seated.get(port) as number;
      if (!berth)
        await tx.insert(berths).values({ name: port, accepts: identity.kind, place: PLACE_OF_FOUND, port, deviceId });
      else if (berth.deviceId !== deviceId)
        await tx
          .update(berths)
          .set({ deviceId, version: sql`${berths.version} + 1` })
          .where(eq(berths.id, berth.id));
    }
    return ok(found.length);
  });
}

/** The device that is meant: of several that say the same of themselves, the one that was in this port last. */
function rowFor({ identity, port }: BlockDevice, known: DeviceRow[], taken: Set<number>): DeviceRow | undefined {
  const alike = known.filter((row) => !taken.has(row.id) && sameDevice(identityOfRow(row), identity));
  return alike.find((row) => row.port === port) ?? alike[0];
}
