import { and, asc, desc, eq, gt, inArray, isNull, ne } from "drizzle-orm";
import { z } from "zod";
import { type BenchLine, type BenchRequest, keptAsSchema, plainStoreSchema } from "@/core/making/jobs/job";
import { BESIDE_MOST } from "@/core/making/pack/pack";
import { WAYS } from "@/core/making/planning/plan";
import { confirms } from "@/core/making/writing/confirm";
import { act } from "../act";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import type { BenchJobId, BerthId, DeviceId, ReleaseId } from "../db/ids";
import { affectedRows, insertedId, nameOf } from "../db/results";
import { benchJobs, benchLines, berths, devices, kits, media, releases, stores } from "../db/schema";
import { identityOfRow, type Look } from "../devices/device";
import { planStoreOn } from "../devices/material";
import { tagSchema } from "../inventory/computers";
import { holdToSites } from "../inventory/site-limits";
import { checked, fail, ok, type Result, refused } from "../problems";
import { HOLDING, lossesOf } from "./berths";
import type { DeviceRow } from "./devices";
import { lookAt } from "./looks";
import { keepPack } from "./packs";
import { planInBerth, requestOf } from "./plans";

export type BenchJob = typeof benchJobs.$inferSelect;

const planWishSchema = z.object({
  berthId: z.number().int(),
  releaseId: z.number().int(),
  /** More releases that stand on it, where it is laid out. */
  besideIds: z.array(z.number().int()).max(BESIDE_MOST).default([]),
  way: z.enum(WAYS),
  table: z.enum(["gpt", "mbr"]),
  store: z.boolean(),
  systemFiles: z.boolean().optional(),
  tag: tagSchema,
  files: z.array(z.string().max(255)).max(200).default([]),
  keptAs: keptAsSchema.optional(),
});

const startSchema = planWishSchema.extend({
  /** The last four characters of the device's serial, or the tag of the medium that is in the berth. */
  confirm: z.string(),
  /** Said where the device is somebody's only route, or holds images. */
  lossAgreed: z.boolean(),
  /** The device's content when the plan was looked at. */
  fingerprint: z.string(),
});
export type StartInput = z.input<typeof startSchema>;

/** Queues the preparation of a medium. Nothing is written unless the device was named and is as it was planned for. */
export async function startPreparation(context: Context, input: unknown): Promise<Result<number>> {
  const parsed = checked(startSchema, input);
  if (!parsed.ok) return parsed;
  const { confirm, lossAgreed, fingerprint, keptAs, ...wish } = parsed.value;
  const planned = await planInBerth(context, wish);
  if (!planned.ok) return planned;
  const { plan, device, look, berth } = planned.value;
  if (!plan.ok) return refused({ code: "plan-fails" });
  const taken = await heldElsewhere(context, wish.tag, device.id);
  if (taken) return refused({ code: "tag-on-other-device", tag: wish.tag, device: taken }, "tag");
  const refusal = await refusalOf(context, { device, berth: berth.name, look, confirm, lossAgreed, fingerprint });
  if (refusal) return refusal;
  const { madeAt, carry } = planned.value;
  const pack = await keepPack(planned.value.pack);
  const request = requestOf(wish, device, { fingerprint, madeAt, pack, carry, keptAs });
  return queueJob(context, wish.berthId, {
    request,
    releaseId: wish.releaseId,
    mediumTag: wish.tag,
    deviceId: device.id,
  });
}

const startStoreSchema = plainStoreSchema.extend({
  berthId: z.number().int(),
  ...{ confirm: z.string(), lossAgreed: z.boolean(), fingerprint: z.string() },
});

