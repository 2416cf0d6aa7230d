import { z } from "zod";
import { linkSchema } from "../judging/model/schema";
import { OUTCOMES } from "../judging/routes/outcome";

const rangeSchema = z.object({ low: z.number(), likely: z.number(), high: z.number() });

/** The way that was chosen on a call-out, with what its steps are made from: as it was known then. */
export const chosenRouteSchema = z.object({
  medium: z.string(),
  as: z.enum(["usb", "optical"]),
  release: z.string().nullable(),
  outcome: z.enum(OUTCOMES),
  image: z
    .object({ name: z.string(), takenAt: z.string(), places: z.array(z.string()), keyPlace: z.string().nullable() })
    .nullable(),
  starts: linkSchema,
  drivers: z.array(z.string()),
  /** Until it is handed back. */
  seconds: rangeSchema,
  lostDays: z.number().nullable(),
});
export type ChosenRoute = z.infer<typeof chosenRouteSchema>;

/** How a call-out ended. */
export const calloutOutcomeSchema = z.object({
  cameBack: z.enum([...OUTCOMES, "not-back"]),
  /** What failed, and what was not as the run sheet said. */
  failed: z.string().trim().max(4000).nullable(),
  lost: z.string().trim().max(1000).nullable(),
  /** The medium did what it should; null: it was not used. */
  mediumWorked: z.boolean().nullable(),
});
export type CalloutOutcome = z.infer<typeof calloutOutcomeSchema>;
