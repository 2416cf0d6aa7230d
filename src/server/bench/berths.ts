import { and, asc, desc, eq, inArray, isNotNull, isNull, notInArray, sql } from "drizzle-orm";
import { z } from "zod";
import { dayOf } from "@/core/kernel/days";
import { sameDevice } from "@/core/making/writing/device";
import { type Trust, trustOf } from "@/core/making/writing/trust";
import { act } from "../act";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import type { BenchHostId, BenchJobId, BerthId, DeviceId } from "../db/ids";
import { benchJobs, berths, computers, devices, drills, media } from "../db/schema";
import { identityOfRow, type Look, UNSEEN } from "../devices/device";
import { onlyRoutesOn } from "../fleet/covers";
import { imageParts } from "../images/image-parts";
import { saveVersioned } from "../inventory/versioned";
import { checked, fail, ok, type Result, refused } from "../problems";
import type { DeviceRow } from "./devices";
import { type Fault, faultOf } from "./faults";
import { listHosts } from "./host-list";
import { looksAt } from "./looks";

/** States in which a job holds its berth. */
export const HOLDING = ["queued", "running", "paused", "interrupted"] as const;

export interface Berth {
  id: BerthId;
  name: string;
  accepts: string;
  version: number;
  /** It stands for a port of this machine: what is in it is found, not put in here. */
  isPort: boolean;
  /** The bench host whose port it is; null: this server. */
  host: { id: BenchHostId; name: string; isThere: boolean } | null;
  device: BerthDevice | null;
  /** The job that holds the berth. */
  jobId: BenchJobId | null;
}

export interface BerthDevice {
  row: DeviceRow;
  look: Look;
  /** It is at a bench host, which has not read it yet. */
  isUnread: boolean;
  /** The medium that it is. */
  medium: { tag: string; name: string | null } | null;
  /** Other berths with a device that says the same of itself, or nearly. */
  alike: string[];
  /** What would be lost with it. */
  loss: Loss;
  /** Whether it is to be relied on. */
  trust: Trust;
  /** The fault that is switched on, of a simulated one; null of a real one. */
  fault: Fault | null;
}

/** What emptying a device would take away. */
export interface Loss {
  /** Computers that have no other route that holds, or holds after a change. */
  onlyRouteOf: string[];
  /** Names of images that lie on it. */
  images: string[];
}

/** All berths in their order, with what is in them. */
export async function listBerths(context: Context): Promise<Berth[]> {
  const rows = await context.db
    .select({ berth: berths, device: devices, mediumTag: media.tag, mediumName: media.name })
    .from(berths)
    .leftJoin(devices, eq(devices.id, berths.deviceId))
    .leftJoin(media, and(eq(media.id, devices.mediumId), isNull(media.retiredAt)))
    .orderBy(asc(berths.place), asc(berths.name));
  const jobs = await context.db
    .select({ id: benchJobs.id, berthId: benchJobs.berthId })
    .from(benchJobs)
    .where(inArray(benchJobs.state, [...HOLDING]))
    .orderBy(desc(benchJobs.id));
  const jobOf = new Map(jobs.map(({ id, berthId }) => [berthId, id]));
  const [histories, hosts] = await Promise.all([historiesOf(context), listHosts(context)]);
  const hostOf = new Map(hosts.map(({ id, name, isThere }) => [id, { id, name, isThere }]));
  // A device that is being written to is not read beside it.
  const idle = rows.flatMap(({ berth, device }) => (device && !jobOf.has(berth.id) ? [device] : []));
  const looks = await looksAt(context, idle);
  const losses = await lossesOf(
    context,
    rows.flatMap(({ mediumTag }) => mediumTag ?? []),
  );
  return Promise.all(
    rows.map(async ({ berth, device, mediumTag, mediumName }): Promise<Berth> => {
      const { id, name, accepts, version } = berth;
      const isPort = berth.port !== null;
      const jobId = jobOf.get(id) ?? null;
      const host = berth.hostId === null ? null : (hostOf.get(berth.hostId) ?? null);
      if (!device) return { id, name, accepts, version, isPort, host, device: null, jobId };
      const look = looks.get(device.id) ?? UNSEEN;
      const alike = rows.flatMap((other) =>
        other.device && other.device.id !== device.id && areAlike(device, other.device) ? [other.berth.name] : [],
      );
      return {
        id,
        name,
        accepts,
        version,
        isPort,
        host,
        jobId,
        device: {
          row: device,
          look,
          isUnread: host !== null && jobId === null && look.inspection === null && look.fault === null,
          medium: mediumTag === null ? null : { tag: mediumTag, name: mediumName },
          alike,
          loss: losses.get(mediumTag ?? "") ?? { onlyRouteOf: [], images: [] },
          trust: trustIn(device, histories, context.now()),
          fault: await faultOf(device.simulatedAs),
        },
      };
    }),
  );
}

