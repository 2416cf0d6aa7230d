import { eq } from "drizzle-orm";
import { CachedSource, ReadFailed, readInto } from "@/core/kernel/source";
import { type BenchLine, type BenchRequest, type BenchResult, missingLines } from "@/core/making/jobs/job";
import type { MediumPlan } from "@/core/making/planning/plan";
import { blocksOf } from "@/core/making/writing/blocks";
import { testCapacity } from "@/core/making/writing/capacity";
import { type Device, DeviceFault, impatient, sameDevice } from "@/core/making/writing/device";
import { rateOf } from "@/core/making/writing/rate";
import { type Phase, writeMedium } from "@/core/making/writing/write-medium";
import { inspect } from "@/core/medium/inspection/inspect";
import type { Inspection } from "@/core/medium/inspection/schema";
import { startPathsOf } from "@/core/medium/inspection/start-paths";
import { problemText } from "../../core/words/problems";
import { act } from "../act";
import type { Context } from "../context";
import type { Database } from "../db/client";
import { affectedRows } from "../db/results";
import { benchJobs, benchLines, berths, devices } from "../db/schema";
import { jobFolder } from "../host/folders";
import { listPeople } from "../inventory/people";
import { DATABASE_NOW } from "../jobs/jobs";
import { ok, type Result } from "../problems";
import { openCarried } from "./carry";
import { asSource, type DeviceRow, fingerprintOf, identityOfRow, openDevice, sectorsOf } from "./devices";
import { endJob, GONE, isHeldBy, lineOf, linesSaid, RunnerGone, type RunnerTimes } from "./holding";
import type { BenchJob } from "./jobs";
import { FileJournal } from "./journal";
import { keptPack } from "./packs";
import { type OpenRelease, openReleases, planFrom, planStoreOn } from "./plans";
import { distrustMedium, recordMedium, recordPlainStore, recordWear, storeBytesOf, voidMedium } from "./record";
import { verifyAgainstRelease } from "./verify";

/** One job, from its start or from where it was. */
export class BenchWork {
  private wish: "pause" | "cancel" | null = null;
  private isSeated = true;
  private device: DeviceRow | null = null;
  /** Until when the job is this runner's, by this process's own clock that nobody sets (performance.now). */
  private heldUntil = 0;
  private progress = { phase: "open" as string, doneBytes: 0, totalBytes: 0 };
  private readonly marks: { at: number; doneBytes: number }[] = [];
  constructor(
    private readonly db: Database,
    private readonly job: BenchJob,
    private readonly runner: string,
    private readonly now: () => Date,
    private readonly times: RunnerTimes,
    private readonly isStopping: () => boolean,
  ) {}

  async say(line: BenchLine): Promise<void> {
    await this.keep(async ({ db }) => void (await db.insert(benchLines).values(lineOf(this.job.id, line, this.now()))));
  }

  /** An act that is kept only where the job is still this runner's; else it stops here. */
  private async keep<T>(run: (acting: Context) => Promise<T>): Promise<T> {
    const kept = await act(await this.context(), null, async (acting): Promise<Result<T | typeof GONE>> => {
      // The row itself is touched: nobody else can take it over at the same time.
      const touched = await acting.db
        .update(benchJobs)
        .set({ heartbeatAt: DATABASE_NOW })
        .where(isHeldBy(this.job.id, this.runner));
      return ok(affectedRows(touched) === 1 ? await run(acting) : GONE);
    });
    if (!kept.ok) throw new Error(problemText(kept.problem));
    if (kept.value === GONE) throw new RunnerGone();
    return kept.value;
  }

  /** What came of it; "stopped" where somebody asked for that, and it says so itself. */
  async do(): Promise<BenchResult | "stopped"> {
    const [device] = await this.db.select().from(devices).where(eq(devices.id, this.job.deviceId));
    if (!device) return { state: "fault", phase: "open", code: "gone", offset: null };
    this.device = device;
    await this.say({ code: "started", runner: this.runner });
    await this.beat();
    const beating = setInterval(() => void this.beat().catch(() => {}), this.times.tellEvery);
    try {
      const { request } = this.job;
      if (request.kind === "prepare") return await this.prepare(device, request);
      if (request.kind === "capacity") return await this.capacity(device);
      return await this.verify(device, request.share ?? null);
    } catch (error) {
      const cause = error instanceof ReadFailed ? error.cause : error;
      if (cause instanceof RunnerGone || performance.now() >= this.heldUntil) return "stopped";
      if (cause instanceof DeviceFault)
        return { state: "fault", phase: this.progress.phase as Phase, code: cause.code, offset: cause.offset };
      throw error;
    } finally {
      clearInterval(beating);
    }
  }