/** Queues the making of a plain store. Nothing is written unless the device was named and is as it was looked at. */
export async function startStore(context: Context, input: unknown): Promise<Result<number>> {
  const parsed = checked(startStoreSchema, input);
  if (!parsed.ok) return parsed;
  const { berthId, confirm, lossAgreed, fingerprint, ...plainStore } = parsed.value;
  const found = await deviceIn(context, berthId);
  if (!found) return fail({ code: "not-found", what: "device in that berth" });
  const { device, berth } = found;
  const [taken] = await context.db.select({ id: stores.id }).from(stores).where(eq(stores.name, plainStore.name));
  if (taken) return fail({ code: "taken", field: "name", value: plainStore.name });
  const madeAt = context.now().toISOString();
  const plan = await planStoreOn(device, plainStore.name, madeAt);
  if (!plan.ok) return refused({ code: "plan-fails" });
  const look = await lookAt(context, device);
  const refusal = await refusalOf(context, { device, berth, look, confirm, lossAgreed, fingerprint });
  if (refusal) return refusal;
  const { way, table, store, tag } = plan.request;
  const request: BenchRequest = {
    ...{ kind: "prepare", way, table, store, tag, madeAt, device: identityOfRow(device), fingerprint },
    ...{ pack: "", carry: [], besideIds: [], plainStore },
  };
  return queueJob(context, berthId, { request, releaseId: null, mediumTag: null, deviceId: device.id });
}

/** What is in a berth; null where nothing is. */
async function deviceIn(context: Context, berthId: BerthId): Promise<{ device: DeviceRow; berth: string } | null> {
  const [found] = await context.db
    .select({ device: devices, berth: berths.name })
    .from(berths)
    .innerJoin(devices, eq(devices.id, berths.deviceId))
    .where(eq(berths.id, berthId));
  return found ?? null;
}

/** Why a device is not emptied: it is not to be, is not the one that was meant, or holds what nobody agreed to lose. */
async function refusalOf(
  context: Context,
  asked: {
    device: DeviceRow;
    berth: string;
    look: Look;
    confirm: string;
    lossAgreed: boolean;
    fingerprint: string;
  },
): Promise<Result<number> | null> {
  const { device, berth, look, confirm, lossAgreed, fingerprint } = asked;
  if (device.isStore) return refused({ code: "device-is-store" });
  const { testResult } = device;
  if (testResult?.state === "counterfeit" || testResult?.state === "failing")
    return refused({ code: "device-untrusted", result: testResult });
  if (look.fingerprint === null || look.fingerprint !== fingerprint) return refused({ code: "device-changed" });
  const tag = await tagOn(context, device.id);
  const marks = { serial: device.serial, tag, berth };
  if (!confirms(confirm, marks)) return refused({ code: "device-not-named", marks }, "confirm");
  const loss = tag === null ? null : (await lossesOf(context, [tag])).get(tag);
  return loss && loss.onlyRouteOf.length + loss.images.length > 0 && !lossAgreed
    ? refused({ code: "loss-not-agreed" })
    : null;
}

/** The other device that is the medium in service with this tag; null where none is known to be. */
async function heldElsewhere(context: Context, tag: string, deviceId: DeviceId): Promise<string | null> {
  const [other] = await context.db
    .select({ model: devices.model, serial: devices.serial })
    .from(devices)
    .innerJoin(media, eq(media.id, devices.mediumId))
    .where(and(eq(media.tag, tag), isNull(media.retiredAt), ne(devices.id, deviceId)));
  return other ? [other.model, other.serial && `serial ${other.serial}`].filter(Boolean).join(", ") : null;
}

/** The tag of the medium that a device is; null where it is none. */
async function tagOn(context: Context, deviceId: DeviceId): Promise<string | null> {
  const [medium] = await context.db
    .select({ tag: media.tag })
    .from(devices)
    .innerJoin(media, eq(media.id, devices.mediumId))
    .where(and(eq(devices.id, deviceId), isNull(media.retiredAt)));
  return medium?.tag ?? null;
}

