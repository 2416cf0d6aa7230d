import { z } from "zod";
import { factsSchema } from "../../computer/facts/schema";
import { verdictSchema } from "../../judging/model/schema";
import { matchDocumentSchema } from "./match";

// What the HTTP interface answers, as the server makes it and the command line reads it.

export const listOf = <T extends z.ZodType>(item: T) => z.object({ items: z.array(item) });
export const pagedOf = <T extends z.ZodType>(item: T) =>
  z.object({ items: z.array(item), total: z.number().int(), page: z.number().int() });

export const computerRowSchema = z.object({
  tag: z.string(),
  name: z.string().nullable(),
  site: z.string().nullable(),
  make: z.string().nullable(),
  model: z.string().nullable(),
  serial: z.string().nullable(),
  system: z.string().nullable(),
  secureBoot: z.string().nullable(),
  factsAt: z.iso.datetime().nullable(),
  /** What its best route comes to; "none" where there is no medium. */
  best: z.union([verdictSchema, z.literal("none")]).nullable(),
});
export const routeRowSchema = z.object({
  medium: z.string(),
  site: z.string().nullable(),
  release: z.string().nullable(),
  outcome: z.string().nullable(),
  text: z.string(),
  image: z.string().nullable(),
  verdict: verdictSchema,
  links: matchDocumentSchema.shape.links,
});
export const mediumRowSchema = z.object({
  tag: z.string(),
  name: z.string().nullable(),
  kind: z.string(),
  capacityBytes: z.number().nullable(),
  site: z.string().nullable(),
  lentTo: z.string().nullable(),
  releases: z.array(z.string()),
  computers: z.record(verdictSchema, z.number().int()).nullable(),
});
export const releaseRowSchema = z.object({
  id: z.number().int(),
  kit: z.string(),
  name: z.string(),
  madeOn: z.string().nullable(),
});
export const coverStandingSchema = z.object({
  total: z.number().int(),
  met: z.number().int(),
  sites: z.array(z.object({ site: z.string().nullable(), total: z.number().int(), lacking: z.number().int() })),
  lacking: z.array(z.object({ tag: z.string(), name: z.string().nullable(), needs: z.array(z.string()) })),
  page: z.number().int(),
  pages: z.number().int(),
});
export const dueRowSchema = z.object({
  key: z.string(),
  kind: z.string(),
  title: z.string(),
  reason: z.string(),
  consequence: z.string(),
  site: z.string().nullable(),
  computer: z.string().nullable(),
  medium: z.string().nullable(),
  breaksOn: z.iso.date().nullable(),
});
export const eventRowSchema = z.object({
  id: z.number().int(),
  at: z.iso.datetime(),
  person: z.string(),
  entity: z.string(),
  tag: z.string(),
  action: z.string(),
  before: z.unknown(),
  after: z.unknown(),
});

export const computerAnswerSchema = z.object({
  tag: z.string(),
  name: z.string().nullable(),
  site: z.string().nullable(),
  version: z.number().int(),
  facts: factsSchema,
});
/** What became of a report; `text` says it to whoever sent it. */
export const reportAnswerSchema = z.object({
  state: z.enum(["taken", "same", "waiting", "dismissed"]),
  tag: z.string().nullable(),
  text: z.string(),
});
export const factsTakenSchema = z.object({ tag: z.string(), changes: z.number().int() });
/** A problem for machines (RFC 9457). */
export const problemDetailsSchema = z.object({ title: z.string(), status: z.number().int(), detail: z.string() });