  private asked: Promise<Context> | null = null;

  private context(): Promise<Context> {
    this.asked ??= listPeople(this.db).then((people) => {
      const { personId: id } = this.job;
      return { db: this.db, person: people.find((each) => each.id === id) ?? { id, name: "" }, now: this.now };
    });
    return this.asked;
  }

  /** The device as long as it is in its berth, and no longer than it answers. */
  private async open(row: DeviceRow, write: boolean): Promise<Device> {
    const device = impatient(await openDevice(row, { write }));
    const seated = () => {
      // By now another runner may write to it.
      if (performance.now() >= this.heldUntil) throw new RunnerGone();
      if (!this.isSeated) throw new DeviceFault("gone");
    };
    let closing: Promise<void> | null = null;
    return {
      identity: device.identity,
      sizeBytes: device.sizeBytes,
      read: async (offset, length) => {
        seated();
        return device.read(offset, length);
      },
      readInto: async (offset, target) => {
        seated();
        return readInto(device, offset, target);
      },
      write: async (offset, bytes) => {
        seated();
        return device.write(offset, bytes);
      },
      flush: async () => {
        seated();
        return device.flush();
      },
      close: () => {
        closing ??= device.close();
        return closing;
      },
    };
  }

  private async prepare(
    row: DeviceRow,
    request: Extract<BenchRequest, { kind: "prepare" }>,
  ): Promise<BenchResult | "stopped"> {
    const context = await this.context();
    if (request.plainStore) return this.prepareStore(row, request, request.plainStore.name);
    if (this.job.releaseId === null) return { state: "file-missing", file: "" };
    const releases = await openReleases(context, [this.job.releaseId, ...(request.besideIds ?? [])]);
    if (!releases.ok) return { state: "file-missing", file: problemText(releases.problem) };
    try {
      return await this.prepareFrom(context, row, request, releases.value.files);
    } finally {
      await releases.value.close();
    }
  }

  private async prepareStore(
    row: DeviceRow,
    request: Extract<BenchRequest, { kind: "prepare" }>,
    name: string,
  ): Promise<BenchResult | "stopped"> {
    // One that was killed once all was recorded has a store in its berth: its own.
    const said = await linesSaid(await this.context(), this.job.id);
    const written = said.find((line) => line.code === "written");
    if (written && said.some(({ code }) => code === "recorded"))
      return {
        state: "verified",
        ...{ writtenBytes: written.bytes, writeRate: null, readRate: null, viewsAsPredicted: true },
      };
    return this.onDevice(row, request, async (device) => {
      const plan = await planStoreOn(row, name, request.madeAt);
      return plan.ok ? this.write(row, device, request, plan) : { state: "plan-failed", problems: plan.problems };
    });
  }

  /** Does something to the device that was planned for; where it is another one, or a store, that is said and nothing done. */
  private async onDevice(
    row: DeviceRow,
    request: Extract<BenchRequest, { kind: "prepare" }>,
    run: (device: Device) => Promise<BenchResult | "stopped">,
  ): Promise<BenchResult | "stopped"> {
    const device = await this.open(row, true);
    try {
      await this.say({ code: "device-open", identity: device.identity });
      const isSame = sameDevice(device.identity, request.device) && sameDevice(identityOfRow(row), request.device);
      if (!isSame || row.isStore) return { state: "device-changed", what: "identity" };
      await this.say({ code: "device-is-no-store" });
      return await run(device);
    } finally {
      await device.close();
    }
  }

  private async prepareFrom(
    context: Context,
    row: DeviceRow,
    request: Extract<BenchRequest, { kind: "prepare" }>,
    releases: readonly OpenRelease[],
  ): Promise<BenchResult | "stopped"> {
    return this.onDevice(row, request, async (device) => {
      const pack = await keptPack(request.pack);
      if (!pack)
        return { state: "file-missing", file: "Extra content for the release is gone. Plan the medium again." };
      const carried = await openCarried(context, request.carry ?? []);
      if (!carried.ok) return { state: "file-missing", file: problemText(carried.problem) };
      try {
        const plan = await planFrom(releases, row, request, pack, request.madeAt, carried.value);
        if (!plan.ok) return { state: "plan-failed", problems: plan.problems };
        return await this.write(row, device, request, plan);
      } finally {
        await carried.value.close();
      }
    });
  }

