import { createHash } from "node:crypto";
import { createReadStream } from "node:fs";
import { stat } from "node:fs/promises";
import { and, asc, desc, eq, inArray, isNull, notInArray, or, sql } from "drizzle-orm";
import { LRUCache } from "lru-cache";
import type { z } from "zod";
import type { FileToWrite } from "@/core/formats/tree-writing";
import type { ByteSource } from "@/core/kernel/source";
import {
  claimSchema,
  type HostAnswer,
  type HostJob,
  type HostMaterial,
  type HostReport,
  type HostTold,
  hostLookSchema,
  hostReportSchema,
  hostTellingSchema,
  type ToldAnswer,
} from "@/core/making/jobs/host";
import { sameDevice } from "@/core/making/writing/device";
import { problemText } from "../../core/words/problems";
import { type Bearer, endToken, listTokens } from "../accounts/tokens";
import { act } from "../act";
import type { Context } from "../context";
import type { BenchHostId, BenchJobId, TokenId } from "../db/ids";
import { affectedRows, insertedId } from "../db/results";
import { benchHosts, benchJobs, berths, deviceLooks, devices, tokens } from "../db/schema";
import type { Preparation } from "../devices/desk";
import { identityOfRow } from "../devices/device";
import { RunnerGone } from "../devices/runner-times";
import { biosStart } from "../host/bios-start";
import type { SentFile } from "../host/ranged";
import { recordEvent } from "../inventory/events";
import { DATABASE_NOW } from "../jobs/jobs";
import { checked, fail, ok, type Result, refused } from "../problems";
import { openCarried } from "./carry";
import { DatabaseDesk } from "./database-desk";
import { seat } from "./found-berths";
import type { BenchJob } from "./jobs";
import { keptPack } from "./packs";
import { openReleases } from "./plans";
import { toCompareWith } from "./verify";

/** Whoever comes with a token of the kind for bench hosts. */
type HostBearer = Pick<Bearer, "id" | "name">;

/**
 * Takes in what is in the ports of a host, and tells it what it is wanted for. Problems: `invalid`, `refused` where another
 * host has its name.
 */
export async function takeHostReport(
  context: Context,
  bearer: HostBearer,
  input: unknown,
): Promise<Result<HostAnswer>> {
  const parsed = checked(hostReportSchema, input);
  if (!parsed.ok) return parsed;
  const { devices: found } = parsed.value;
  if (new Set(found.map(({ port }) => port)).size < found.length)
    return fail({ code: "invalid", fields: { devices: "Two devices are in one port." } });
  const host = await hostOf(context, bearer, parsed.value);
  if (!host.ok) return host;
  const seated = await seat(context, found, host.value);
  const seatedIds = [...seated.devices.values()];
  const looked = new Set(
    seatedIds.length === 0
      ? []
      : (
          await context.db
            .select({ id: deviceLooks.deviceId })
            .from(deviceLooks)
            .where(inArray(deviceLooks.deviceId, seatedIds))
        ).map(({ id }) => id),
  );
  const open = await context.db
    .select({ state: benchJobs.state, deviceId: benchJobs.deviceId })
    .from(benchJobs)
    .innerJoin(berths, eq(berths.id, benchJobs.berthId))
    .where(and(eq(berths.hostId, host.value.id), inArray(benchJobs.state, ["queued", "running", "interrupted"])));
  const atWork = new Set(open.map(({ deviceId }) => deviceId));
  return ok({
    name: host.value.name,
    looks: [...seated.devices].flatMap(([port, id]) => (looked.has(id) || atWork.has(id) ? [] : [port])),
    isWanted: open.some(({ state, deviceId }) => state !== "running" && seatedIds.includes(deviceId)),
    twins: [...seated.twins].map(([port, berth]) => ({ port, berth })),
  });
}

