import { setTimeout as sleep } from "node:timers/promises";
import type { ByteSource } from "@/core/kernel/source";
import { type HostJob, type HostMaterial, type HostTold, toldAnswerSchema } from "@/core/making/jobs/host";
import type { BenchLine, BenchRequest, BenchResult } from "@/core/making/jobs/job";
import type { CapacityResult } from "@/core/making/writing/capacity";
import type { Device } from "@/core/making/writing/device";
import type { Inspection } from "@/core/medium/inspection/schema";
import { type CompareOptions, compareWith } from "@/server/devices/compare";
import type { Desk, EndState, Heard, OpenPlan, Preparation, Wear, WorkProgress } from "@/server/devices/desk";
import type { DeviceTarget } from "@/server/devices/device";
import { planFromMaterial, planStoreOn } from "@/server/devices/material";
import { RunnerGone, type RunnerTimes } from "@/server/devices/runner-times";
import type { FileSource } from "@/server/host/file-source";
import { type CreelServer, ServerUnreached } from "../server/client";
import { ContentRefused, type Contents } from "./contents";
import type { Ports } from "./ports";

const PAUSE_MS = 500;
const ANSWER_WITHIN_MS = 5_000;
/** To plan a medium anew, and to record it, takes a server a while. */
const RECORDED_WITHIN_MS = 60_000;

/** A desk whose device is here, and whose server is elsewhere. */
export class ServerDesk implements Desk {
  readonly jobId: number;
  readonly request: BenchRequest;
  private heldAt = performance.now();
  constructor(
    private readonly server: CreelServer,
    private readonly job: HostJob,
    private readonly ports: Ports,
    private readonly contents: Contents,
    private readonly times: RunnerTimes,
  ) {
    this.jobId = job.id;
    this.request = job.request;
  }

  async target(): Promise<DeviceTarget> {
    return this.job.target;
  }

  open(access: { write: boolean }): Promise<Device> {
    return this.ports.open(this.job.port, this.job.target, access);
  }

  private async once(told: HostTold, withinMs: number) {
    const said = { runner: this.job.runner, told };
    const askedAt = performance.now();
    const patience = { attempts: 1, withinMs };
    const answer = await this.server.say(`/bench/jobs/${this.job.id}/told`, said, toldAnswerSchema, patience);
    if (answer.isHeld) this.heldAt = Math.max(this.heldAt, askedAt);
    return answer;
  }

  /** Says something until it is heard, as long as the job may be held. Throws `RunnerGone` where it is not. */
  private async tell(told: HostTold, withinMs = ANSWER_WITHIN_MS) {
    for (;;) {
      try {
        const answer = await this.once(told, withinMs);
        if (!answer.isHeld) throw new RunnerGone();
        return answer;
      } catch (error) {
        if (!(error instanceof ServerUnreached)) throw new RunnerGone(undefined, { cause: error });
        if (performance.now() - this.heldAt > this.times.held) throw new RunnerGone(undefined, { cause: error });
        await sleep(PAUSE_MS);
      }
    }
  }

  async beat({ phase, doneBytes, totalBytes }: WorkProgress, rate: number | null): Promise<Heard> {
    const { isHeld, wish, isSeated } = await this.once(
      { what: "beat", phase, doneBytes, totalBytes, rate },
      ANSWER_WITHIN_MS,
    );
    return { isHeld, wish, isSeated };
  }

  async say(line: BenchLine): Promise<void> {
    await this.tell({ what: "line", line: line as Extract<HostTold, { what: "line" }>["line"] });
  }

  async linesSaid(): Promise<BenchLine[]> {
    const { lines } = await this.tell({ what: "lines" });
    return lines as unknown as BenchLine[];
  }

  async plan(request: Preparation, onFetched: (doneBytes: number, totalBytes: number) => void): Promise<OpenPlan> {
    const { target, material } = this.job;
    if (request.plainStore) {
      const plan = await planStoreOn(target, request.plainStore.name, request.madeAt);
      return plan.ok ? { plan, close: async () => {} } : { failed: { state: "plan-failed", problems: plan.problems } };
    }
    if (!material) return { failed: { state: "file-missing", file: "" } };
    const opened: FileSource[] = [];
    const close = async () => void (await Promise.all(opened.map((source) => source.close())));
    try {
      await this.fetchAll(material, opened, onFetched);
      const source = (nth: number): ByteSource => {
        const found = opened[nth];
        if (!found) throw new ContentRefused("The server named a file that it did not list.");
        return found;
      };
      const files = (all: HostMaterial["carried"]["start"]) =>
        all.map(({ path, modified, content }) => ({ path, modified, content: source(content) }));
      const { releases, pack, carried, bios } = material;
      const bytes = (base64: string) => new Uint8Array(Buffer.from(base64, "base64"));
      const plan = await planFromMaterial(
        {
          releases: releases.map(({ title, name, content }) => ({ title, name, source: source(content) })),
          ...{ pack, bios: bios && { boot: bytes(bios.boot), core: bytes(bios.core) } },
          carried: { start: files(carried.start), store: files(carried.store) },
        },
        target,
        request,
        request.madeAt,
      );
      if (plan.ok) return { plan, close };
      await close();
      return { failed: { state: "plan-failed", problems: plan.problems } };
    } catch (error) {
      await close();
      if (error instanceof ContentRefused) return { failed: { state: "file-missing", file: error.message } };
      if (error instanceof ServerUnreached) throw new RunnerGone(undefined, { cause: error });
      throw error;
    }
  }

  private async fetchAll(
    { contents }: HostMaterial,
    opened: FileSource[],
    onFetched: (doneBytes: number, totalBytes: number) => void,
  ): Promise<void> {
    const totalBytes = contents.reduce((sum, { bytes }) => sum + bytes, 0);
    let before = 0;
    for (const [nth, { sha256, bytes }] of contents.entries()) {
      const wanted = { path: `/bench/jobs/${this.job.id}/content/${nth}`, sha256, bytes };
      const source = await this.contents.open(wanted, (have) => onFetched(before + have, totalBytes));
      opened.push(source);
      before += bytes;
    }
  }

  async begin(): Promise<void> {
    await this.tell({ what: "begin" });
  }

  async readBack({ bytes, ms }: Extract<BenchLine, { code: "read-back" }>, wear: Wear): Promise<void> {
    await this.tell({ what: "read-back", bytes, ms, wear });
  }

  async distrust(): Promise<void> {
    await this.tell({ what: "distrust" });
  }

  async tested(result: CapacityResult, wear: Wear | null): Promise<void> {
    if (result.state !== "stopped") await this.tell({ what: "tested", result, wear });
  }

  async conclude(read: Inspection): Promise<BenchResult | null> {
    return (await this.tell({ what: "made", read }, RECORDED_WITHIN_MS)).result;
  }

  async compare(source: ByteSource, options: CompareOptions): Promise<BenchResult | null> {
    const { compare } = this.job;
    if (!compare || compare.length === 0) return { state: "nothing-to-compare" };
    const compared = await compareWith(source, compare, options);
    if (compared) await this.tell({ what: "compared", compared });
    return compared;
  }

  async end(state: EndState, result: BenchResult | null): Promise<void> {
    await this.tell({ what: "end", state, result: result as Extract<HostTold, { what: "end" }>["result"] });
  }
}