  private async write(
    row: DeviceRow,
    device: Device,
    request: Extract<BenchRequest, { kind: "prepare" }>,
    plan: Extract<MediumPlan, { ok: true }>,
  ): Promise<BenchResult | "stopped"> {
    const blocks = blocksOf(plan.layout);
    const journal = await FileJournal.open(jobFolder(this.job.id), blocks.length);
    try {
      const [flushedBlocks, verifiedBlocks] = [journal.flushedBlocks(), journal.verifiedBlocks()];
      if (journal.isBegun) await this.say({ code: "resumed", flushedBlocks, verifiedBlocks, blocks: blocks.length });
      else if ((await fingerprintOf(device)) !== request.fingerprint)
        return { state: "device-changed", what: "content" };
      if (!journal.isBegun) await this.keep((acting) => voidMedium(acting, row));
      // From here on the device is no longer as it was when it was planned for, and that is known.
      await journal.saveFlushed(flushedBlocks);
      await this.say({ code: "plan", writtenBytes: plan.writtenBytes, parts: plan.parts.length, notes: plan.notes });
      const result = await writeMedium({
        device,
        layout: plan.layout,
        journal,
        isSame: (a, b) => Buffer.compare(a, b) === 0,
        onProgress: (progress) => {
          this.progress = progress;
        },
        shouldStop: () => this.wish ?? (this.isStopping() ? "pause" : null),
      });
      switch (result.state) {
        case "stopped":
          return this.stop(result.why);
        case "fault":
          return { state: "fault", phase: result.phase, code: result.code, offset: result.offset };
        case "differs":
          await this.keep((acting) => distrustMedium(acting, row));
          return { state: "differs", start: result.start, lengthBytes: result.lengthBytes, path: null };
        case "source-failed":
          return { state: "source-failed", offset: result.offset };
        case "wraps": {
          const testResult = { state: "counterfeit", trueBytes: result.trueBytes, how: "wraps" } as const;
          await this.keep(async (acting) => {
            await acting.db.update(devices).set({ testedAt: this.now(), testResult }).where(eq(devices.id, row.id));
            await distrustMedium(acting, row);
          });
          return result;
        }
      }
      const { writtenBytes, writeMs, verifyMs } = result;
      await this.say({ code: "written", bytes: writtenBytes, ms: Math.round(writeMs) });
      await this.say({ code: "flushed" });
      const rates = { writeRate: rateOf(writtenBytes, writeMs), readRate: rateOf(writtenBytes, verifyMs) };
      await this.keep(async (acting) => {
        const said = await linesSaid(acting, this.job.id);
        const line = { code: "read-back", bytes: writtenBytes, ms: Math.round(verifyMs) } as const;
        await acting.db.insert(benchLines).values(lineOf(this.job.id, line, this.now()));
        // One that was killed after this and goes on writes nothing more: its device is worn once.
        if (!said.some(({ code }) => code === "read-back"))
          await recordWear(acting, row.id, { bytesWritten: writtenBytes, ...rates });
      });
      return await this.check(row, plan, { writtenBytes, ...rates });
    } finally {
      await journal.close();
    }
  }

  /** Reads the finished medium as any other, and compares that with what was predicted of it. */
  private async check(
    row: DeviceRow,
    plan: Extract<MediumPlan, { ok: true }>,
    facts: { writtenBytes: number; writeRate: number | null; readRate: number | null },
  ): Promise<BenchResult> {
    // All that was read back is done: what is read now is not counted, and is told at once.
    this.progress = { phase: "inspect", doneBytes: 0, totalBytes: 0 };
    await this.beat();
    const device = await this.open(row, false);
    let read: Inspection;
    try {
      const inspected = await inspect(new CachedSource(asSource(device)), {
        name: plan.predicted.file.name,
        ...sectorsOf(row),
      });
      read = inspected.inspection;
    } finally {
      await device.close();
    }
    const found = startsOf(read);
    await this.say({ code: "inspected", startPaths: found });
    const expected = startsOf(plan.predicted);
    if (JSON.stringify(found) !== JSON.stringify(expected)) return { state: "not-as-predicted", expected, found };
    await this.say({ code: "as-predicted" });
    const missing = missingLines(await linesSaid(await this.context(), this.job.id));
    if (missing.length > 0) return { state: "lines-missing", codes: missing };
    const { request } = this.job;
    if (request.kind === "prepare" && request.plainStore) {
      const { plainStore } = request;
      await this.keep(async (acting) => {
        await recordPlainStore(acting, row, plainStore, storeBytesOf(plan) ?? row.bytes);
        const line = { code: "recorded", medium: plainStore.name } as const;
        await acting.db.insert(benchLines).values(lineOf(this.job.id, line, this.now()));
      });
      return { state: "verified", ...facts, viewsAsPredicted: true };
    }
    const medium = await this.keep((acting) => recordMedium(acting, this.job, row, read, plan));
    if (medium !== null) await this.say({ code: "recorded", medium });
    return { state: "verified", ...facts, viewsAsPredicted: true };
  }

