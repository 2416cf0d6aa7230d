import { CachedSource, ReadFailed, readInto } from "@/core/kernel/source";
import type { BenchResult } from "@/core/making/jobs/job";
import { blocksOf } from "@/core/making/writing/blocks";
import { testCapacity } from "@/core/making/writing/capacity";
import { type Device, DeviceFault, impatient, sameDevice } from "@/core/making/writing/device";
import { rateOf } from "@/core/making/writing/rate";
import { type Phase, writeMedium } from "@/core/making/writing/write-medium";
import { inspect } from "@/core/medium/inspection/inspect";
import type { Inspection } from "@/core/medium/inspection/schema";
import type { Desk, GoodPlan, OpenPlan, Preparation, WorkProgress } from "./desk";
import { asSource, type DeviceTarget, fingerprintOf, identityOfRow, sectorsOf } from "./device";
import { FileJournal } from "./journal";
import { RunnerGone, type RunnerTimes } from "./runner-times";
import { startsOf } from "./starts-of";

/** Thrown where what comes from elsewhere is not wanted any more. */
class Stopped extends Error {}

/** One job, from its start or from where it was, at a desk. */
export class BenchWork {
  private wish: "pause" | "cancel" | null = null;
  private isSeated = true;
  /** Until when the job is this runner's, by this process's own clock that nobody sets (performance.now). */
  private heldUntil = 0;
  /** The same by the clock on the wall: that one goes on while a laptop sleeps. */
  private heldUntilTime = 0;
  private progress: WorkProgress = { phase: "open", doneBytes: 0, totalBytes: 0 };
  private readonly marks: { at: number; doneBytes: number }[] = [];
  constructor(
    private readonly desk: Desk,
    /** Of what is kept of the job beside its desk. */
    private readonly folder: string,
    private readonly runner: string,
    private readonly times: RunnerTimes,
    private readonly isStopping: () => boolean,
  ) {}

  /** Does it, and says how it ended; gives that, too. "stopped": somebody asked for that, or it is another runner's now. */
  async run(): Promise<BenchResult | "stopped"> {
    const end = await this.do();
    if (end === "stopped") return end;
    const isSame = (end.state === "compared" || end.state === "sampled") && end.same;
    const isDone = end.state === "verified" || end.state === "capacity" || isSame;
    await this.desk.end(isDone ? "done" : "failed", end);
    return end;
  }

  private isHeld(): boolean {
    return performance.now() < this.heldUntil && (!this.times.sleeps || Date.now() < this.heldUntilTime);
  }

  /** What came of it; "stopped" where somebody asked for that, and it says so itself. */
  private async do(): Promise<BenchResult | "stopped"> {
    const device = await this.desk.target();
    if (!device) return { state: "fault", phase: "open", code: "gone", offset: null };
    await this.desk.say({ code: "started", runner: this.runner });
    await this.beat();
    const beating = setInterval(() => void this.beat().catch(() => {}), this.times.tellEvery);
    try {
      const { request } = this.desk;
      if (request.kind === "prepare") return await this.prepare(device, request);
      if (request.kind === "capacity") return await this.capacity(device, request.fingerprint);
      return await this.verify(request.share ?? null);
    } catch (error) {
      const cause = error instanceof ReadFailed ? error.cause : error;
      if (cause instanceof RunnerGone || !this.isHeld()) return "stopped";
      if (cause instanceof DeviceFault)
        return { state: "fault", phase: this.progress.phase as Phase, code: cause.code, offset: cause.offset };
      throw error;
    } finally {
      clearInterval(beating);
    }
  }