/** Queues a comparison of what is on a device with its release, or a test of its capacity, which empties it. */
export async function startCheck(
  context: Context,
  berthId: BerthId,
  wish: { kind: "verify"; share?: number | null } | { kind: "capacity" },
  confirm: string,
): Promise<Result<number>> {
  const found = await deviceIn(context, berthId);
  if (!found) return fail({ code: "not-found", what: "device in that berth" });
  const { device } = found;
  let request: BenchRequest;
  if (wish.kind === "verify") request = wish;
  else {
    if (device.isStore) return refused({ code: "device-is-store" });
    const tag = await tagOn(context, device.id);
    if (tag !== null) return refused({ code: "device-is-medium", tag });
    const marks = { serial: device.serial, tag, berth: found.berth };
    if (!confirms(confirm, marks)) return refused({ code: "device-not-named", marks }, "confirm");
    const { fault, fingerprint } = await lookAt(context, device);
    if (fault || fingerprint === null) return refused({ code: "device-unreadable" });
    request = { ...wish, fingerprint };
  }
  return queueJob(context, berthId, { request, releaseId: null, mediumTag: null, deviceId: device.id });
}

async function queueJob(
  context: Context,
  berthId: BerthId,
  job: { request: BenchRequest; releaseId: ReleaseId | null; mediumTag: string | null; deviceId: DeviceId },
): Promise<Result<number>> {
  const queued = await act(context, HELD, async ({ db }): Promise<Result<number>> => {
    await holdToSites(db, context, await overwrittenBy(db, job));
    const row = await db
      .insert(benchJobs)
      .values({ ...job, kind: job.request.kind, berthId, personId: context.person.id, createdAt: context.now() })
      .$returningId();
    return ok(insertedId(row));
  });
  return heldOr(context, queued, berthId);
}

/** The medium that stands on a device which a job empties. */
async function overwrittenBy(db: Queries, { request, deviceId }: { request: BenchRequest; deviceId: DeviceId }) {
  if (request.kind === "verify") return [];
  const rows = await db.select({ entityId: devices.mediumId }).from(devices).where(eq(devices.id, deviceId));
  return rows.flatMap(({ entityId }) => (entityId === null ? [] : [{ entity: "medium", entityId }]));
}

/** What a second job in a berth runs into. */
const HELD = { field: "berth", value: "" };

/** Of a berth that is held already it is said by which job. */
async function heldOr(context: Context, result: Result<number>, berthId: BerthId): Promise<Result<number>> {
  if (result.ok || result.problem.code !== "taken") return result;
  const [holding] = await context.db
    .select({ id: benchJobs.id })
    .from(benchJobs)
    .where(eq(benchJobs.holdsBerthId, berthId));
  return refused({ code: "berth-busy", job: holding?.id ?? 0 });
}

/** Asks a running job to stop where it is; a queued one is cancelled at once. */
export async function askOf(context: Context, jobId: BenchJobId, wish: "pause" | "cancel"): Promise<Result<string>> {
  return act(context, null, async ({ db: tx }): Promise<Result<string>> => {
    const asked = await tx
      .update(benchJobs)
      .set({ wish })
      .where(and(eq(benchJobs.id, jobId), eq(benchJobs.state, "running")));
    if (affectedRows(asked) === 1) return ok("asked");
    const [job] = await tx.select().from(benchJobs).where(eq(benchJobs.id, jobId));
    if (!job) return fail({ code: "not-found", what: "job" });
    if (wish === "cancel") {
      const waits = HOLDING.filter((state) => state !== "running");
      const cancelled = await tx
        .update(benchJobs)
        .set({ state: "cancelled", wish: null, endedAt: context.now() })
        .where(and(eq(benchJobs.id, jobId), inArray(benchJobs.state, waits)));
      if (affectedRows(cancelled) === 1) {
        await tx.insert(benchLines).values({ jobId, at: context.now(), line: { code: "cancelled" } });
        return ok("cancelled");
      }
    }
    return refused({ code: "job-over", state: job.state, wish });
  });
}

/** Lets a job go on that was paused, was interrupted, or failed at its device. */
export async function resume(context: Context, jobId: BenchJobId): Promise<Result<number>> {
  const [job] = await context.db.select().from(benchJobs).where(eq(benchJobs.id, jobId));
  if (!job) return fail({ code: "not-found", what: "job" });
  const canGoOn =
    job.state === "paused" ||
    job.state === "interrupted" ||
    (job.state === "failed" && (job.result?.state === "fault" || job.result?.state === "source-failed"));
  if (!canGoOn || job.kind === "capacity") return refused({ code: "job-cannot-resume", state: job.state });
  const resumed = await act(context, HELD, async ({ db }): Promise<Result<number>> => {
    const result = await db
      .update(benchJobs)
      .set({ state: "queued", wish: null, result: null, endedAt: null, runner: null })
      .where(and(eq(benchJobs.id, jobId), eq(benchJobs.state, job.state)));
    return affectedRows(result) === 1 ? ok(jobId) : refused({ code: "job-cannot-resume", state: job.state });
  });
  return heldOr(context, resumed, job.berthId);
}

