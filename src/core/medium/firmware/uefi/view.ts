import { z } from "zod";
import { signatureFaultSchema } from "../../../formats/signature-fault";
import { architectureSchema } from "../../../kernel/architecture";
import { placeSchema } from "../place";

export const sbatRowSchema = z.object({ component: z.string(), generation: z.number().int() });

/** What Secure Boot goes by: digests and signatures of a program. Certificates are named by their SHA-256. */
const signingSchema = z.object({
  /** Authenticode digests, lower-case hex, by kind; SHA-256 always, others where a signature is computed with them. */
  digests: z.partialRecord(z.enum(["sha1", "sha256", "sha384", "sha512"]), z.string()),
  /** It has a certificate table, whatever that holds. */
  signed: z.boolean(),
  /** The table does not end where its last entry does. */
  tableCut: z.boolean(),
  entries: z.array(
    z.object({
      digestName: z.enum(["sha1", "sha256", "sha384", "sha512"]).nullable(),
      fault: signatureFaultSchema.nullable(),
      signers: z.array(z.string()),
      carried: z.array(z.string()),
    }),
  ),
});
export type LoaderSigning = z.infer<typeof signingSchema>;

/** What a first-stage loader checks the next stage with, beside the computer's own lists. */
const firstStageSchema = z.object({
  allowed: z.array(z.string()),
  allowedDigests: z.array(z.string()),
  revoked: z.array(z.string()),
  revokedDigests: z.array(z.string()),
  /** The least generations that it brings along, as text; null for one that is older than SBAT. */
  sbatLevel: z.string().nullable(),
});
export type FirstStage = z.infer<typeof firstStageSchema>;

/** What a program is, as far as its own marks tell. */
export const programKindSchema = z.enum([
  "first-stage",
  "fallback",
  "key-manager",
  "fixed-next",
  "syslinux",
  "grub",
  "boot-manager",
  "unified-kernel",
  "kernel",
  "memory-tester",
  "network-boot",
  "shell",
  "windows-boot-manager",
]);
export type ProgramKind = z.infer<typeof programKindSchema>;

/** A loader file, or the stage behind it. */
const loaderSchema = z.object({
  /** As the medium spells it. */
  file: z.string(),
  bytes: z.number().int(),
  /** All its bytes can be read within its volume. */
  readable: z.boolean(),
  /** It is a PE file by its headers. */
  pe: z.boolean(),
  machine: architectureSchema.nullable(),
  /** The raw PE machine number, for types without a name here. */
  machineNumber: z.number().int().nullable(),
  subsystem: z.number().int().nullable(),
  /** What keeps firmware from loading it. */
  faults: z.array(
    z.enum([
      "not-pe",
      "headers-cut",
      "optional-header-odd",
      "section-outside-file",
      "section-outside-image",
      "certificates-outside-file",
    ]),
  ),
  sbat: z.array(sbatRowSchema).nullable(),
  /** Null: nothing tells. */
  kind: programKindSchema.nullable().default(null),
  /** It is the frame of a unified kernel, and has none in it. */
  lacksKernel: z.boolean().default(false),
  /** Null: not read, or not readable. */
  signing: signingSchema.nullable().default(null),
  /** Null where it is no first stage. */
  firstStage: firstStageSchema.nullable().default(null),
});
export type Loader = z.infer<typeof loaderSchema>;

/** What a program starts next. */
export interface NextStage {
  /** The path that is asked for. */
  expected: string;
  /**
   * `module`: no program of its own, only its presence counts. `fallback`: it looks for a list of loaders. `named`: the
   * loader that such a list names; `fixed`: a file whose name is built in; `entry`: what a boot manager is set to start;
   * `archive`: what a store of boot entries names, no program of its own.
   */
  role: "second-stage" | "fallback" | "module" | "named" | "fixed" | "entry" | "archive";
  /** Null where it is missing. */
  loader: Loader | null;
  /** What comes after it; not there in what was read before this was looked at. */
  next?: NextStage | null | undefined;
}

const nextStageSchema: z.ZodType<NextStage, unknown> = z.object({
  expected: z.string(),
  role: z.enum(["second-stage", "fallback", "module", "named", "fixed", "entry", "archive"]),
  loader: loaderSchema.nullable(),
  next: z.lazy(() => nextStageSchema).nullish(),
});

const startFileSchema = z.object({ loader: loaderSchema, next: nextStageSchema.nullable() });
export type StartFile = z.infer<typeof startFileSchema>;

/** What stricter firmware may ask of a volume and this one lacks; the reference firmware does not mind. */
export const leniencySchema = z.enum([
  "partition-type",
  "logical-partition",
  "el-torito-on-stick",
  "el-torito-platform",
  "el-torito-emulation",
  "udf",
  "boot-sector-unsigned",
  "gpt-backup",
]);
export type Leniency = z.infer<typeof leniencySchema>;

const uefiVolumeSchema = z.object({
  place: placeSchema,
  start: z.number().int(),
  length: z.number().int(),
  filesystem: z.enum(["fat12", "fat16", "fat32", "udf", "folder"]),
  label: z.string().nullable(),
  /** Where the reference firmware is known to take what the specification, or stricter makers, would not. */
  leniencies: z.array(leniencySchema),
  files: z.object({
    x64: startFileSchema.optional(),
    ia32: startFileSchema.optional(),
    aa64: startFileSchema.optional(),
    arm: startFileSchema.optional(),
    riscv64: startFileSchema.optional(),
  }),
});
export type UefiVolume = z.infer<typeof uefiVolumeSchema>;

/** One thing that the firmware noticed on its way to the volumes. */
export const uefiNoteSchema = z.discriminatedUnion("code", [
  z.object({ code: z.literal("gpt-used"), place: placeSchema, from: z.enum(["primary", "backup"]) }),
  z.object({ code: z.literal("gpt-not-protected"), place: placeSchema }),
  z.object({ code: z.literal("gpt-damaged"), place: placeSchema, primary: z.string(), backup: z.string() }),
  z.object({ code: z.literal("gpt-entry-skipped"), place: placeSchema, number: z.number(), fault: z.string() }),
  z.object({ code: z.literal("el-torito-used"), place: placeSchema, entries: z.number() }),
  z.object({
    code: z.literal("el-torito-refused"),
    place: placeSchema,
    fault: z.enum(["outside-medium", "header", "checksum", "nothing-startable"]),
  }),
  z.object({ code: z.literal("mbr-used"), place: placeSchema, partitions: z.number() }),
  z.object({ code: z.literal("mbr-unsigned"), place: placeSchema }),
  z.object({
    code: z.literal("mbr-void"),
    place: placeSchema,
    fault: z.enum(["entry-past-end", "entries-overlap"]),
    slot: z.number(),
  }),
  z.object({ code: z.literal("volume-not-read"), place: placeSchema, filesystem: z.string().nullable() }),
  z.object({ code: z.literal("fat-too-few-clusters"), place: placeSchema, clusters: z.number() }),
]);
export type UefiNote = z.infer<typeof uefiNoteSchema>;

/**
 * What UEFI firmware makes of a medium attached in one way: the volumes that it can look into, in the order in
 * which it looks, with what stands at the fixed loader path of each architecture. Enough to decide any computer
 * later, without the medium.
 */
export const uefiViewSchema = z.object({ notes: z.array(uefiNoteSchema), volumes: z.array(uefiVolumeSchema) });
export type UefiView = z.infer<typeof uefiViewSchema>;
