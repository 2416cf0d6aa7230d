import { z } from "zod";
import { inspectionSchema } from "../../medium/inspection/schema";
import { manifestSchema } from "../../medium/integrity/manifest";
import { packHeadSchema } from "../pack/pack";
import { DEVICE_KINDS } from "../writing/device";
import { type BenchResult, benchRequestSchema } from "./job";

// What a bench host, a computer whose ports are berths, and its server say to each other.

const bytes = z.number().int().min(0).max(Number.MAX_SAFE_INTEGER);
const rate = z.number().int().min(0).nullable();
const port = z.string().min(1).max(120);
const runner = z.string().min(1).max(60);
const sha256 = z.string().regex(/^[0-9a-f]{64}$/);

const faultCode = z.enum([
  ...["gone", "write-protected", "in-use", "read-failed", "write-failed", "no-answer", "already-written"],
] as const);

const deviceIdentitySchema = z.object({
  kind: z.enum(DEVICE_KINDS),
  model: z.string().max(120),
  serial: z.string().min(1).max(120).nullable(),
  bytes: bytes.min(1),
  sectorBytes: z.union([z.literal(512), z.literal(2048), z.literal(4096)]),
});

/** How a host is called: by its computer. */
const name = z.string().trim().min(1).max(60);

/** What is in the ports of a host: said every few seconds. */
export const hostReportSchema = z.object({
  name,
  version: z.string().max(40),
  system: z.string().max(120),
  devices: z.array(z.object({ port, identity: deviceIdentitySchema })).max(64),
});
export type HostReport = z.infer<typeof hostReportSchema>;

export const hostAnswerSchema = z.object({
  name: z.string(),
  /** Ports whose devices are to be looked at. */
  looks: z.array(z.string()),
  /** Whether a job waits for this host. */
  isWanted: z.boolean(),
  /** Devices that are in another berth, by what they say of themselves. */
  twins: z.array(z.object({ port: z.string(), berth: z.string() })),
});
export type HostAnswer = z.infer<typeof hostAnswerSchema>;

/** What a look at a device found. */
export const hostLookSchema = z.object({
  name,
  ...{ port, identity: deviceIdentitySchema },
  look: z.object({
    inspection: inspectionSchema.nullable(),
    pack: packHeadSchema.nullable(),
    fingerprint: sha256.nullable(),
    fault: faultCode.nullable(),
  }),
});

const contentSchema = z.object({ sha256, bytes });
const writtenFileSchema = z.object({ path: z.string(), modified: z.string().nullable(), content: z.number().int() });

/** All that a job needs to be done elsewhere. What is large is fetched by its number in `contents`, and held against its digest. */
const hostJobSchema = z.object({
  id: z.number().int().positive(),
  runner,
  ...{ port, berth: z.string() },
  request: benchRequestSchema,
  target: deviceIdentitySchema.extend({ isStore: z.boolean() }),
  /** Of a medium that is made; null of a plain store. */
  material: z
    .object({
      /** The first is the medium's own. */
      releases: z.array(z.object({ title: z.string(), name: z.string(), content: z.number().int() })).min(1),
      pack: z.array(
        z.union([z.object({ path: z.string(), text: z.string() }), z.object({ path: z.string(), base64: z.string() })]),
      ),
      carried: z.object({ start: z.array(writtenFileSchema), store: z.array(writtenFileSchema) }),
      bios: z.object({ boot: z.base64(), core: z.base64() }).nullable(),
      contents: z.array(contentSchema),
    })
    .nullable(),
  /** What a device is compared with; null where there is nothing. */
  compare: z
    .array(
      z.object({
        manifest: manifestSchema,
        part: z.object({ startBytes: bytes, lengthBytes: bytes }).nullable(),
      }),
    )
    .nullable(),
});
export type HostJob = z.infer<typeof hostJobSchema>;
export type HostMaterial = NonNullable<HostJob["material"]>;

/** One token may be that of several computers. `busy`: ports in which the end of an earlier job is still awaited. */
export const claimSchema = z.object({ name, busy: z.array(port).max(64).default([]) });
export const claimAnswerSchema = z.object({ job: hostJobSchema.nullable() });

/** Lines that a host says of its work. Whether it is as predicted, was recorded, and how it ended, the server says alone. */
const lineSchema = z.discriminatedUnion("code", [
  z.object({ code: z.literal("started"), runner }),
  z.object({ code: z.literal("device-open"), identity: deviceIdentitySchema }),
  z.object({ code: z.literal("device-is-no-store") }),
  z.object({
    ...{ code: z.literal("plan"), writtenBytes: bytes, parts: z.number().int().min(0) },
    // What it makes of them was said when it was planned.
    notes: z
      .array(z.unknown())
      .max(1000)
      .transform((): [] => []),
  }),
  z.object({ code: z.literal("resumed"), flushedBlocks: bytes, verifiedBlocks: bytes, blocks: bytes }),
  z.object({ code: z.literal("written"), bytes, ms: bytes }),
  z.object({ code: z.literal("flushed") }),
  z.object({ code: z.literal("read-back"), bytes, ms: bytes }),
  z.object({ code: z.literal("inspected"), startPaths: z.array(z.string().max(400)).max(200) }),
]);

