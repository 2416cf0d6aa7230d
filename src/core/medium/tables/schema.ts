import { z } from "zod";
import { findingSchema } from "../findings/findings";

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
