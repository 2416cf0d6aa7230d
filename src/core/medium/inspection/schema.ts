import { z } from "zod";
import { environmentSchema } from "../contents/environment";
import { placedSchema, programSchema, systemSchema, wimOnMediumSchema } from "../contents/schema";
import { findingSchema } from "../findings/findings";
import { biosViewSchema } from "../firmware/bios/view";
import { uefiViewSchema } from "../firmware/uefi/view";
import { partitionSchema, tableSchema } from "../tables/schema";

export const INSPECTION_SCHEMA = "creel.inspection/1";

export const attachmentSchema = z.enum(["usb", "optical"]);
export type Attachment = z.infer<typeof attachmentSchema>;

const catalogueEntrySchema = z.object({
  index: z.number().int(),
  platform: z.number().int(),
  platformName: z.string(),
  startable: z.boolean(),
  emulation: z.string().nullable(),
  /** Bytes from the start of the medium. */
  start: z.number().int(),
});

/** What is on a medium, read from its bytes; `words/documents/inspection.ts` makes `creel.inspection/1` of it. */
export const inspectionSchema = z.object({
  schema: z.literal(INSPECTION_SCHEMA),
  file: z.object({ name: z.string(), bytes: z.number().int(), sha256: z.string().nullable() }),
  /** Of its sectors as a stick, in which tables count. */
  sectorBytes: z.union([z.literal(512), z.literal(4096)]).default(512),
  container: z.enum(["iso9660", "udf", "iso9660+udf", "partitioned", "bare-filesystem", "wim", "folder", "unknown"]),
  tables: z.array(tableSchema),
  partitions: z.array(partitionSchema),
  /** The file system of a medium without a table; null where there is a table, or nothing known. */
  whole: z.object({ filesystem: z.string(), label: z.string().nullable() }).nullable().default(null),
  /** El Torito entries, as the catalogue lists them. */
  catalogue: z.array(catalogueEntrySchema),
  contents: z.object({
    label: z.string().nullable(),
    made: z.string().nullable(),
    /** The text of `.disk/info`. */
    info: z.string().nullable().default(null),
    systems: z.array(systemSchema).nullable(),
    wims: z.array(wimOnMediumSchema).nullable(),
    environments: z.array(environmentSchema).default([]),
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
    /** Only its files were seen, and not the medium: how it is laid out is not known. */
    from: z.literal("folder").optional(),
  }),
});
export type Inspection = z.infer<typeof inspectionSchema>;
export type Views = Inspection["views"];
