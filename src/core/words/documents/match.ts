import { z } from "zod";
import {
  changeSchema,
  type Link,
  type LinkName,
  type Match,
  ofEachLink,
  verdictSchema,
} from "../../judging/model/schema";
import { attachmentSchema } from "../../medium/inspection/schema";
import { reasonText } from "../reasons";
import { traceText } from "../trace";

const MATCH_SCHEMA = "creel.match/1";

/** A reason: its code and facts, and the sentence made from them. */
const reasonRowSchema = z.looseObject({ code: z.string(), text: z.string() });

const linkRowSchema = z.object({
  verdict: verdictSchema,
  basis: z.enum(["standard", "reference"]).nullable(),
  changes: z.array(changeSchema),
  reasons: z.array(reasonRowSchema),
  trace: z.array(z.string()),
});

/** `creel.match/1`: one medium on one computer, link by link, with its sentences. */
export const matchDocumentSchema = z.object({
  schema: z.literal(MATCH_SCHEMA),
  id: z.string().optional(),
  as: attachmentSchema,
  links: z.object({
    atHand: linkRowSchema,
    starts: linkRowSchema,
    sees: linkRowSchema,
    restores: linkRowSchema,
    proven: linkRowSchema,
  } satisfies Record<LinkName, typeof linkRowSchema>),
});
export type MatchDocument = z.infer<typeof matchDocumentSchema>;

/** `id`: of the job that asked for it. */
export function matchDocument({ as, links }: Match, id?: string): MatchDocument {
  return {
    schema: MATCH_SCHEMA,
    ...(id === undefined ? {} : { id }),
    as,
    links: ofEachLink((name) => linkRow(links[name])),
  };
}

/** A link with the sentences of its reasons and of its trace. */
export function linkRow({ verdict, basis, changes, reasons, trace }: Link): z.infer<typeof linkRowSchema> {
  return {
    ...{ verdict, basis, changes },
    reasons: reasons.map((reason) => ({ ...reason, text: reasonText(reason) })),
    trace: trace.map(traceText),
  };
}
