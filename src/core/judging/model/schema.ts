import { z } from "zod";
import { attachmentSchema } from "../../medium/inspection/schema";

export const MATCH_SCHEMA = "creel.match/1";

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

/** A reason: code and facts, and the sentence made from them in `words/reasons.ts`. */
export const reasonSchema = z.looseObject({ code: z.string(), text: z.string() });

export const linkSchema = z.object({
  verdict: verdictSchema,
  basis: z.enum(["standard", "reference"]).nullable(),
  changes: z.array(changeSchema),
  reasons: z.array(reasonSchema),
  trace: z.array(z.string()),
});
export type Link = z.infer<typeof linkSchema>;

export const LINK_NAMES = ["atHand", "starts", "sees", "restores", "proven"] as const;
export type LinkName = (typeof LINK_NAMES)[number];

/** `creel.match/1`: one medium on one computer, link by link. */
export const matchSchema = z.object({
  schema: z.literal(MATCH_SCHEMA),
  id: z.string().optional(),
  as: attachmentSchema,
  links: z.object({
    atHand: linkSchema,
    starts: linkSchema,
    sees: linkSchema,
    restores: linkSchema,
    proven: linkSchema,
  }),
});
export type Match = z.infer<typeof matchSchema>;
export type Links = Match["links"];