  private async capacity(row: DeviceRow): Promise<BenchResult | "stopped"> {
    const device = await this.open(row, true);
    await this.say({ code: "device-open", identity: device.identity });
    try {
      const result = await testCapacity({
        device,
        seed: `job ${this.job.id}`,
        onProgress: ({ phase, doneBytes, totalBytes }) => {
          this.progress = { phase: phase === "read" ? "verify" : "write", doneBytes, totalBytes };
        },
        shouldStop: () => this.wish !== null || this.isStopping(),
      });
      if (result.state === "stopped") return this.stop("cancel");
      const rates = result.state === "sound" ? result : { writeRate: null, readRate: null };
      await this.keep(async (acting) => {
        if (result.state === "counterfeit" || result.state === "failing") await distrustMedium(acting, row);
        await acting.db
          .update(devices)
          .set({ testedAt: this.now(), testResult: result, updatedAt: this.now() })
          .where(eq(devices.id, row.id));
        await recordWear(acting, row.id, { bytesWritten: row.bytes, ...rates });
      });
      return result.state === "fault"
        ? { state: "fault", phase: "write", code: result.code, offset: result.offset }
        : { state: "capacity", capacity: result };
    } finally {
      await device.close();
    }
  }

  private async verify(row: DeviceRow, share: number | null): Promise<BenchResult | "stopped"> {
    const device = await this.open(row, false);
    await this.say({ code: "device-open", identity: device.identity });
    try {
      const result = await verifyAgainstRelease(await this.context(), row, asSource(device), {
        share,
        seed: `job ${this.job.id}`,
        onProgress: (doneBytes, totalBytes) => {
          this.progress = { phase: "verify", doneBytes, totalBytes };
        },
        shouldStop: () => this.wish !== null || this.isStopping(),
      });
      return result ?? this.stop("cancel");
    } finally {
      await device.close();
    }
  }

  private async stop(why: "pause" | "cancel"): Promise<"stopped"> {
    // A server that goes down leaves its jobs as it would leave them when killed.
    const byServer = this.wish === null;
    const state = byServer ? "interrupted" : why === "pause" ? "paused" : "cancelled";
    const set = { state, wish: null, rate: null, ...(state === "cancelled" ? { endedAt: this.now() } : {}) } as const;
    await endJob(this.db, this.now, this.job.id, this.runner, set, { code: state });
    return "stopped";
  }

  /** Says that it is alive and how far it is, and hears what is asked of it. */
  private async beat(): Promise<void> {
    const { phase, doneBytes, totalBytes } = this.progress;
    const at = performance.now();
    this.marks.push({ at, doneBytes });
    while (this.marks.length > 12) this.marks.shift();
    const first = this.marks[0];
    const isSame = first !== undefined && first.doneBytes <= doneBytes && at > first.at;
    if (!isSame) this.marks.splice(0, this.marks.length - 1);
    const rate = isSame ? rateOf(doneBytes - first.doneBytes, at - first.at) : null;
    const askedAt = performance.now();
    const beaten = await this.db
      .update(benchJobs)
      .set({ heartbeatAt: DATABASE_NOW, phase, doneBytes, totalBytes, rate })
      .where(isHeldBy(this.job.id, this.runner));
    this.heldUntil = affectedRows(beaten) === 1 ? askedAt + this.times.held : 0;
    const [state] = await this.db
      .select({ wish: benchJobs.wish, deviceId: berths.deviceId, runner: benchJobs.runner })
      .from(benchJobs)
      .innerJoin(berths, eq(berths.id, benchJobs.berthId))
      .where(eq(benchJobs.id, this.job.id));
    this.wish = state?.runner === this.runner ? (state.wish ?? null) : "cancel";
    this.isSeated = state?.deviceId === this.device?.id;
  }
}

/** What firmware makes of a medium, a line for each way to start from it. */
function startsOf(inspection: Inspection): string[] {
  return startPathsOf(inspection)
    .map((path) => {
      const { firmware, arch, as, problem } = path;
      const what = path.firmware === "bios" ? path.program : path.file;
      return [firmware, arch, as, what, ...(problem ? [problem.code] : [])].join(" ");
    })
    .sort();
}