  /** The device as long as it is in its berth, and no longer than it answers. */
  private async open(write: boolean): Promise<Device> {
    const device = impatient(await this.desk.open({ write }));
    const seated = () => {
      // By now another runner may write to it.
      if (!this.isHeld()) throw new RunnerGone();
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

  private async prepare(row: DeviceTarget, request: Preparation): Promise<BenchResult | "stopped"> {
    if (request.plainStore) {
      // One that was killed once all was recorded has a store in its berth: its own.
      const said = await this.desk.linesSaid();
      const written = said.find((line) => line.code === "written");
      if (written && said.some(({ code }) => code === "recorded"))
        return {
          state: "verified",
          ...{ writtenBytes: written.bytes, writeRate: null, readRate: null, viewsAsPredicted: true },
        };
    }
    const planned = await this.planned(request);
    if (planned === null) return this.stop(this.wish ?? "pause");
    if ("failed" in planned) return planned.failed;
    try {
      this.progress = { phase: "open", doneBytes: 0, totalBytes: 0 };
      return await this.onDevice(row, request, (device) => this.write(row, device, request, planned.plan));
    } finally {
      await planned.close();
    }
  }

  /** Null where it was to stop while what it is made from came here. */
  private async planned(request: Preparation): Promise<OpenPlan | null> {
    try {
      return await this.desk.plan(request, (doneBytes, totalBytes) => {
        if (this.wish !== null || this.isStopping()) throw new Stopped();
        this.progress = { phase: "fetch", doneBytes, totalBytes };
      });
    } catch (error) {
      if (error instanceof Stopped) return null;
      throw error;
    }
  }

  /** Does something to the device that was planned for; where it is another one, or a store, that is said and nothing done. */
  private async onDevice(
    row: DeviceTarget,
    request: Preparation,
    run: (device: Device) => Promise<BenchResult | "stopped">,
  ): Promise<BenchResult | "stopped"> {
    const device = await this.open(true);
    try {
      await this.desk.say({ code: "device-open", identity: device.identity });
      const isSame = sameDevice(device.identity, request.device) && sameDevice(identityOfRow(row), request.device);
      if (!isSame || row.isStore) return { state: "device-changed", what: "identity" };
      await this.desk.say({ code: "device-is-no-store" });
      return await run(device);
    } finally {
      await device.close();
    }
  }

  private async write(
    row: DeviceTarget,
    device: Device,
    request: Preparation,
    plan: GoodPlan,
  ): Promise<BenchResult | "stopped"> {
    const blocks = blocksOf(plan.layout);
    const journal = await FileJournal.open(this.folder, blocks.length);
    try {
      const [flushedBlocks, verifiedBlocks] = [journal.flushedBlocks(), journal.verifiedBlocks()];
      if (journal.isBegun)
        await this.desk.say({ code: "resumed", flushedBlocks, verifiedBlocks, blocks: blocks.length });
      else if ((await fingerprintOf(device)) !== request.fingerprint)
        return { state: "device-changed", what: "content" };
      if (!journal.isBegun) await this.desk.begin();
      // From here on the device is no longer as it was when it was planned for, and that is known.
      await journal.saveFlushed(flushedBlocks);
      await this.desk.say({
        code: "plan",
        writtenBytes: plan.writtenBytes,
        parts: plan.parts.length,
        notes: plan.notes,
      });
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
          await this.desk.distrust();
          return { state: "differs", start: result.start, lengthBytes: result.lengthBytes, path: null };
        case "source-failed":
          return { state: "source-failed", offset: result.offset };
        case "wraps": {
          await this.desk.tested({ state: "counterfeit", trueBytes: result.trueBytes, how: "wraps" }, null);
          return result;
        }
      }
      const { writtenBytes, writeMs, verifyMs } = result;
      await this.desk.say({ code: "written", bytes: writtenBytes, ms: Math.round(writeMs) });
      await this.desk.say({ code: "flushed" });
      const rates = { writeRate: rateOf(writtenBytes, writeMs), readRate: rateOf(writtenBytes, verifyMs) };
      // One that was killed after this and goes on writes nothing more: its device is worn once.
      await this.desk.readBack(
        { code: "read-back", bytes: writtenBytes, ms: Math.round(verifyMs) },
        { bytesWritten: writtenBytes, ...rates },
      );
      return await this.check(row, plan, { writtenBytes, ...rates });
    } finally {
      await journal.close();
    }
  }

  /** Reads the finished medium as any other; whoever keeps it compares that with what was predicted. */
  private async check(
    row: DeviceTarget,
    plan: GoodPlan,
    facts: { writtenBytes: number; writeRate: number | null; readRate: number | null },
  ): Promise<BenchResult> {
    // All that was read back is done: what is read now is not counted, and is told at once.
    this.progress = { phase: "inspect", doneBytes: 0, totalBytes: 0 };
    await this.beat();
    const device = await this.open(false);
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
    await this.desk.say({ code: "inspected", startPaths: startsOf(read) });
    const refused = await this.desk.conclude(read, plan);
    return refused ?? { state: "verified", ...facts, viewsAsPredicted: true };
  }

  private async capacity(row: DeviceTarget, fingerprint: string): Promise<BenchResult | "stopped"> {
    const device = await this.open(true);
    await this.desk.say({ code: "device-open", identity: device.identity });
    try {
      if (!sameDevice(device.identity, identityOfRow(row)) || row.isStore)
        return { state: "device-changed", what: "identity" };
      // One that was begun before has emptied it.
      const isBegun = (await this.desk.linesSaid()).some(({ code }) => code === "device-is-no-store");
      if (!isBegun && (await fingerprintOf(device)) !== fingerprint)
        return { state: "device-changed", what: "content" };
      await this.desk.say({ code: "device-is-no-store" });
      const result = await testCapacity({
        device,
        seed: `job ${this.desk.jobId}`,
        onProgress: ({ phase, doneBytes, totalBytes }) => {
          this.progress = { phase: phase === "read" ? "verify" : "write", doneBytes, totalBytes };
        },
        shouldStop: () => this.wish !== null || this.isStopping(),
      });
      if (result.state === "stopped") return this.stop("cancel");
      const { writeRate, readRate } = result.state === "sound" ? result : { writeRate: null, readRate: null };
      await this.desk.tested(result, { bytesWritten: row.bytes, writeRate, readRate });
      return result.state === "fault"
        ? { state: "fault", phase: "write", code: result.code, offset: result.offset }
        : { state: "capacity", capacity: result };
    } finally {
      await device.close();
    }
  }

  private async verify(share: number | null): Promise<BenchResult | "stopped"> {
    const device = await this.open(false);
    await this.desk.say({ code: "device-open", identity: device.identity });
    try {
      const result = await this.desk.compare(asSource(device), {
        share,
        seed: `job ${this.desk.jobId}`,
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
    await this.desk.end(byServer ? "interrupted" : why === "pause" ? "paused" : "cancelled", null);
    return "stopped";
  }

  /** Says that it is alive and how far it is, and hears what is asked of it. */
  private async beat(): Promise<void> {
    const { doneBytes } = this.progress;
    const at = performance.now();
    this.marks.push({ at, doneBytes });
    while (this.marks.length > 12) this.marks.shift();
    const first = this.marks[0];
    const isSame = first !== undefined && first.doneBytes <= doneBytes && at > first.at;
    if (!isSame) this.marks.splice(0, this.marks.length - 1);
    const rate = isSame ? rateOf(doneBytes - first.doneBytes, at - first.at) : null;
    const [askedAt, askedTime] = [performance.now(), Date.now()];
    const { isHeld, wish, isSeated } = await this.desk.beat(this.progress, rate);
    this.heldUntil = isHeld ? askedAt + this.times.held : 0;
    this.heldUntilTime = isHeld ? askedTime + this.times.held : 0;
    this.wish = wish;
    this.isSeated = isSeated;
  }
}
