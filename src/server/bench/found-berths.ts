import { and, eq, gt, isNotNull, isNull, ne, sql } from "drizzle-orm";
import { sameDevice } from "@/core/making/writing/device";
import { act } from "../act";
import type { Context } from "../context";
import type { BenchHostId, BerthId, DeviceId } from "../db/ids";
import { insertedId } from "../db/results";
import { benchHosts, berths, deviceLooks, devices } from "../db/schema";
import { type BlockDevice, findBlockDevices, usesBlockDevices } from "../devices/block-devices";
import { identityOfRow } from "../devices/device";
import { DATABASE_NOW } from "../jobs/jobs";
import { ok } from "../problems";
import type { DeviceRow } from "./devices";
import { HOST_THERE_SECONDS } from "./host-list";

/** Behind the berths that somebody set up. */
const PLACE_OF_FOUND = 1000;
/** Whose ports are looked at; null: this server's own. */
export type Host = { id: BenchHostId; name: string } | null;

export type Found = Pick<BlockDevice, "port" | "identity">;

/** Brings the berths that stand for ports of this machine to what is in them now. Does nothing where it was not told to. */
export async function seatFoundDevices(context: Context): Promise<void> {
  if (!usesBlockDevices()) return;
  await seat(context, await findBlockDevices());
}

export interface Seated {
  /** By port: the device in it. */
  devices: Map<string, DeviceId>;
  /** Ports of devices that say the same of themselves as one that is in another berth now, whose name this is. */
  twins: Map<string, string>;
}

/** A port is a berth, made when something is first seen in it; it is empty once that is gone. */
export async function seat(context: Context, found: readonly Found[], host: Host = null): Promise<Seated> {
  const seated: Seated = { devices: new Map(), twins: new Map() };
  const ofHost = host === null ? isNull(berths.hostId) : eq(berths.hostId, host.id);
  await act(context, null, async ({ db: tx }) => {
    seated.devices.clear();
    seated.twins.clear();
    const knownDevices = await tx.select().from(devices).where(isNull(devices.simulatedAs));
    const knownBerths = await tx
      .select()
      .from(berths)
      .where(and(isNotNull(berths.port), ofHost));
    // What is in a berth of somebody else's who is there is there, not here.
    const elsewhere = new Map(
      (
        await tx
          .select({ deviceId: berths.deviceId, berth: berths.name })
          .from(berths)
          .leftJoin(benchHosts, eq(benchHosts.id, berths.hostId))
          .where(
            and(
              isNotNull(berths.deviceId),
              isNotNull(berths.port),
              host === null
                ? gt(benchHosts.seenAt, sql`${DATABASE_NOW} - INTERVAL ${HOST_THERE_SECONDS} SECOND`)
                : sql`(${berths.hostId} IS NULL OR (${ne(berths.hostId, host.id)} AND ${benchHosts.seenAt} > ${DATABASE_NOW} - INTERVAL ${HOST_THERE_SECONDS} SECOND))`,
            ),
          )
      ).map(({ deviceId, berth }) => [deviceId as DeviceId, berth]),
    );
    const taken = new Set<number>();
    for (const device of found) {
      const row = rowFor(device, knownDevices, taken, elsewhere);
      if (row && elsewhere.has(row.id)) {
        seated.twins.set(device.port, elsewhere.get(row.id) as string);
        continue;
      }
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
      seated.devices.set(device.port, id);
    }
    const emptied = async (id: BerthId, deviceId: DeviceId) => {
      await tx
        .update(berths)
        .set({ deviceId: null, version: sql`${berths.version} + 1` })
        .where(and(eq(berths.id, id), eq(berths.deviceId, deviceId)));
      // Whatever comes back is looked at anew.
      await tx.delete(deviceLooks).where(eq(deviceLooks.deviceId, deviceId));
    };
    // Emptied first: a device that was moved is in one berth only.
    for (const berth of knownBerths)
      if (berth.deviceId !== null && seated.devices.get(berth.port ?? "") !== berth.deviceId)
        await emptied(berth.id, berth.deviceId);
    for (const [port, deviceId] of seated.devices) {
      const berth = knownBerths.find((each) => each.port === port);
      if (berth?.deviceId === deviceId) continue;
      const others = await tx.select({ id: berths.id }).from(berths).where(eq(berths.deviceId, deviceId));
      for (const other of others) await emptied(other.id, deviceId);
      const { kind } = (found.find((each) => each.port === port) as Found).identity;
      const name = (host ? `${host.name} ${port}` : port).slice(0, 60);
      if (!berth)
        await tx
          .insert(berths)
          .values({ ...{ name, accepts: kind, place: PLACE_OF_FOUND, port, deviceId }, hostId: host?.id ?? null });
      else
        await tx
          .update(berths)
          .set({ deviceId, version: sql`${berths.version} + 1` })
          .where(eq(berths.id, berth.id));
    }
    return ok(found.length);
  });
  return seated;
}

/**
 * The device that is meant: of several that say the same of themselves, the one that was in this port last. One that is in
 * a berth elsewhere is meant only where it has a serial, and no other is left.
 */
function rowFor(
  { identity, port }: Found,
  known: DeviceRow[],
  taken: Set<number>,
  elsewhere: ReadonlyMap<number, string>,
): DeviceRow | undefined {
  const alike = known.filter((row) => !taken.has(row.id) && sameDevice(identityOfRow(row), identity));
  const here = alike.filter(({ id }) => !elsewhere.has(id));
  return here.find((row) => row.port === port) ?? here[0] ?? (identity.serial === null ? undefined : alike[0]);
}
