import { and, eq, isNotNull, isNull, ne, or, sql } from "drizzle-orm";
import { sameDevice } from "@/core/making/writing/device";
import { act } from "../act";
import type { Context } from "../context";
import type { Queries } from "../db/client";
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
  await act(context, null, async ({ db: tx }) => {
    // What was begun before a conflict is begun anew.
    seated.devices.clear();
    seated.twins.clear();
    await recognise(tx, found, await elsewhereOf(tx, host), seated);
    const ofHost = host === null ? isNull(berths.hostId) : eq(berths.hostId, host.id);
    const own = await tx
      .select()
      .from(berths)
      .where(and(isNotNull(berths.port), ofHost));
    // Emptied first: a device that was moved is in one berth only.
    for (const { id, port, deviceId } of own)
      if (deviceId !== null && seated.devices.get(port ?? "") !== deviceId) await emptied(tx, id, deviceId);
    for (const { port, identity } of found) {
      const deviceId = seated.devices.get(port);
      const berth = own.find((each) => each.port === port);
      if (deviceId === undefined || berth?.deviceId === deviceId) continue;
      const others = await tx.select({ id: berths.id }).from(berths).where(eq(berths.deviceId, deviceId));
      for (const other of others) await emptied(tx, other.id, deviceId);
      if (berth) await filled(tx, berth.id, deviceId);
      else {
        const name = (host ? `${host.name} ${port}` : port).slice(0, 60);
        const place = PLACE_OF_FOUND;
        await tx
          .insert(berths)
          .values({ name, accepts: identity.kind, place, port, deviceId, hostId: host?.id ?? null });
      }
    }
    return ok(found.length);
  });
  return seated;
}

/** Which recorded device each of those found is; one that was never seen is recorded. */
async function recognise(
  tx: Queries,
  found: readonly Found[],
  elsewhere: ReadonlyMap<number, string>,
  seated: Seated,
): Promise<void> {
  const known = await tx.select().from(devices).where(isNull(devices.simulatedAs));
  const taken = new Set<number>();
  for (const device of found) {
    const { port, identity } = device;
    const row = rowFor(device, known, taken, elsewhere);
    const twin = row && elsewhere.get(row.id);
    if (twin !== undefined) {
      seated.twins.set(port, twin);
      continue;
    }
    const id =
      row?.id ??
      insertedId(
        await tx
          .insert(devices)
          .values({ ...identity, port })
          .$returningId(),
      );
    if (row && row.port !== port) await tx.update(devices).set({ port }).where(eq(devices.id, id));
    taken.add(id);
    seated.devices.set(port, id);
  }
}

/** Devices in ports of somebody else who is there, each with the name of its berth: they are there, not here. */
async function elsewhereOf(tx: Queries, host: Host): Promise<Map<number, string>> {
  const isThere = sql`${benchHosts.seenAt} > ${DATABASE_NOW} - INTERVAL ${HOST_THERE_SECONDS} SECOND`;
  const ofOthers = host === null ? isThere : and(ne(berths.hostId, host.id), isThere);
  // This server's own ports are looked at only where it was told to.
  const isElsewhere = host !== null && usesBlockDevices() ? or(isNull(berths.hostId), ofOthers) : ofOthers;
  const rows = await tx
    .select({ deviceId: berths.deviceId, berth: berths.name })
    .from(berths)
    .leftJoin(benchHosts, eq(benchHosts.id, berths.hostId))
    .where(and(isNotNull(berths.deviceId), isNotNull(berths.port), isElsewhere));
  return new Map(rows.map(({ deviceId, berth }) => [deviceId as DeviceId, berth]));
}

async function emptied(tx: Queries, berthId: BerthId, deviceId: DeviceId): Promise<void> {
  await tx
    .update(berths)
    .set({ deviceId: null, version: sql`${berths.version} + 1` })
    .where(and(eq(berths.id, berthId), eq(berths.deviceId, deviceId)));
  // Whatever comes back is looked at anew.
  await tx.delete(deviceLooks).where(eq(deviceLooks.deviceId, deviceId));
}

async function filled(tx: Queries, berthId: BerthId, deviceId: DeviceId): Promise<void> {
  await tx
    .update(berths)
    .set({ deviceId, version: sql`${berths.version} + 1` })
    .where(eq(berths.id, berthId));
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