export interface JobItem {
  job: BenchJob;
  /** Who asked for it. */
  personName: string;
  berth: string;
  device: { model: string; serial: string | null; bytes: number };
  release: string | null;
}

const columns = {
  job: benchJobs,
  personName: nameOf(benchJobs.personId),
  berth: berths.name,
  device: { model: devices.model, serial: devices.serial, bytes: devices.bytes },
  kit: kits.name,
  releaseName: releases.name,
};

function jobRows(context: Context) {
  return context.db
    .select(columns)
    .from(benchJobs)
    .innerJoin(berths, eq(berths.id, benchJobs.berthId))
    .innerJoin(devices, eq(devices.id, benchJobs.deviceId))
    .leftJoin(releases, eq(releases.id, benchJobs.releaseId))
    .leftJoin(kits, eq(kits.id, releases.kitId));
}

type JobRow = Awaited<ReturnType<typeof jobRows>>[number];

/** Jobs as they are told, each with all the releases that it puts on a medium. */
async function itemsOf(context: Context, rows: readonly JobRow[]): Promise<JobItem[]> {
  const besideOf = ({ job }: JobRow) => (job.request.kind === "prepare" ? (job.request.besideIds ?? []) : []);
  const ids = rows.flatMap(besideOf);
  const others =
    ids.length === 0
      ? []
      : await context.db
          .select({ id: releases.id, kit: kits.name, name: releases.name })
          .from(releases)
          .innerJoin(kits, eq(kits.id, releases.kitId))
          .where(inArray(releases.id, ids));
  const names = new Map(others.map(({ id, kit, name }) => [id, `${kit} ${name}`]));
  return rows.map((row): JobItem => {
    const { job, personName, berth, device, kit, releaseName } = row;
    const all = [`${kit} ${releaseName}`, ...besideOf(row).flatMap((id) => names.get(id) ?? [])];
    return { job, personName, berth, device, release: kit && releaseName ? all.join(" and ") : null };
  });
}

/** The latest jobs, those that hold a berth first. */
export async function listJobs(context: Context, limit = 30): Promise<JobItem[]> {
  const rows = await jobRows(context).orderBy(desc(benchJobs.id)).limit(limit);
  return itemsOf(context, rows);
}

export async function getJob(
  context: Context,
  jobId: BenchJobId,
): Promise<(JobItem & { lines: { at: Date; line: BenchLine }[] }) | null> {
  const [row] = await jobRows(context).where(eq(benchJobs.id, jobId));
  if (!row) return null;
  const [item] = await itemsOf(context, [row]);
  const lines = await context.db
    .select({ at: benchLines.at, line: benchLines.line })
    .from(benchLines)
    .where(eq(benchLines.jobId, jobId))
    .orderBy(asc(benchLines.id))
    .limit(500);
  return { ...(item as JobItem), lines };
}

/** What a page that follows a job is told. */
export interface JobProgress {
  id: BenchJobId;
  state: BenchJob["state"];
  phase: string | null;
  doneBytes: number;
  totalBytes: number;
  rate: number | null;
}

/** Jobs that hold a berth, and those that ended since. */
export async function progressOf(context: Context, since: Date): Promise<JobProgress[]> {
  const rows = await context.db
    .select()
    .from(benchJobs)
    .where(inArray(benchJobs.state, [...HOLDING]));
  const ended = await context.db.select().from(benchJobs).where(gt(benchJobs.endedAt, since)).limit(50);
  return [...rows, ...ended].map(({ id, state, phase, doneBytes, totalBytes, rate }) => ({
    id,
    state,
    phase,
    doneBytes,
    totalBytes,
    rate,
  }));
}
