import { z } from "zod";
import type { Reason } from "../judging/model/reasons";
import type { Change } from "../judging/model/schema";
import type { Need } from "./policy";

/** What is bought, and for how much: sticks by the size that they are sold as. */
export const PRICED = ["8 GB", "16 GB", "32 GB", "64 GB", "128 GB", "disc"] as const;
export type Priced = (typeof PRICED)[number];

const money = z.number().min(0).max(1e6);
const minutes = z.number().int().min(0).max(10_000);

/** What a plan of cover is reckoned by; whoever asks for it sets it. */
export const coverSettingsSchema = z.object({
  /** In whatever money; null: not to be had. */
  prices: z.record(z.enum(PRICED), money.nullable()),
  workHour: money,
  travelHour: money,
  /** Attended minutes. */
  writeMinutes: minutes,
  drillMinutes: minutes,
  /** Most seconds to compute. */
  seconds: z.number().int().min(1).max(600),
  /** Media that stay what and where they are, by their tags. */
  keep: z.array(z.string().trim().max(60)).max(500),
  /** Places for which nothing is bought, by their names. */
  noPurchase: z.array(z.string().max(120)).max(500),
  /** Releases that are not made any more, by name: "Bollard 5.0". */
  without: z.array(z.string().max(200)).max(200),
});
export type CoverSettings = z.infer<typeof coverSettingsSchema>;

/** Common practice: what sticks and discs cost, and how long somebody is busy with one. */
export const USUAL_SETTINGS: CoverSettings = {
  prices: { "8 GB": 6, "16 GB": 7, "32 GB": 9, "64 GB": 13, "128 GB": 21, disc: 1 },
  ...{ workHour: 40, travelHour: 30, writeMinutes: 20, drillMinutes: 15, seconds: 30 },
  ...{ keep: [], noPurchase: [], without: [] },
};

/** Some of many, by their tags. */
export interface Some {
  count: number;
  tags: string[];
}

/** One decision of a plan, in names. */
export interface PlannedMedium {
  act: "keep" | "move" | "rewrite" | "buy";
  /** Its tag; of a new one null. */
  medium: string | null;
  /** What it holds then: "Bollard 5.0, laid out on a stick"; null: it is a blank spare. */
  holds: string | null;
  releaseId: number | null;
  /** More releases that stand beside it, by their ids. */
  besideIds?: number[];
  way: string | null;
  from: string | null;
  site: string;
  /** Who has it and is to give it back first. */
  lentTo?: string | null;
  /** What has to be bought. */
  size: Priced | null;
  cost: number;
  /** Computers that it serves, and those that would lack a route without it. */
  serves: Some;
  forcedBy: Some;
  /** Computers on which it is to be tried, one of each model. */
  drills: string[];
}

/** Why no plan can give something. */
export type CoverWhy =
  | { code: "no-purchase"; site: string }
  | { code: "image-too-old"; on: string; mostDays: number | null }
  /** Of a release the way that comes nearest: what stands against it, and what would mend that. */
  | { code: "nearest"; release: string; reason: Reason | null; change: Change | null }
  | { code: "nothing-gives-it-back" }
  /** Of a plan that was kept when this was kept in sentences. */
  | { code: "told-in-words"; text: string };

/** What no plan can give, and what would. */
export interface CoverLack {
  computers: Some;
  need: Need | "spare";
  site: string | null;
  lacking: number;
  /** What stands against it, and what would free it. */
  why: CoverWhy[];
}

export interface CoverResult {
  media: PlannedMedium[];
  lacks: CoverLack[];
  cost: { total: number; purchase: number; work: number; travel: number; bound: number };
  isLeast: boolean;
  /** Computers that have what their policy asks for: now, and by the plan. */
  met: {
    now: number;
    planned: number;
    of: number;
    /** By the plan, of each place by its name; plans of before that was told have none. */
    bySite?: Record<string, number>;
  };
  /** Computers of which no place is recorded, so that nothing can be planned for them. */
  placeless: Some;
  seconds: number;
  /** Releases that were not looked at, and why. */
  leftOut: LeftOut[];
}

/** A release that was not looked at: its file is not there. `why`: of a plan from before, in words. */
export interface LeftOut {
  release: string;
  file?: string | null;
  why?: string;
}

/** How far a plan is while it is computed, and how it ended where it gives nothing. */
export type PlanProgress =
  | { code: "waiting" | "looking" | "looking-together" | "cancelled" | "interrupted" | "failed" }
  | { code: "computing"; demands: number; media: number; contents: number }
  | { code: "parts"; done: number; of: number }
  | { code: "told-in-words"; text: string };

/** Something to be done by an accepted plan. */
export interface CoverTask {
  kind: "buy" | "rewrite" | "write" | "move" | "drill" | "ask-back";
  site: string;
  medium: string | null;
  /** What the medium is to hold; null: it becomes, or is, a blank spare. */
  holds?: string | null;
  lentTo?: string | null;
  /** Of a task that was kept when tasks were kept as sentences. */
  text?: string;
  /** Of moves and loans. */
  from: string | null;
  releaseId: number | null;
  besideIds?: number[];
  way?: string | null;
  size: Priced | null;
  computer: string | null;
  /** Computers for which a medium is made. */
  forced?: string[];
}

/** A result as it was kept; once, why no plan can give something was kept in sentences. */
export function readCoverResult(kept: unknown): CoverResult | null {
  if (kept === null) return null;
  const result = kept as Omit<CoverResult, "lacks"> & {
    lacks: (Omit<CoverLack, "why"> & { why: (CoverWhy | string)[] })[];
  };
  const coded = (why: CoverWhy | string): CoverWhy =>
    typeof why === "string" ? { code: "told-in-words", text: why } : why;
  return { ...result, lacks: result.lacks.map((lack) => ({ ...lack, why: lack.why.map(coded) })) };
}