/** Of devices that have something in common: how many there are, and how many were found counterfeit or failing. */
interface Kin {
  known: number;
  failed: number;
}

interface Histories {
  models: Map<string, Kin>;
  /** By model and batch. */
  batches: Map<string, Kin>;
  /** By medium: the last time that it was used, where it failed, and when that was recorded. */
  failedUses: Map<number, { on: string; computer: string; recordedAt: string }>;
  /** By device: when all of it was last read and found right. */
  readWhole: Map<number, string>;
}

const batchKey = (model: string, batch: string | null) => JSON.stringify([model, batch]);
const hasFailed = (test: DeviceRow["testResult"]) => test?.state === "counterfeit" || test?.state === "failing";

async function historiesOf({ db }: Context): Promise<Histories> {
  const [rows, uses, reads] = await Promise.all([countsOf(db), lastUsesOf(db), lastReadsOf(db)]);
  const failedUses = uses.flatMap(({ mediumId, last }) => {
    const [on, , result, recordedAt, ...tag] = last.split(" ");
    if (!on || !recordedAt || result !== "failed") return [];
    return [[mediumId, { on, recordedAt, computer: tag.join(" ") }] as const];
  });
  const histories: Histories = {
    ...{ models: new Map(), batches: new Map(), failedUses: new Map(failedUses) },
    readWhole: new Map(reads.map(({ deviceId, at }) => [deviceId, at])),
  };
  const add = (map: Map<string, Kin>, key: string, kin: Kin) => {
    const so = map.get(key) ?? { known: 0, failed: 0 };
    map.set(key, { known: so.known + kin.known, failed: so.failed + kin.failed });
  };
  for (const { model, batch, ...counts } of rows) {
    const kin = { known: Number(counts.known), failed: Number(counts.failed) };
    add(histories.models, model, kin);
    if (batch !== null) add(histories.batches, batchKey(model, batch), kin);
  }
  return histories;
}

/** How many devices there are of each model and batch, and how many failed their test. */
function countsOf(db: Queries) {
  return db
    .select({
      model: devices.model,
      batch: devices.batch,
      known: sql<number>`COUNT(*)`,
      failed: sql<number>`COALESCE(SUM(JSON_VALUE(${devices.testResult}, '$.state') IN ('counterfeit', 'failing')), 0)`,
    })
    .from(devices)
    .groupBy(devices.model, devices.batch);
}

/** Times as texts that sort, to the millisecond. */
const TIME = "%Y-%m-%dT%H:%i:%s.%f";

/** When all of each device was last read back and found right, when it was made or verified. */
function lastReadsOf(db: Queries) {
  return db
    .select({
      deviceId: benchJobs.deviceId,
      at: sql<string>`DATE_FORMAT(MAX(${benchJobs.endedAt}), ${TIME})`,
    })
    .from(benchJobs)
    .where(
      and(
        eq(benchJobs.state, "done"),
        isNotNull(benchJobs.endedAt),
        sql`JSON_VALUE(${benchJobs.result}, '$.state') IN ('verified', 'compared')`,
      ),
    )
    .groupBy(benchJobs.deviceId);
}

/**
 * Of each medium that a device was made into: day, row, result, time of recording and computer of its last use, in one
 * text that sorts.
 */
function lastUsesOf(db: Queries) {
  return db
    .select({
      mediumId: drills.mediumId,
      last: sql<string>`MAX(CONCAT(${drills.on}, ' ', LPAD(${drills.id}, 10, '0'), ' ', ${drills.result}, ' ', DATE_FORMAT(${drills.createdAt}, ${TIME}), ' ', ${computers.tag}))`,
    })
    .from(drills)
    .innerJoin(devices, eq(devices.mediumId, drills.mediumId))
    .innerJoin(computers, eq(computers.id, drills.computerId))
    .where(eq(drills.isEmulated, false))
    .groupBy(drills.mediumId);
}

function trustIn(device: DeviceRow, { models, batches, failedUses, readWhole }: Histories, now: Date): Trust {
  const { bytes, timesWritten, bytesWritten, testResult: test, createdAt, model, batch } = device;
  const others = (kin: Kin | undefined): Kin => ({
    known: (kin?.known ?? 1) - 1,
    failed: (kin?.failed ?? 0) - (hasFailed(test) ? 1 : 0),
  });
  const failed = device.mediumId === null ? undefined : failedUses.get(device.mediumId);
  const isReadSince = failed !== undefined && (readWhole.get(device.id) ?? "") > failed.recordedAt;
  return trustOf(
    {
      ...{ bytes, timesWritten, bytesWritten, test },
      since: createdAt.toISOString(),
      testedOn: device.testedAt ? dayOf(device.testedAt) : null,
      failedUse: failed && !isReadSince ? { on: failed.on, computer: failed.computer } : null,
      sameModel: others(models.get(model)),
      sameBatch: batch === null ? null : { name: batch, ...others(batches.get(batchKey(model, batch))) },
    },
    now.toISOString(),
  );
}

