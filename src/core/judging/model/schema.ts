import { z } from "zod";
import type { Attachment } from "../../medium/inspection/schema";
import type { Reason } from "./reasons";
import type { TraceStep } from "./trace";

export const verdictSchema = z.enum(["holds", "holds-after-change", "broken", "unknown"]);
export type Verdict = z.infer<typeof verdictSchema>;

/** A setting or circumstance to change before the medium starts. */
export const changeSchema = z.object({
  setting: z.enum([
    // In the computer's set-up.
    "legacyMode",
    "secureBoot",
    "usbStart",
    "fastBoot",
    "startOrder",
    "storageMode",
    // About the medium, and what is needed beside it.
    "opticalDrive",
    "usbPort",
    "attachAs",
    "place",
    "driver",
    "keyboard",
    "store",
    "target",
    "release",
    // To be done before the day.
    "drill",
    "verification",
  ]),
  from: z.string(),
  to: z.string(),
});
export type Change = z.infer<typeof changeSchema>;

/** One link of a chain: its verdict, why, and what would mend it. */
export interface Link {
  verdict: Verdict;
  /** On what a verdict about firmware rests: the specification, or what the reference firmware does. */
  basis: "standard" | "reference" | null;
  changes: Change[];
  reasons: Reason[];
  trace: TraceStep[];
  /** Starts: firmware comes to a later loader, since the first could not be started. */
  passedOver?: boolean;
}

export const LINK_NAMES = ["atHand", "starts", "sees", "restores", "proven"] as const;
export type LinkName = (typeof LINK_NAMES)[number];

/** Something of each link, in the order in which they are needed. */
export function ofEachLink<T>(make: (link: LinkName) => T): Record<LinkName, T> {
  return {
    atHand: make("atHand"),
    starts: make("starts"),
    sees: make("sees"),
    restores: make("restores"),
    proven: make("proven"),
  };
}

export type Links = Record<LinkName, Link>;

/** One medium on one computer, link by link; `words/documents/match.ts` makes `creel.match/1` of it. */
export interface Match {
  as: Attachment;
  links: Links;
}
