import { z } from "zod";

/** What a release can do; links of the chain go by these. */
export const PURPOSES = [
  "start-up-repair",
  "put-back-images",
  "reinstall",
  "file-rescue",
  "partition-repair",
  "network",
  "remote-help",
  "factory-state",
  "copy-disks",
] as const;
export type Purpose = (typeof PURPOSES)[number];

/** Images that it opens: those of a kit, made by it up to a version. */
const opensSchema = z.object({
  kit: z.string().trim().min(1).max(120),
  /** Null: of any version. */
  upTo: z.string().trim().max(60).nullable(),
});

/** What it can do with an image that was taken elsewhere. */
export const ABILITIES = ["hardware-move", "mode-conversion", "sector-conversion", "single-partitions"] as const;
export type Ability = (typeof ABILITIES)[number];

export const releaseFactsSchema = z.object({
  purposes: z.array(z.enum(PURPOSES)).max(PURPOSES.length),
  opens: z.array(opensSchema).max(20),
  abilities: z.array(z.enum(ABILITIES)).max(ABILITIES.length).default([]),
  /** The model that a maker's own medium puts back to its first day. */
  factoryOf: z.object({ make: z.string().trim().min(1).max(120), model: z.string().trim().min(1).max(120) }).nullish(),
});
export type ReleaseFacts = z.infer<typeof releaseFactsSchema>;

/** What was kept of a release; what was kept before some field was known has that field empty. */
export function asReleaseFacts(kept: unknown): ReleaseFacts {
  const parsed = releaseFactsSchema.safeParse(kept);
  return parsed.success ? parsed.data : NO_RELEASE_FACTS;
}

export const NO_RELEASE_FACTS: ReleaseFacts = { purposes: [], opens: [], abilities: [] };