async function hostOf(
  context: Context,
  bearer: HostBearer,
  { name, version, system }: HostReport,
): Promise<Result<{ id: BenchHostId; name: string }>> {
  const [known] = await context.db
    .select({
      host: benchHosts,
      endedAt: tokens.endedAt,
      expiresAt: tokens.expiresAt,
    })
    .from(benchHosts)
    .innerJoin(tokens, eq(tokens.id, benchHosts.tokenId))
    .where(eq(benchHosts.name, name));
  const own = { tokenId: bearer.id, version, system };
  if (!known)
    return act(context, { field: "name", value: name }, async (acting) => {
      const id = insertedId(
        await acting.db
          .insert(benchHosts)
          .values({ ...own, name, seenAt: DATABASE_NOW })
          .$returningId(),
      );
      await recordEvent(acting.db, acting, {
        ...{ entity: "bench host", entityId: id, entityTag: name, action: "added", version: 1 },
        ...{ before: null, after: { system } },
      });
      return ok({ id, name });
    });
  // A host whose token is over comes back with another one.
  const isOver = known.endedAt !== null || (known.expiresAt !== null && known.expiresAt <= context.now());
  if (known.host.tokenId !== bearer.id && !isOver) return refused({ code: "bench-host-taken", name });
  await context.db
    .update(benchHosts)
    .set({ ...own, seenAt: DATABASE_NOW })
    .where(eq(benchHosts.id, known.host.id));
  return ok({ id: known.host.id, name });
}

/** What is in a port of one of a token's hosts. */
async function inPort({ db }: Pick<Context, "db">, bearer: HostBearer, name: string, port: string) {
  const [found] = await db
    .select({ device: devices, host: benchHosts.name })
    .from(berths)
    .innerJoin(benchHosts, eq(benchHosts.id, berths.hostId))
    .innerJoin(devices, eq(devices.id, berths.deviceId))
    .where(and(eq(benchHosts.tokenId, bearer.id), eq(benchHosts.name, name), eq(berths.port, port)));
  return found ?? null;
}

/** Keeps what a host saw of a device in one of its ports. Problems: `invalid`, `not-found` where another one is there. */
export async function takeHostLook(context: Context, bearer: HostBearer, input: unknown): Promise<Result<null>> {
  const parsed = checked(hostLookSchema, input);
  if (!parsed.ok) return parsed;
  const { name, port, identity, look } = parsed.value;
  const found = await inPort(context, bearer, name, port);
  if (!found || !sameDevice(identityOfRow(found.device), identity))
    return fail({ code: "not-found", what: "device in that port" });
  const set = { look, at: context.now() };
  await context.db
    .insert(deviceLooks)
    .values({ deviceId: found.device.id, ...set })
    .onDuplicateKeyUpdate({ set });
  return ok(null);
}

/** Jobs that a host may do: those that wait at its ports, and its own that broke off, as long as their device is there. */
const isForHost = (bearer: HostBearer, { name, busy }: z.output<typeof claimSchema>) =>
  and(
    eq(benchHosts.tokenId, bearer.id),
    eq(benchHosts.name, name),
    busy.length > 0 ? notInArray(berths.port, busy) : undefined,
    eq(berths.deviceId, benchJobs.deviceId),
    or(eq(benchJobs.state, "queued"), and(eq(benchJobs.state, "interrupted"), isNull(benchJobs.wish))),
  );

/** Gives a host the next of its jobs, with all that it needs; null where none waits. */
export async function claimForHost(
  context: Context,
  bearer: HostBearer,
  input: unknown,
): Promise<Result<HostJob | null>> {
  const parsed = checked(claimSchema, input);
  if (!parsed.ok) return parsed;
  const [found] = await context.db
    .select({ job: benchJobs, port: berths.port, berth: berths.name, hostId: benchHosts.id })
    .from(benchJobs)
    .innerJoin(berths, eq(berths.id, benchJobs.berthId))
    .innerJoin(benchHosts, eq(benchHosts.id, berths.hostId))
    .where(isForHost(bearer, parsed.value))
    .orderBy(desc(eq(benchJobs.state, "queued")), asc(benchJobs.id))
    .limit(1);
  if (!found?.port) return ok(null);
  const { job, port, berth, hostId } = found;
  const runner = `host ${hostId} ${Math.random().toString(36).slice(2, 10)}`;
  const [device] = await context.db.select().from(devices).where(eq(devices.id, job.deviceId));
  if (!device) return ok(null);
  const { request } = job;
  // What takes long is done before: from then on it is the host that has to be heard of.
  const material = request.kind === "prepare" && !request.plainStore ? await materialOf(context, job, request) : null;
  const compare = request.kind === "verify" ? await toCompareWith(context, device) : null;
  const claimed = await act(context, null, async ({ db: tx }) => {
    const taken = await tx
      .update(benchJobs)
      .set({
        ...{ state: "running", runner, heartbeatAt: DATABASE_NOW, phase: "open" },
        startedAt: job.startedAt ?? context.now(),
      })
      .where(and(eq(benchJobs.id, job.id), eq(benchJobs.state, job.state)));
    if (affectedRows(taken) !== 1) return ok(false);
    // It is at work: what was seen of it before is over.
    await tx.delete(deviceLooks).where(eq(deviceLooks.deviceId, device.id));
    return ok(true);
  });
  if (!claimed.ok) return claimed;
  if (!claimed.value) return ok(null);
  if (material && !material.ok) {
    const desk = new DatabaseDesk(context.db, job, runner, context.now);
    await desk.end("failed", { state: "file-missing", file: problemText(material.problem) });
    return ok(null);
  }
  return ok({
    ...{ id: job.id, runner, port, berth, request },
    target: { ...identityOfRow(device), isStore: device.isStore },
    material: material?.value ?? null,
    compare: compare?.loads ?? null,
  });
}

