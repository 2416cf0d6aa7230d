import { z } from "zod";
import { placedSchema, programSchema, signatureSchema, systemSchema, wimOnMediumSchema } from "../contents/schema";
import { biosViewSchema } from "../firmware/bios/view";
import { architectureSchema, sbatRowSchema, uefiViewSchema } from "../firmware/uefi/view";

export const INSPECTION_SCHEMA = "creel.inspection/1";

export const severitySchema = z.enum(["info", "caution", "fault"]);
/** A finding: what was seen, how grave it is, and its sentence (made in `findings.ts`). */
export const findingSchema = z.object({ code: z.string(), severity: severitySchema, text: z.string() });

export const attachmentSchema = z.enum(["usb", "optical"]);
export type Attachment = z.infer<typeof attachmentSchema>;

export const tableSchema = z.object({
  kind: z.enum(["mbr", "gpt"]),
  state: z.enum(["good", "from-backup", "damaged"]),
  findings: z.array(findingSchema),
});

export const partitionSchema = z.object({
  index: z.number().int(),
  table: z.enum(["mbr", "gpt"]),
  /** A GUID, or two hex digits of an MBR type. */
  type: z.string(),
  typeName: z.string(),
  /** Bytes from the start of the medium. */
  start: z.number().int(),
  /** Bytes. */
  length: z.number().int(),
  filesystem: z.string().nullable(),
  label: z.string().nullable(),
  active: z.boolean(),
});
export type Partition = z.infer<typeof partitionSchema>;

export const catalogueEntrySchema = z.object({
  index: z.number().int(),
  platform: z.number().int(),
  platformName: z.string(),
  startable: z.boolean(),
  emulation: z.string().nullable(),
  /** Bytes from the start of the medium. */
  start: z.number().int(),
});

export const startPathSchema = z.object({
  firmware: z.enum(["uefi", "bios"]),
  arch: z.union([architectureSchema, z.literal("x86")]),
  as: attachmentSchema,
  /** The loader's path; for BIOS the name of the start code. */
  file: z.string(),
  /** Partition number, or null where the loader does not lie in a partition. */
  partition: z.number().int().nullable(),
  /** Where it lies, in words. */
  place: z.string(),
  loader: z
    .object({
      machine: z.string().nullable(),
      bytes: z.number().int(),
      /** Null: not looked for yet. */
      authenticode: z.string().nullable(),
      signatures: z.array(signatureSchema).nullable(),
      sbat: z.array(sbatRowSchema).nullable(),
    })
    .nullable(),
  problems: z.array(z.object({ code: z.string(), text: z.string() })),
});
export type StartPath = z.infer<typeof startPathSchema>;

/** `creel.inspection/1`: what is on a medium, read from its bytes. */
export const inspectionSchema = z.object({
  schema: z.literal(INSPECTION_SCHEMA),
  file: z.object({ name: z.string(), bytes: z.number().int(), sha256: z.string().nullable() }),
  container: z.enum(["iso9660", "udf", "iso9660+udf", "partitioned", "bare-filesystem", "wim", "unknown"]),
  tables: z.array(tableSchema),
  partitions: z.array(partitionSchema),
  /** El Torito entries, as the catalogue lists them. */
  catalogue: z.array(catalogueEntrySchema),
  startPaths: z.array(startPathSchema),
  contents: z.object({
    label: z.string().nullable(),
    made: z.string().nullable(),
    /** The text of `.disk/info`. */
    info: z.string().nullable().default(null),
    systems: z.array(systemSchema).nullable(),
    wims: z.array(wimOnMediumSchema).nullable(),
    kernels: z.array(placedSchema.extend({ release: z.string(), version: z.string() })).default([]),
    live: z.array(placedSchema.extend({ kind: z.string(), made: z.string().nullable() })).default([]),
    /** Null: not looked for, or not found. */
    drivers: z
      .object({
        /** Release of the kernel that the lists are for; of the first, where there are several. */
        kernel: z.string().nullable(),
        /** Patterns and hardware ids, all lists together. */
        entries: z.number(),
        modules: z.number().default(0),
        infs: z.number().default(0),
      })
      .nullable(),
    /** Left out of a quick look, or not readable. */
    unread: z.array(placedSchema.extend({ why: z.enum(["later", "damaged", "no-decoder", "too-large"]) })).default([]),
  }),
  /** The EFI programs on it, with their signatures. */
  programs: z.array(programSchema).default([]),
  findings: z.array(findingSchema),
  /** What firmware makes of it, by how it is attached: enough to judge any computer later. */
  views: z.object({
    uefi: z.object({ usb: uefiViewSchema, optical: uefiViewSchema }),
    bios: z.object({ usb: biosViewSchema, optical: biosViewSchema }),
    /** Certificates that the loaders' signatures carry, by their SHA-256: DER in base64. */
    certificates: z.record(z.string(), z.string()).default({}),
  }),
});
export type Inspection = z.infer<typeof inspectionSchema>;
export type Views = Inspection["views"];
