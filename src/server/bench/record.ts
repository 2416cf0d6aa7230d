import { and, eq, isNull, sql } from "drizzle-orm";
import { dayOf } from "@/core/kernel/days";
import type { KeptAs } from "@/core/making/jobs/job";
import { isLean, type MediumPlan } from "@/core/making/planning/plan";
import type { Inspection } from "@/core/medium/inspection/schema";
import { problemText } from "../../core/words/problems";
import { act } from "../act";
import type { Context } from "../context";
import type { DeviceId } from "../db/ids";
import { devices, media, sites, stores } from "../db/schema";
import { settleTask } from "../drills/cover-tasks";
import { noteCopy } from "../images/images";
import { knownCopies } from "../images/store-scans";
import { addStore, retireStore } from "../images/stores";
import {
  addMedium,
  getMedium,
  type MediumDetail,
  type MediumInput,
  markLean,
  mediumInputOf,
  NOTHING_READ,
  retireMedium,
  saveMedium,
} from "../media/media";
import { ok, type Result } from "../problems";
import { type DeviceRow, mediumKindOf } from "./devices";
import type { BenchJob } from "./jobs";

/**
 * Says of the medium that a device was until now that what it carried, images in its store too, is there no longer. Before the first byte is
 * written: whatever becomes of the job, nobody reaches for it.
 */
export async function voidMedium(context: Context, device: DeviceRow): Promise<void> {
  const tag = await tagOf(context, device);
  const medium = tag === null ? null : await getMedium(context, tag);
  if (!medium) return;
  const own = await context.db.select({ id: stores.id }).from(stores).where(eq(stores.mediumId, medium.row.id));
  for (const { id: storeId } of own)
    for (const { imageId, files } of await knownCopies(context, storeId))
      await noteCopy(context.db, context, { imageId, storeId, files, state: "missing" });
  const input = { ...mediumInputOf(medium), releaseIds: [], writtenOn: null, verified: null };
  const saved = await saveMedium(context, medium.row.id, medium.row.version, input, NOTHING_READ);
  if (!saved.ok) throw new Error(problemText(saved.problem));
}

async function tagOf(context: Context, device: DeviceRow): Promise<string | null> {
  if (device.mediumId === null) return null;
  const [row] = await context.db
    .select({ tag: media.tag })
    .from(media)
    .where(and(eq(media.id, device.mediumId), isNull(media.retiredAt)));
  return row?.tag ?? null;
}

/** A device that is found to fail, or to be another size than it says, makes the medium that it is one not to be relied on. */
export async function distrustMedium(context: Context, device: DeviceRow): Promise<void> {
  const tag = await tagOf(context, device);
  const medium = tag === null ? null : await getMedium(context, tag);
  if (!medium) return;
  const input = { ...mediumInputOf(medium), condition: "distrusted" as const };
  const saved = await saveMedium(context, medium.row.id, medium.row.version, input);
  if (!saved.ok) throw new Error(problemText(saved.problem));
}

/** What of a plan is recorded with the medium that was made by it. */
type Recorded = Pick<Extract<MediumPlan, { ok: true }>, "loads" | "parts" | "notes">;

/**
 * Enters a medium that was made and verified, in one act: the one with its tag as it is now, or a new one; which device
 * it is; and what was asked for by it is done. Gives its tag.
 */
export async function recordMedium(
  context: Context,
  job: BenchJob,
  device: DeviceRow,
  read: Inspection,
  plan: Recorded,
): Promise<string | null> {
  const recorded = await act(context, null, async (acting) => {
    const tag = await recordWithin(acting, job, device, read, plan);
    if (tag !== null) await recordStore(acting, tag, storeBytesOf(plan));
    return ok(tag);
  });
  if (!recorded.ok) throw new Error(problemText(recorded.problem));
  return recorded.value;
}

/** The room for images that a plan makes; null where it makes none. */
export function storeBytesOf({ parts }: Pick<Recorded, "parts">): number | null {
  return parts.find(({ role }) => role === "store")?.lengthBytes ?? null;
}

/** The room for images that a medium was made with is a store, as any other; one that it had before is none any more. */
async function recordStore(context: Context, tag: string, bytes: number | null): Promise<void> {
  const medium = await getMedium(context, tag);
  if (!medium) return;
  const known = await context.db.select().from(stores).where(eq(stores.mediumId, medium.row.id));
  if (bytes === null) {
    for (const { id, version, retiredAt } of known)
      if (retiredAt === null) await done(retireStore(context, id, version, true));
    return;
  }
  const room = { capacityBytes: bytes, freeBytes: bytes };
  const [own] = known;
  if (own) {
    // It was made anew: whatever was in it is gone, and nobody else's words about it are.
    if (own.retiredAt !== null) await done(retireStore(context, own.id, own.version, false));
    await context.db
      .update(stores)
      .set({ ...room, measuredOn: dayOf(context.now()) })
      .where(eq(stores.id, own.id));
    return;
  }
  const name = `${tag} store`;
  const [taken] = await context.db.select({ id: stores.id }).from(stores).where(eq(stores.name, name));
  if (taken) return;
  const input = { name, kind: "medium", medium: tag, computer: null, diskSerial: null, siteId: medium.row.siteId };
  const rest = { reachedFrom: null, address: null, folder: null, namePattern: null, note: null };
  await done(addStore(context, { ...input, ...rest, ...room }));
}