/** One of the files that a medium is made from. */
interface Content {
  source: ByteSource;
  digest: () => Promise<string>;
}

/** All that a medium is made from, open; a file is one of `contents` by its place there. */
async function openMaterial(context: Context, job: BenchJob, request: Preparation) {
  const opened = await openReleases(context, [job.releaseId ?? 0, ...(request.besideIds ?? [])]);
  if (!opened.ok) return opened;
  const carried = await openCarried(context, request.carry ?? []);
  if (!carried.ok) {
    await opened.value.close();
    return carried;
  }
  const contents: Content[] = [];
  const placed = (content: Content) => contents.push(content) - 1;
  const releases = opened.value.files.map(({ text, name, path, source }) => ({
    ...{ title: text, name },
    content: placed({ source, digest: () => fileDigest(path) }),
  }));
  const files = (all: FileToWrite[]) =>
    all.map(({ path, modified, content }) => ({
      ...{ path, modified },
      content: placed({ source: content, digest: () => sourceDigest(content) }),
    }));
  const { start, store } = carried.value;
  return ok({
    ...{ releases, contents, carried: { start: files(start), store: files(store) } },
    close: async () => void (await Promise.all([opened.value.close(), carried.value.close()])),
  });
}

const digests = new LRUCache<string, Promise<string>>({ max: 500 });

/** SHA-256 of a file, once as long as it stays as it is. */
async function fileDigest(path: string): Promise<string> {
  const { size, mtimeMs, ino } = await stat(path);
  const key = `${path} ${size} ${mtimeMs} ${ino}`;
  const known = digests.get(key);
  if (known) return known;
  const digest = (async () => {
    const hash = createHash("sha256");
    for await (const chunk of createReadStream(path, { highWaterMark: 1 << 20 })) hash.update(chunk as Buffer);
    return hash.digest("hex");
  })();
  digests.set(key, digest);
  digest.catch(() => digests.delete(key));
  return digest;
}

async function sourceDigest(source: ByteSource): Promise<string> {
  const hash = createHash("sha256");
  for (let at = 0; at < source.sizeBytes; at += 1 << 20) hash.update(await source.read(at, 1 << 20));
  return hash.digest("hex");
}

async function materialOf(context: Context, job: BenchJob, request: Preparation): Promise<Result<HostMaterial>> {
  const pack = await keptPack(request.pack);
  if (!pack) return refused({ code: "pack-gone" });
  const opened = await openMaterial(context, job, request);
  if (!opened.ok) return opened;
  const { releases, carried, contents, close } = opened.value;
  try {
    const told = [];
    for (const { source, digest } of contents) told.push({ sha256: await digest(), bytes: source.sizeBytes });
    const stages = await biosStart();
    const base64 = (bytes: Uint8Array) => Buffer.from(bytes).toString("base64");
    const bios = stages && { boot: base64(stages.boot), core: base64(stages.core) };
    return ok({ releases, pack, carried, bios, contents: told });
  } finally {
    await close();
  }
}