/** Every device that was ever in a berth, with whether it is to be relied on; at most `limit`. */
export async function listDevices(
  context: Context,
  limit = 500,
): Promise<{ row: DeviceRow; trust: Trust; berth: string | null; medium: string | null }[]> {
  const [rows, histories] = await Promise.all([
    context.db
      .select({ row: devices, berth: berths.name, medium: media.tag })
      .from(devices)
      .leftJoin(berths, eq(berths.deviceId, devices.id))
      .leftJoin(media, and(eq(media.id, devices.mediumId), isNull(media.retiredAt)))
      .orderBy(asc(devices.model), asc(devices.batch), asc(devices.serial), asc(devices.id))
      .limit(limit),
    historiesOf(context),
  ]);
  return rows.map(({ row, ...rest }) => ({ row, ...rest, trust: trustIn(row, histories, context.now()) }));
}

const batchSchema = z
  .string()
  .trim()
  .max(60, "A batch has at most 60 characters.")
  .nullable()
  .transform((value) => value || null);

/** Says which batch a device is of. Problems: `invalid`, `not-found`, `stale`. */
export async function setBatch(
  context: Context,
  deviceId: DeviceId,
  version: number,
  batch: unknown,
): Promise<Result<number>> {
  const parsed = checked(z.object({ batch: batchSchema }), { batch });
  if (!parsed.ok) return parsed;
  return act(context, null, async ({ db: tx }): Promise<Result<number>> => {
    const [row] = await tx.select().from(devices).where(eq(devices.id, deviceId)).for("update");
    if (!row) return fail({ code: "not-found", what: "device" });
    if (row.batch === parsed.value.batch) return ok(row.version);
    return saveVersioned(tx, context, devices, {
      entity: "device",
      id: deviceId,
      version,
      tag: [row.model, row.serial].filter(Boolean).join(" "),
      action: "changed",
      set: parsed.value,
      before: { batch: row.batch },
      after: parsed.value,
    });
  });
}

/** The same model and size: told apart by their serials at most. */
function areAlike(a: DeviceRow, b: DeviceRow): boolean {
  return sameDevice({ ...identityOfRow(a), serial: null }, { ...identityOfRow(b), serial: null });
}

/** What emptying some media would take away, by their tags. */
export async function lossesOf(context: Context, tags: string[]): Promise<Map<string, Loss>> {
  const found = new Map<string, Loss>();
  if (tags.length === 0) return found;
  const [only, images] = await Promise.all([onlyRoutesOn(context, tags), imageParts(context.db)]);
  for (const [at, tag] of tags.entries()) {
    const onlyRouteOf = only[at] ?? [];
    const held = images.filter(({ places }) => places.some((place) => place.on === "medium" && place.tag === tag));
    found.set(tag, { onlyRouteOf, images: held.map(({ id }) => id) });
  }
  return found;
}

/** Devices that are in no berth. */
export async function looseDevices(context: Context): Promise<DeviceRow[]> {
  const taken = await context.db.select({ id: berths.deviceId }).from(berths);
  const ids = taken.flatMap(({ id }) => id ?? []);
  return context.db
    .select()
    .from(devices)
    .where(and(isNotNull(devices.simulatedAs), ids.length > 0 ? notInArray(devices.id, ids) : undefined))
    .orderBy(asc(devices.model), asc(devices.serial))
    .limit(100);
}

/** Puts a device into an empty berth, or takes out what is in it (`deviceId` null). Problems: `invalid`, `stale`, `not-found`. */
export async function fillBerth(
  context: Context,
  berthId: BerthId,
  version: number,
  deviceId: DeviceId | null,
): Promise<Result<number>> {
  return act(context, null, async ({ db: tx }): Promise<Result<number>> => {
    const [berth] = await tx.select().from(berths).where(eq(berths.id, berthId)).for("update");
    if (!berth) return fail({ code: "not-found", what: "berth" });
    if (berth.port !== null) return refused({ code: "berth-is-port", berth: berth.name });
    if (deviceId !== null) {
      if (berth.deviceId !== null) return refused({ code: "berth-taken", berth: berth.name });
      const [device] = await tx.select().from(devices).where(eq(devices.id, deviceId));
      if (!device) return fail({ code: "not-found", what: "device" });
      if ((berth.accepts === "optical") !== (device.kind === "optical"))
        return refused({ code: "berth-takes", berth: berth.name, discs: berth.accepts === "optical" });
      const [elsewhere] = await tx.select({ name: berths.name }).from(berths).where(eq(berths.deviceId, deviceId));
      if (elsewhere) return refused({ code: "device-elsewhere", berth: elsewhere.name });
    }
    return saveVersioned(tx, context, berths, {
      entity: "berth",
      id: berthId,
      version,
      tag: berth.name,
      action: "changed",
      set: { deviceId },
      before: { deviceId: berth.deviceId },
      after: { deviceId },
    });
  });
}