/** Enters a device that was made a store and verified; what medium it was it is no longer. */
export async function recordPlainStore(
  context: Context,
  device: DeviceRow,
  { name, siteId }: { name: string; siteId: number | null },
  bytes: number,
): Promise<void> {
  const recorded = await act(context, null, async (acting) => {
    const earlier = await tagOf(acting, device);
    await acting.db.update(devices).set({ mediumId: null, isStore: true }).where(eq(devices.id, device.id));
    if (earlier !== null) await retireEarlier(acting, earlier);
    const [taken] = await acting.db.select({ id: stores.id }).from(stores).where(eq(stores.name, name));
    // Somebody registered one of that name meanwhile: that one is meant.
    if (taken) return ok(null);
    const room = { capacityBytes: bytes, freeBytes: bytes };
    const none = { medium: null, computer: null, diskSerial: null, reachedFrom: null, address: null, folder: null };
    await done(addStore(acting, { name, kind: "disk", siteId, ...none, namePattern: null, note: null, ...room }));
    return ok(null);
  });
  if (!recorded.ok) throw new Error(problemText(recorded.problem));
}

async function done(doing: Promise<Result<number>>): Promise<void> {
  const result = await doing;
  if (!result.ok) throw new Error(problemText(result.problem));
}

async function recordWithin(
  context: Context,
  job: BenchJob,
  device: DeviceRow,
  read: Inspection,
  plan: Recorded,
): Promise<string | null> {
  const tag = job.mediumTag;
  if (tag === null || job.releaseId === null) return null;
  const earlier = await tagOf(context, device);
  const releaseIds = [job.releaseId, ...(job.request.kind === "prepare" ? (job.request.besideIds ?? []) : [])];
  // In the order in which they were asked for; a medium with one release has it to itself.
  const parts = new Map(
    plan.loads.flatMap((load, nth) => (releaseIds[nth] === undefined ? [] : [[releaseIds[nth], load]])),
  );
  const today = dayOf(context.now());
  const made = {
    kind: mediumKindOf(device),
    capacityBytes: device.bytes,
    writtenOn: today,
    verified: { on: today, whole: true, sampledOn: null },
    releaseIds,
  } as const;
  const before = await broughtBack(context, tag);
  const keptAs = job.request.kind === "prepare" ? await keptAsOf(context, job.request.keptAs) : {};
  const fresh: MediumInput = {
    tag,
    ...{ name: null, siteId: null, onComputer: null, lentTo: null, note: null, condition: "good" },
    ...keptAs,
    ...made,
  };
  const again = before && { ...mediumInputOf(before), ...keptAs, ...made };
  const result =
    before && again
      ? await saveMedium(context, before.row.id, before.row.version, again, read, parts)
      : await addMedium(context, fresh, read, parts);
  if (!result.ok) throw new Error(problemText(result.problem));
  const [row] = await context.db.select({ id: media.id }).from(media).where(eq(media.tag, tag));
  if (row) {
    // A tag is on one device: one that had it before has it no longer.
    await context.db.update(devices).set({ mediumId: null }).where(eq(devices.mediumId, row.id));
    await context.db.update(devices).set({ mediumId: row.id }).where(eq(devices.id, device.id));
  }
  if (row && isLean(plan)) await markLean(context.db, row.id);
  if (earlier !== null && earlier !== tag) await retireEarlier(context, earlier);
  await settleTask(context.db, context, { what: "made", medium: tag, releaseIds });
  return tag;
}

/** What was said of how a medium is kept; what was not said stays as it was, and so does a site that is gone meanwhile. */
async function keptAsOf(context: Context, keptAs: KeptAs | undefined): Promise<Partial<KeptAs>> {
  const { name, siteId, note } = keptAs ?? { name: null, siteId: null, note: null };
  const [site] = siteId === null ? [] : await context.db.select().from(sites).where(eq(sites.id, siteId));
  return { ...(name ? { name } : {}), ...(note ? { note } : {}), ...(site ? { siteId: site.id } : {}) };
}

/** The medium with a tag, in service again where it was retired: the tag is on a device now. */
async function broughtBack(context: Context, tag: string): Promise<MediumDetail | null> {
  const medium = await getMedium(context, tag);
  if (!medium?.row.retiredAt) return medium;
  const back = await retireMedium(context, medium.row.id, medium.row.version, false);
  if (!back.ok) throw new Error(problemText(back.problem));
  return getMedium(context, tag);
}

/** The medium that a device was is no more: the device is another one now. */
async function retireEarlier(context: Context, tag: string): Promise<void> {
  const medium = await getMedium(context, tag);
  if (!medium || medium.row.retiredAt) return;
  const retired = await retireMedium(context, medium.row.id, medium.row.version, true);
  if (!retired.ok) throw new Error(problemText(retired.problem));
}

/** Adds to what a device went through. */
export async function recordWear(
  context: Context,
  deviceId: DeviceId,
  { bytesWritten, writeRate, readRate }: { bytesWritten: number; writeRate: number | null; readRate: number | null },
): Promise<void> {
  await context.db
    .update(devices)
    .set({
      timesWritten: sql`${devices.timesWritten} + 1`,
      bytesWritten: sql`${devices.bytesWritten} + ${bytesWritten}`,
      ...(writeRate === null ? {} : { writeRate }),
      ...(readRate === null ? {} : { readRate }),
      updatedAt: context.now(),
    })
    .where(eq(devices.id, deviceId));
}