/** The job of a host that runs it now. */
async function jobOfHost({ db }: Pick<Context, "db">, bearer: HostBearer, jobId: BenchJobId): Promise<BenchJob | null> {
  const [row] = await db
    .select({ job: benchJobs })
    .from(benchJobs)
    .innerJoin(berths, eq(berths.id, benchJobs.berthId))
    .innerJoin(benchHosts, eq(benchHosts.id, berths.hostId))
    .where(and(eq(benchJobs.id, jobId), eq(benchHosts.tokenId, bearer.id)));
  return row?.job ?? null;
}

/** Opens one of the files that a host's job is made from; to be closed when it is sent. Problems: `not-found`. */
export async function openContent(
  context: Context,
  bearer: HostBearer,
  jobId: BenchJobId,
  nth: number,
): Promise<Result<SentFile>> {
  const job = await jobOfHost(context, bearer, jobId);
  const nothing = fail<SentFile>({ code: "not-found", what: "content of that job" });
  if (!job || job.state !== "running" || job.request.kind !== "prepare" || job.request.plainStore) return nothing;
  const opened = await openMaterial(context, job, job.request);
  if (!opened.ok) return opened;
  const { contents, close } = opened.value;
  const content = contents[nth];
  if (!content) {
    await close();
    return nothing;
  }
  const version = await content.digest().catch(async (error: unknown) => {
    await close();
    throw error;
  });
  return ok({ name: `content-${nth}`, version, source: content.source, close });
}

const GONE: ToldAnswer = { isHeld: false, wish: null, isSeated: true, lines: [], result: null };
const HELD: ToldAnswer = { ...GONE, isHeld: true };

/** Keeps what a host tells of a job that is its own. Problems: `invalid`, `not-found`. */
export async function takeTelling(
  context: Context,
  bearer: HostBearer,
  jobId: BenchJobId,
  input: unknown,
): Promise<Result<ToldAnswer>> {
  const parsed = checked(hostTellingSchema, input);
  if (!parsed.ok) return parsed;
  const { runner, told } = parsed.value;
  const job = await jobOfHost(context, bearer, jobId);
  if (!job) return fail({ code: "not-found", what: "job" });
  if (job.state !== "running" || job.runner !== runner) return ok(GONE);
  const desk = new DatabaseDesk(context.db, job, runner, context.now);
  try {
    return ok(await keepTold(desk, told));
  } catch (error) {
    if (error instanceof RunnerGone) return ok(GONE);
    throw error;
  }
}

async function keepTold(desk: DatabaseDesk, told: HostTold): Promise<ToldAnswer> {
  switch (told.what) {
    case "beat": {
      const { phase, doneBytes, totalBytes, rate } = told;
      return { ...HELD, ...(await desk.beat({ phase, doneBytes, totalBytes }, rate)) };
    }
    case "line":
      await desk.say(told.line);
      return HELD;
    case "lines":
      return { ...HELD, lines: (await desk.linesSaid()).map((line) => ({ ...line })) };
    case "begin":
      await desk.begin();
      return HELD;
    case "distrust":
      await desk.distrust();
      return HELD;
    case "read-back":
      await desk.readBack({ code: "read-back", bytes: told.bytes, ms: told.ms }, told.wear);
      return HELD;
    case "tested":
      await desk.tested(told.result, told.wear);
      return HELD;
    case "compared":
      await desk.keepComparison(told.compared);
      return HELD;
    case "made":
      return { ...HELD, result: await desk.concludeElsewhere(told.read) };
    case "end": {
      const { state, result } = told;
      const end = await desk.endOf(state, result);
      await desk.end(end.state, end.result);
      return HELD;
    }
  }
}

/** Ends a host's token: it takes part no more, and what is in its ports is on the bench no more. Problems: `not-found`. */
export async function endHost(context: Context, tokenId: TokenId): Promise<Result<null>> {
  const own = (await listTokens(context, "bench")).find((each) => each.id === tokenId);
  if (!own) return fail({ code: "not-found", what: "bench host" });
  return act(context, null, async (acting) => {
    const ended = await endToken(acting, tokenId);
    if (!ended.ok) return ended;
    const hosts = acting.db.select({ id: benchHosts.id }).from(benchHosts).where(eq(benchHosts.tokenId, tokenId));
    await acting.db
      .update(berths)
      .set({ deviceId: null, version: sql`${berths.version} + 1` })
      .where(inArray(berths.hostId, hosts));
    return ended;
  });
}
