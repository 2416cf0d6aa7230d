import { z } from "zod";
import { imagePlaceSchema } from "../judging/model/parts";
import type { Reason } from "../judging/model/reasons";
import { changeSchema, LINK_NAMES, type Link, verdictSchema } from "../judging/model/schema";
import { OUTCOMES, type OutcomeKind } from "../judging/routes/outcome";
import { PHASES } from "../judging/routes/phases";

const rangeSchema = z.object({ low: z.number(), likely: z.number(), high: z.number() });

/** The Starts link as it was judged when the route was chosen. */
const startSchema: z.ZodType<Pick<Link, "verdict" | "changes" | "reasons">> = z.object({
  verdict: verdictSchema,
  changes: z.array(changeSchema),
  // Codes with their facts; rows from before had a sentence beside them, which nobody reads.
  reasons: z.array(z.custom<Reason>((value) => typeof value === "object" && value !== null && "code" in value)),
});

const phasedChangeSchema = changeSchema.extend({ link: z.enum(LINK_NAMES), phase: z.enum(PHASES) });

/**
 * What is lost by it. `nothing`: content is not touched. `since-image`: what was made after a day. `all-but-files`: what is
 * copied is kept, and the computer is not brought back. `system-since-image`: on the system partition alone, since a day.
 * `files-since-image`: the computer is not brought back, and files are as of a day. `overwritten`: of lost files what was written over. `everything`: what is on its disk and nowhere else.
 */
const lostSchema = z.discriminatedUnion("code", [
  z.object({ code: z.literal("nothing") }),
  z.object({ code: z.literal("since-image"), on: z.string(), days: z.number() }),
  z.object({ code: z.literal("system-since-image"), on: z.string(), days: z.number() }),
  z.object({ code: z.literal("files-since-image"), on: z.string(), days: z.number() }),
  z.object({ code: z.literal("all-but-files") }),
  z.object({ code: z.literal("overwritten") }),
  z.object({ code: z.literal("everything") }),
]);
export type Lost = z.infer<typeof lostSchema>;

/** Where a copy is; once, only its name was kept. */
const keptPlaceSchema = z.union([imagePlaceSchema, z.string()]);

function lostInDays(outcome: OutcomeKind, days: number | null, takenAt: string | null): Lost {
  if (takenAt !== null) return { code: "since-image", on: takenAt.slice(0, 10), days: days ?? 0 };
  if (outcome === "start-up") return { code: "nothing" };
  return { code: outcome === "files" ? "all-but-files" : "everything" };
}

/** The route that was chosen on a call-out, with what its steps are made from: as it was known then. */
export const chosenRouteSchema = z
  .object({
    medium: z.string(),
    as: z.enum(["usb", "optical"]),
    release: z.string().nullable(),
    outcome: z.enum(OUTCOMES),
    image: z
      .object({
        name: z.string(),
        takenAt: z.string(),
        places: z.array(keptPlaceSchema),
        keyPlace: z.string().nullable(),
      })
      .nullable(),
    starts: startSchema,
    drivers: z.array(z.string()),
    /** The changes of all links by when they are made; of older rows those of the start are known. */
    changes: z.array(phasedChangeSchema).optional(),
    /** Until it is handed back. */
    seconds: rangeSchema,
    /** What giving back itself takes; rows from before did not tell it apart. */
    restoreSeconds: rangeSchema.optional(),
    /** The same, part by part. */
    times: z
      .object({
        ...{ fetching: rangeSchema, starting: rangeSchema.nullable() },
        ...{ restoring: rangeSchema, finishing: rangeSchema.nullable() },
      })
      .optional(),
    lostDays: z.number().nullable(),
    /** Of older rows only the days are known. */
    lost: lostSchema.optional(),
  })
  .transform(({ image, lost, ...route }) => ({
    ...route,
    lost: lost ?? lostInDays(route.outcome, route.lostDays, image?.takenAt ?? null),
    image: image && {
      ...image,
      places: image.places.map((place) => {
        if (typeof place !== "string") return place;
        return place === route.medium
          ? { on: "medium" as const, tag: place }
          : { on: "disk" as const, name: place, site: null };
      }),
    },
  }));
export type ChosenRoute = z.infer<typeof chosenRouteSchema>;

/** How a call-out ended. */
export const calloutOutcomeSchema = z.object({
  cameBack: z.enum([...OUTCOMES, "not-back"]),
  /** What failed, and what was not as the run sheet said. */
  failed: z.string().trim().max(4000).nullable(),
  lost: z.string().trim().max(1000).nullable(),
  /** The medium did what it should; null: it was not used. */
  mediumWorked: z.boolean().nullable(),
  /** Steps that were not ticked, by their codes, and that nobody said were done all the same. */
  leftOut: z.array(z.string().max(60)).max(60).optional(),
});
export type CalloutOutcome = z.infer<typeof calloutOutcomeSchema>;
