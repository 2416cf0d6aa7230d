import { z } from "zod";
import { ofEachLink } from "../../judging/model/schema";
import { OUTCOMES } from "../../judging/routes/outcome";
import { PHASES } from "../../judging/routes/phases";
import type { imagePlans, JudgedRoute, PolicyAnswer } from "../../world/answers";
import { lostText } from "../callout";
import { standingLackText } from "../policy";
import { stepText } from "../steps";
import { linkRow, matchDocumentSchema } from "./match";

/** `creel.route/1`: one route with its changes by phase, its steps, its times and what is lost by it. */
export const routeSchema = z.object({
  schema: z.literal("creel.route/1"),
  computer: z.string(),
  medium: z.string(),
  as: z.enum(["usb", "optical"]),
  release: z.string().nullable(),
  outcome: z.enum(OUTCOMES).nullable(),
  image: z.string().nullable(),
  links: matchDocumentSchema.shape.links,
  changes: z.array(
    z.object({ setting: z.string(), from: z.string(), to: z.string(), link: z.string(), phase: z.enum(PHASES) }),
  ),
  steps: z.array(z.object({ code: z.string(), text: z.string(), detail: z.array(z.string()) })),
  seconds: z.object({ least: z.number(), most: z.number(), restoreLeast: z.number() }),
  lost: z.object({ code: z.string(), text: z.string() }).nullable(),
});
export type RouteDocument = z.infer<typeof routeSchema>;

/** A judged route as a line of `creel.route/1`. */
export function routeDocument({ route, changes, steps, seconds, restoreLeast, lost }: JudgedRoute): RouteDocument {
  const { computer, medium, as, release, outcome, links } = route;
  return {
    schema: "creel.route/1",
    ...{ computer, medium, as, release, outcome: outcome?.kind ?? null, image: outcome?.image?.id ?? null },
    links: ofEachLink((name) => linkRow(links[name])),
    changes: changes.map(({ setting, from, to, link, phase }) => ({ setting, from, to, link, phase })),
    steps: steps.map((step) => {
      const { act, details } = stepText(step);
      return { code: step.code, text: act, detail: details };
    }),
    seconds: { least: Math.round(seconds.low), most: Math.round(seconds.high), restoreLeast: Math.round(restoreLeast) },
    lost: lost && { code: lost.code, text: lostText(lost) },
  };
}

/** `creel.policy/1`: whether a computer has what its policy requires, and what it lacks. */
export function policyDocument({ computer, met, lacks }: PolicyAnswer) {
  return {
    schema: "creel.policy/1" as const,
    ...{ computer, met },
    lacks: lacks.map((lack) => ({ ...lack, code: codeOf(lack), text: standingLackText(lack) })),
  };
}

/** Why it is lacking: nothing fits, what would is not proven, or its image is too old. */
function codeOf({ unproven, oldImage }: PolicyAnswer["lacks"][number]): string {
  if (oldImage !== null) return "image-old";
  return unproven.length > 0 ? "not-proven" : "no-route";
}

/** `creel.image-plan/1`: what the next image of a computer holds; partitions by their numbers. */
export function imagePlanDocument({ computer, plan }: ReturnType<typeof imagePlans>[number]) {
  const { disk, take, leave, usedBytes, lacks, startsFrom } = plan;
  const numbers = (contents: typeof take) => contents.map(({ partition }) => partition.number);
  return {
    schema: "creel.image-plan/1" as const,
    ...{ computer, disk: disk?.name ?? null, take: numbers(take), leave: numbers(leave), usedBytes, lacks },
    startsFrom: startsFrom?.name ?? null,
  };
}