const texts = z.array(z.string().max(1000)).max(200);

const capacitySchema = z.discriminatedUnion("state", [
  z.object({ state: z.literal("sound"), writeRate: rate, readRate: rate }),
  z.object({ state: z.literal("counterfeit"), trueBytes: bytes, how: z.enum(["wraps", "drops"]) }),
  z.object({
    state: z.literal("failing"),
    bad: z.array(z.object({ start: bytes, end: bytes })).max(200),
  }),
  z.object({ state: z.literal("fault"), code: faultCode, offset: bytes.nullable(), doneBytes: bytes }),
]);

const comparedSchema = z.discriminatedUnion("state", [
  z.object({
    ...{ state: z.literal("compared"), same: z.boolean(), damaged: texts },
    result: z.enum(["same", "same-files", "damaged", "differs"]),
  }),
  z.object({
    ...{ state: z.literal("sampled"), same: z.boolean(), damaged: texts },
    ...{ by: z.enum(["blocks", "files"]), comparedBytes: bytes, ofBytes: bytes },
  }),
]);

const resultSchema = z.discriminatedUnion("state", [
  z.object({
    ...{ state: z.literal("verified"), writtenBytes: bytes, writeRate: rate, readRate: rate },
    viewsAsPredicted: z.literal(true),
  }),
  z.object({ state: z.literal("not-as-predicted"), expected: texts, found: texts }),
  z.object({ state: z.literal("differs"), start: bytes, lengthBytes: bytes, path: z.string().max(1000).nullable() }),
  z.object({ state: z.literal("wraps"), trueBytes: bytes }),
  z.object({
    ...{ state: z.literal("fault"), code: faultCode, offset: bytes.nullable() },
    phase: z.enum(["open", "fetch", "write", "flush", "verify", "inspect"]),
  }),
  z.object({ state: z.literal("source-failed"), offset: bytes }),
  z.object({ state: z.literal("device-changed"), what: z.enum(["identity", "content"]) }),
  z.object({ state: z.literal("file-missing"), file: z.string().max(1000) }),
  z.object({
    state: z.literal("plan-failed"),
    problems: z
      .array(z.unknown())
      .max(1000)
      .transform((): [] => []),
  }),
  z.object({ state: z.literal("lines-missing"), codes: texts }),
  z.object({ state: z.literal("nothing-to-compare") }),
  z.object({ state: z.literal("capacity"), capacity: capacitySchema }),
  ...comparedSchema.options,
]);

const wearSchema = z.object({ bytesWritten: bytes, writeRate: rate, readRate: rate });

/** What whoever does a job tells its server. */
const toldSchema = z.discriminatedUnion("what", [
  z.object({
    ...{ what: z.literal("beat"), phase: z.string().max(12), doneBytes: bytes, totalBytes: bytes, rate },
  }),
  z.object({ what: z.literal("line"), line: lineSchema }),
  /** Which lines the job has. */
  z.object({ what: z.literal("lines") }),
  z.object({ what: z.literal("begin") }),
  z.object({ what: z.literal("distrust") }),
  z.object({ what: z.literal("read-back"), bytes, ms: bytes, wear: wearSchema }),
  z.object({ what: z.literal("tested"), result: capacitySchema, wear: wearSchema.nullable() }),
  z.object({ what: z.literal("compared"), compared: comparedSchema }),
  z.object({ what: z.literal("made"), read: inspectionSchema }),
  z.object({
    ...{ what: z.literal("end"), state: z.enum(["done", "failed", "paused", "cancelled", "interrupted"]) },
    result: resultSchema.nullable(),
  }),
]);
export const hostTellingSchema = z.object({ runner, told: toldSchema });
type HostTelling = z.infer<typeof hostTellingSchema>;
export type HostTold = HostTelling["told"];

export const toldAnswerSchema = z.object({
  /** Whether the job is still this runner's; where it is not, nothing was kept. */
  isHeld: z.boolean(),
  wish: z.enum(["pause", "cancel"]).nullable().default(null),
  isSeated: z.boolean().default(true),
  /** Asked for by "lines": what the job has said so far, without what is of nobody's concern. */
  lines: z.array(z.looseObject({ code: z.string() })).default([]),
  /** Asked for by "made": what came of it where it is not recorded. */
  result: resultSchema.nullable().default(null),
});
/** As a server makes it: what of a result is of no use to a host is left out when it is read. */
export type ToldAnswer = Omit<z.infer<typeof toldAnswerSchema>, "result"> & { result: BenchResult | null };
