import "../kernel/plain-issues";
import { z } from "zod";
import { factsSchema } from "../computer/facts/schema";
import { policyValuesSchema, SCOPES } from "../cover/policy";
import { imagePlaceSchema, MEDIUM_KINDS } from "../judging/model/parts";
import { startKindSchema } from "../judging/model/start-kind";
import { architectureSchema } from "../kernel/architecture";
import { systemSchema } from "../medium/contents/schema";
import { inspectionSchema } from "../medium/inspection/schema";
import { ABILITIES, PURPOSES } from "../medium/releases/facts";

export const WORLD_SCHEMA = "creel.world/1";

/** A field that is left out is not known, never a default. */
const known = <T extends z.ZodType>(schema: T) => schema.nullish().transform((value) => value ?? null);
const name = z.string().trim().min(1).max(200);
const day = z.iso.date();
const bytes = z.number().int().nonnegative();

const newDiskSchema = z.object({
  bytes: bytes.positive(),
  sectorBytes: known(z.number().int()),
  bus: known(z.string()),
});

const computerSchema = z.object({
  tag: name,
  site: known(name),
  facts: factsSchema,
  /** Takes the place of the system's disk, empty. */
  newDisk: known(newDiskSchema),
  /** The computer whose images come onto this one. */
  imagesOf: known(name),
});

const driversSchema = z.object({
  kind: z.enum(["modules", "built-in", "inf"]),
  arch: known(z.string()),
  /** Of .inf files: they are those of the environment's own store. */
  installed: z.boolean().optional(),
  drivers: z.record(z.string(), z.array(z.string())),
});

const releaseSchema = z.object({
  name,
  kit: known(name),
  version: known(z.string()),
  family: known(z.string()),
  arch: known(z.string()),
  madeOn: known(day),
  facts: z
    .object({
      purposes: z.array(z.enum(PURPOSES)).default([]),
      opens: z.array(z.object({ kit: name, upTo: known(z.string()) })).default([]),
      abilities: z.array(z.enum(ABILITIES)).default([]),
      factoryOf: z.object({ make: name, model: name }).nullish(),
    })
    .nullish()
    .transform((facts) => facts ?? { purposes: [], opens: [], abilities: [] }),
  drivers: known(z.union([driversSchema, z.array(driversSchema)])),
  systems: known(
    z.array(
      systemSchema.extend({
        ...{ version: known(z.string()), build: known(z.number()), edition: known(z.string()) },
        ...{ arch: known(z.string()), language: known(z.string()) },
      }),
    ),
  ),
});
export type WorldRelease = z.infer<typeof releaseSchema>;

const mediumSchema = z.object({
  tag: name,
  kind: known(z.enum(MEDIUM_KINDS)),
  /** Of an entry: the computer on whose disk it is. */
  onComputer: known(name),
  site: known(name),
  lentTo: known(z.string()),
  retired: z
    .boolean()
    .nullish()
    .transform((retired) => retired === true),
  condition: known(z.enum(["good", "worn", "distrusted"])),
  writtenOn: known(day),
  verified: known(z.object({ on: day, whole: z.boolean(), sampledOn: known(day) })),
  releases: z.array(name).default([]),
  /** Of several releases, which firmware comes to which; one that is left out comes up however it starts. */
  startedBy: known(z.record(z.string(), z.array(startKindSchema))),
  /** What was read of it: creel.inspection/1. */
  inspection: known(inspectionSchema.pick({ views: true })),
  /** In its place what firmware finds, attached as its kind is: sound, unsigned loaders; sound start code. */
  startsBy: known(z.object({ uefi: z.array(architectureSchema).default([]), bios: z.boolean().default(false) })),
});
export type WorldMedium = z.infer<typeof mediumSchema>;

const worldPartitionSchema = z.object({
  ...{ role: known(z.string()), active: known(z.boolean()), name: known(z.string()) },
  ...{ filesystem: known(z.string()), bytes: known(bytes) },
});

export const worldImageSchema = z.object({
  id: name,
  computer: name,
  ...{ make: known(z.string()), model: known(z.string()) },
  takenAt: z.string(),
  ...{ kit: known(z.string()), kitVersion: known(z.string()), mode: known(z.enum(["uefi", "bios"])) },
  ...{ diskBytes: known(z.number()), sectorBytes: known(z.number()) },
  partitions: known(z.array(worldPartitionSchema)),
  moreDisks: known(
    z.array(
      z.object({
        name,
        ...{ serial: known(z.string()), bytes: known(bytes), sectorBytes: known(z.number()) },
        partitions: known(z.array(worldPartitionSchema)),
      }),
    ),
  ),
  ...{ encrypted: known(z.boolean()), keyPlace: known(z.string()) },
  kind: z.enum(["full", "incremental", "differential"]).default("full"),
  parent: known(name),
  verified: known(z.object({ on: z.string(), whole: z.boolean() })),
  places: z.array(imagePlaceSchema).default([]),
  ...{ usedBytes: known(bytes), storedBytes: known(bytes), lost: known(z.boolean()), locked: known(z.boolean()) },
  ...{ compression: known(z.string().max(20)), state: known(z.string().max(200)) },
  ...{ checks: known(z.array(z.string().max(40)).max(40)), takenSeconds: known(z.number().int().positive()) },
});

const drillSchema = z.object({
  ...{ medium: name, computer: name, make: known(z.string()), model: known(z.string()) },
  ...{ firmwareVersion: known(z.string()), on: day, result: z.enum(["started", "restored", "failed"]) },
  emulated: z
    .boolean()
    .nullish()
    .transform((emulated) => emulated === true),
});

/** Everything that chains are judged from, as one document. */
export const worldSchema = z.object({
  schema: z.literal(WORLD_SCHEMA),
  today: day,
  sites: z.array(z.object({ name })).default([]),
  /** From, to, and the minutes between them, either way. */
  travel: z.array(z.tuple([name, name, z.number().nonnegative()])).default([]),
  computers: z.array(computerSchema).default([]),
  releases: z.array(releaseSchema).default([]),
  media: z.array(mediumSchema).default([]),
  images: z.array(worldImageSchema).default([]),
  drills: z.array(drillSchema).default([]),
  policy: policyValuesSchema
    .partial()
    .nullish()
    .transform((values) => values ?? {}),
  /** What is required of some of the computers only. */
  rules: z
    .array(z.object({ scope: z.enum(SCOPES), target: z.string(), values: policyValuesSchema.partial() }))
    .default([]),
  /** When products came out. */
  calendars: z.array(z.object({ name, version: known(z.string()), on: day })).default([]),
});
export type WorldDocument = z.infer<typeof worldSchema>;
