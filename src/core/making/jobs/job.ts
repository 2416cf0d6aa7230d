import { z } from "zod";
import type { Verification } from "../../medium/integrity/verify";
import { BESIDE_MOST } from "../pack/pack";
import type { PlanNote, PlanProblem } from "../planning/plan";
import { WAYS } from "../planning/plan";
import type { CapacityResult } from "../writing/capacity";
import type { DeviceFaultCode, DeviceIdentity } from "../writing/device";
import type { Phase } from "../writing/write-medium";

/** Something that is put on a medium beside its release. */
const carrySchema = z.discriminatedUnion("kind", [
  /** A driver's folder on another release, by its .inf file. */
  z.object({ kind: z.literal("driver"), releaseId: z.number().int(), path: z.string() }),
  /** A file that lies in the library for that. */
  z.object({ kind: z.literal("file"), name: z.string() }),
]);
export type Carry = z.infer<typeof carrySchema>;

/** How a medium is kept once it is made. */
export const keptAsSchema = z.object({
  name: z.string().trim().max(120, "A name has at most 120 characters.").nullable(),
  siteId: z.number().int().positive().nullable(),
  note: z.string().trim().max(2000).nullable(),
});
export type KeptAs = z.infer<typeof keptAsSchema>;

export const plainStoreSchema = z.object({
  name: z.string().trim().min(1, "A store needs a name.").max(120, "A name has at most 120 characters."),
  siteId: z.number().int().positive().nullable(),
});

/** What a job is asked to do. */
export const benchRequestSchema = z.discriminatedUnion("kind", [
  z.object({
    kind: z.literal("prepare"),
    way: z.enum(WAYS),
    table: z.enum(["gpt", "mbr"]),
    store: z.boolean(),
    tag: z.string(),
    systemFiles: z.boolean().optional(),
    /** The day and time that the medium is made as of, ISO 8601: part of what makes it the same twice. */
    madeAt: z.string(),
    /** The device as it was when the plan was agreed to. */
    device: z.custom<DeviceIdentity>(),
    /** What was on it then, by a digest of its first and last blocks: what changed since is not overwritten. */
    fingerprint: z.string(),
    /** What is put beside the release, kept under this. */
    pack: z.string(),
    carry: z.array(carrySchema).default([]),
    /** More releases, in partitions of their own, by their ids. */
    besideIds: z.array(z.number().int()).max(BESIDE_MOST).default([]),
    /** Nothing but a store: how it is called, and where it is kept. */
    plainStore: plainStoreSchema.optional(),
    /** What the medium is called, where it is kept and what it is for; left out: as it was, or not recorded. */
    keptAs: keptAsSchema.optional(),
  }),
  /** All of it, or a sample of so large a share of its content. */
  z.object({ kind: z.literal("verify"), share: z.number().positive().max(1).nullish() }),
  /** Empties the device, as long as it is as it was when that was agreed to: by a digest of its first and last blocks. */
  z.object({ kind: z.literal("capacity"), fingerprint: z.string() }),
]);
export type BenchRequest = z.infer<typeof benchRequestSchema>;

/** What came of a job. */
export type BenchResult =
  | {
      state: "verified";
      writtenBytes: number;
      writeRate: number | null;
      readRate: number | null;
      viewsAsPredicted: true;
    }
  | { state: "not-as-predicted"; expected: string[]; found: string[] }
  | { state: "differs"; start: number; lengthBytes: number; path: string | null }
  | { state: "wraps"; trueBytes: number }
  | { state: "fault"; phase: Phase | "open" | "fetch" | "inspect"; code: DeviceFaultCode; offset: number | null }
  | { state: "source-failed"; offset: number }
  | { state: "device-changed"; what: "identity" | "content" }
  | { state: "file-missing"; file: string }
  | { state: "plan-failed"; problems: PlanProblem[] }
  | { state: "lines-missing"; codes: string[] }
  | { state: "compared"; same: boolean; result: Verification["result"]; damaged: string[] }
  | {
      state: "sampled";
      same: boolean;
      by: "blocks" | "files";
      comparedBytes: number;
      ofBytes: number;
      damaged: string[];
    }
  | { state: "nothing-to-compare" }
  | { state: "capacity"; capacity: CapacityResult };

/** A line of a job's log: code and facts; its sentence is made in `words/bench.ts`. */
export type BenchLine =
  | { code: "started"; runner: string }
  | { code: "device-open"; identity: DeviceIdentity }
  | { code: "device-is-no-store" }
  | { code: "plan"; writtenBytes: number; parts: number; notes: PlanNote[] }
  | { code: "resumed"; flushedBlocks: number; verifiedBlocks: number; blocks: number }
  | { code: "written"; bytes: number; ms: number }
  | { code: "flushed" }
  | { code: "read-back"; bytes: number; ms: number }
  | { code: "inspected"; startPaths: string[] }
  | { code: "as-predicted" }
  | { code: "paused" }
  | { code: "cancelled" }
  | { code: "interrupted" }
  | { code: "recorded"; medium: string }
  | { code: "ended"; result: BenchResult["state"] };

/** Lines that a preparation must have said before it counts as done: what is not in its log did not happen. */
const EXPECTED_LINES: readonly BenchLine["code"][] = [
  "device-open",
  "device-is-no-store",
  "plan",
  "written",
  "flushed",
  "read-back",
  "inspected",
  "as-predicted",
];

/** Lines that a whole report has and this one lacks: what they would tell is then unknown. */
export function missingLines(lines: readonly BenchLine[]): BenchLine["code"][] {
  const said = new Set(lines.map(({ code }) => code));
  return EXPECTED_LINES.filter((code) => !said.has(code));
}
