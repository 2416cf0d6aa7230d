import type { ByteSource } from "@/core/kernel/source";
import type { BenchLine, BenchRequest, BenchResult } from "@/core/making/jobs/job";
import type { MediumPlan } from "@/core/making/planning/plan";
import type { CapacityResult } from "@/core/making/writing/capacity";
import type { Device } from "@/core/making/writing/device";
import type { Inspection } from "@/core/medium/inspection/schema";
import type { CompareOptions } from "./compare";
import type { DeviceTarget } from "./device";

/** How far a job is. Bytes of its phase. */
export interface WorkProgress {
  phase: string;
  doneBytes: number;
  totalBytes: number;
}

/** What whoever does a job hears when it says how far it is. */
export interface Heard {
  /** Whether the job is still this runner's. */
  isHeld: boolean;
  wish: "pause" | "cancel" | null;
  /** Whether its device is still the one in its berth. */
  isSeated: boolean;
}

/** What a device went through. Bytes, and bytes a second. */
export interface Wear {
  bytesWritten: number;
  writeRate: number | null;
  readRate: number | null;
}

export type Preparation = Extract<BenchRequest, { kind: "prepare" }>;
export type GoodPlan = Extract<MediumPlan, { ok: true }>;

/** A plan with all that it is made from open; or what came of the job, where it cannot be made. */
export type OpenPlan = { plan: GoodPlan; close: () => Promise<void> } | { failed: BenchResult };

/**
 * What a job is done at: where its device is, what it is made from, and who keeps what came of it. One is the database
 * itself (`database-desk.ts`), the other asks a server from elsewhere (`cli/host`). Everything that keeps something throws
 * `RunnerGone` where the job is another runner's by now.
 */
export interface Desk {
  readonly jobId: number;
  readonly request: BenchRequest;
  /** The device that the job is about; null where it is recorded no more. */
  target(): Promise<DeviceTarget | null>;
  open(access: { write: boolean }): Promise<Device>;
  /** `onFetched`: how much of what has to be brought here first has come. */
  plan(request: Preparation, onFetched: (doneBytes: number, totalBytes: number) => void): Promise<OpenPlan>;
  say(line: BenchLine): Promise<void>;
  linesSaid(): Promise<BenchLine[]>;
  beat(progress: WorkProgress, rate: number | null): Promise<Heard>;
  /** Before the first byte: what the device was until now it is no longer. */
  begin(): Promise<void>;
  /** Everything was read back: the line, and once, however often it is said, what the device went through. */
  readBack(line: BenchLine, wear: Wear): Promise<void>;
  /** The device came back otherwise than it was written. */
  distrust(): Promise<void>;
  /** Its capacity was tested, or was seen not to be what it says. */
  tested(result: CapacityResult, wear: Wear | null): Promise<void>;
  /**
   * The finished medium, as it was read, becomes what is recorded, where it is as predicted and the log lacks nothing; what
   * came of it where it is not.
   */
  conclude(read: Inspection, plan: GoodPlan): Promise<BenchResult | null>;
  /** Compares what is on the device with its releases; null where it was stopped. */
  compare(source: ByteSource, options: CompareOptions): Promise<BenchResult | null>;
  /** Says how the job ended, where it is still this runner's. */
  end(state: EndState, result: BenchResult | null): Promise<void>;
}

/** How a job ends, or stops for now. */
export type EndState = "done" | "failed" | "paused" | "cancelled" | "interrupted";
