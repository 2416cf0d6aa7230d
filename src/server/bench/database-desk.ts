import { eq } from "drizzle-orm";
import type { ByteSource } from "@/core/kernel/source";
import { type BenchLine, type BenchRequest, type BenchResult, missingLines } from "@/core/making/jobs/job";
import type { CapacityResult } from "@/core/making/writing/capacity";
import { type Device, DeviceFault } from "@/core/making/writing/device";
import type { Inspection } from "@/core/medium/inspection/schema";
import { problemText } from "../../core/words/problems";
import { act } from "../act";
import type { Context } from "../context";
import type { Database } from "../db/client";
import { affectedRows } from "../db/results";
import { benchJobs, benchLines, berths, devices } from "../db/schema";
import { type Compared, type CompareOptions, compareWith } from "../devices/compare";
import type { Desk, EndState, GoodPlan, Heard, OpenPlan, Preparation, Wear, WorkProgress } from "../devices/desk";
import type { DeviceTarget } from "../devices/device";
import { planStoreOn } from "../devices/material";
import { RunnerGone } from "../devices/runner-times";
import { startsOf } from "../devices/starts-of";
import { listPeople } from "../inventory/people";
import { DATABASE_NOW } from "../jobs/jobs";
import { ok, type Result } from "../problems";
import { openCarried } from "./carry";
import { type DeviceRow, openDevice } from "./devices";
import { endJob, GONE, isHeldBy, lineOf, linesSaid } from "./holding";
import type { BenchJob } from "./jobs";
import { keptPack } from "./packs";
import { openReleases, planFrom } from "./plans";
import { distrustMedium, recordMedium, recordPlainStore, recordWear, storeBytesOf, voidMedium } from "./record";
import { dateByComparison, toCompareWith } from "./verify";

/** A desk at the database itself, for work that this server does; of a bench host's work the same keeps what it tells. */
export class DatabaseDesk implements Desk {
  readonly jobId: number;
  readonly request: BenchRequest;
  constructor(
    private readonly db: Database,
    private readonly job: BenchJob,
    private readonly runner: string,
    private readonly now: () => Date,
  ) {
    this.jobId = job.id;
    this.request = job.request;
  }

  private row: DeviceRow | null = null;

  /** The device of the job, whose row is there: a job holds it. */
  private async device(): Promise<DeviceRow> {
    this.row ??= (await this.db.select().from(devices).where(eq(devices.id, this.job.deviceId)))[0] ?? null;
    if (!this.row) throw new DeviceFault("gone");
    return this.row;
  }

  async target(): Promise<DeviceTarget | null> {
    return this.device().catch(() => null);
  }

  async open(access: { write: boolean }): Promise<Device> {
    return openDevice(await this.device(), access);
  }

  private asked: Promise<Context> | null = null;

  /** Of whoever asked for the job. */
  private context(): Promise<Context> {
    this.asked ??= listPeople(this.db).then((people) => {
      const { personId: id } = this.job;
      return { db: this.db, person: people.find((each) => each.id === id) ?? { id, name: "" }, now: this.now };
    });
    return this.asked;
  }

  /** An act that is kept only where the job is still this runner's. */
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

  private sayWithin = ({ db }: Context, line: BenchLine) =>
    db.insert(benchLines).values(lineOf(this.job.id, line, this.now()));

  async say(line: BenchLine): Promise<void> {
    await this.keep(async (acting) => void (await this.sayWithin(acting, line)));
  }

  async linesSaid(): Promise<BenchLine[]> {
    return linesSaid(await this.context(), this.job.id);
  }

  async beat({ phase, doneBytes, totalBytes }: WorkProgress, rate: number | null): Promise<Heard> {
    const beaten = await this.db
      .update(benchJobs)
      .set({ heartbeatAt: DATABASE_NOW, phase, doneBytes, totalBytes, rate })
      .where(isHeldBy(this.job.id, this.runner));
    const [state] = await this.db
      .select({ wish: benchJobs.wish, deviceId: berths.deviceId, runner: benchJobs.runner })
      .from(benchJobs)
      .innerJoin(berths, eq(berths.id, benchJobs.berthId))
      .where(eq(benchJobs.id, this.job.id));
    return {
      isHeld: affectedRows(beaten) === 1,
      wish: state?.runner === this.runner ? (state.wish ?? null) : "cancel",
      isSeated: state?.deviceId === this.job.deviceId,
    };
  }

  /** As it was planned when it was asked for. */
  async plan(request: Preparation): Promise<OpenPlan> {
    const { device } = request;
    if (request.plainStore) {
      const plan = await planStoreOn(device, request.plainStore.name, request.madeAt);
      return plan.ok ? { plan, close: async () => {} } : { failed: { state: "plan-failed", problems: plan.problems } };
    }
    const context = await this.context();
    const missing = (file: string): OpenPlan => ({ failed: { state: "file-missing", file } });
    if (this.job.releaseId === null) return missing("");
    const opened = await openReleases(context, [this.job.releaseId, ...(request.besideIds ?? [])]);
    if (!opened.ok) return missing(problemText(opened.problem));
    const closing = [opened.value.close];
    const close = async () => void (await Promise.all(closing.map((each) => each())));
    const failed = async (result: OpenPlan) => {
      await close();
      return result;
    };
    const pack = await keptPack(request.pack);
    if (!pack) return failed(missing(problemText({ code: "refused", why: { code: "pack-gone" } })));
    const carried = await openCarried(context, request.carry ?? []);
    if (!carried.ok) return failed(missing(problemText(carried.problem)));
    closing.push(carried.value.close);
    const plan = await planFrom(opened.value.files, device, request, pack, request.madeAt, carried.value);
    return plan.ok ? { plan, close } : failed({ failed: { state: "plan-failed", problems: plan.problems } });
  }

  async begin(): Promise<void> {
    const device = await this.device();
    await this.keep((acting) => voidMedium(acting, device));
  }

  async distrust(): Promise<void> {
    const device = await this.device();
    await this.keep((acting) => distrustMedium(acting, device));
  }

  async readBack(line: BenchLine, wear: Wear): Promise<void> {
    await this.keep(async (acting) => {
      const said = await linesSaid(acting, this.job.id);
      await this.sayWithin(acting, line);
      if (!said.some(({ code }) => code === "read-back")) await recordWear(acting, this.job.deviceId, wear);
    });
  }

  async tested(result: CapacityResult, wear: Wear | null): Promise<void> {
    const device = await this.device();
    const at = this.now();
    await this.keep(async (acting) => {
      if (result.state === "counterfeit" || result.state === "failing") await distrustMedium(acting, device);
      const set = { testedAt: at, testResult: result, updatedAt: at };
      await acting.db.update(devices).set(set).where(eq(devices.id, device.id));
      if (wear) await recordWear(acting, device.id, wear);
    });
  }

  async conclude(read: Inspection, plan: GoodPlan): Promise<BenchResult | null> {
    const device = await this.device();
    const [found, expected] = [startsOf(read), startsOf(plan.predicted)];
    if (JSON.stringify(found) !== JSON.stringify(expected)) return { state: "not-as-predicted", expected, found };
    await this.say({ code: "as-predicted" });
    const missing = missingLines(await this.linesSaid());
    if (missing.length > 0) return { state: "lines-missing", codes: missing };
    const plainStore = this.request.kind === "prepare" ? this.request.plainStore : undefined;
    await this.keep(async (acting) => {
      if (plainStore) await recordPlainStore(acting, device, plainStore, storeBytesOf(plan) ?? device.bytes);
      const medium = plainStore ? plainStore.name : await recordMedium(acting, this.job, device, read, plan);
      if (medium !== null) await this.sayWithin(acting, { code: "recorded", medium });
    });
    return null;
  }

  async compare(source: ByteSource, options: CompareOptions): Promise<BenchResult | null> {
    const context = await this.context();
    const wanted = await toCompareWith(context, await this.device());
    if (!wanted) return { state: "nothing-to-compare" };
    const compared = await compareWith(source, wanted.loads, options);
    if (compared) await this.keep((acting) => dateByComparison(acting, wanted.tag, compared));
    return compared;
  }

  /** Dates the medium's verification by what comparing it elsewhere came to. */
  async keepComparison(compared: Compared): Promise<void> {
    const wanted = await toCompareWith(await this.context(), await this.device());
    if (wanted) await this.keep((acting) => dateByComparison(acting, wanted.tag, compared));
  }

  /** Concludes what was made elsewhere, against what this server plans itself. */
  async concludeElsewhere(read: Inspection): Promise<BenchResult | null> {
    if (this.request.kind !== "prepare") return { state: "nothing-to-compare" };
    const planned = await this.plan(this.request);
    if ("failed" in planned) return planned.failed;
    try {
      return await this.conclude(read, planned.plan);
    } finally {
      await planned.close();
    }
  }

  /** How a job ends that was done elsewhere: nothing counts as verified that was not recorded here. */
  async endOf(state: EndState, result: BenchResult | null): Promise<{ state: EndState; result: BenchResult | null }> {
    const isSaid = state === "done" || state === "failed";
    if (isSaid !== (result !== null)) return { state: "interrupted", result: null };
    if (state !== "done" || result === null) return { state, result };
    const isOfKind =
      this.request.kind === "prepare"
        ? result.state === "verified"
        : this.request.kind === "capacity"
          ? result.state === "capacity"
          : (result.state === "compared" || result.state === "sampled") && result.same;
    const codes = (await this.linesSaid()).map(({ code }) => code);
    const isKept = result.state !== "verified" || codes.includes("recorded");
    return isOfKind && isKept
      ? { state, result }
      : { state: "failed", result: { state: "lines-missing", codes: ["recorded"] } };
  }

  async end(state: EndState, result: BenchResult | null): Promise<void> {
    const isOver = state === "done" || state === "failed" || state === "cancelled";
    const set = {
      ...{ state, wish: null, rate: null },
      ...(result ? { result, phase: null } : {}),
      ...(isOver ? { endedAt: this.now() } : {}),
    };
    const line: BenchLine = result ? { code: "ended", result: result.state } : { code: state as "paused" };
    await endJob(this.db, this.now, this.job.id, this.runner, set, line);
  }
}
