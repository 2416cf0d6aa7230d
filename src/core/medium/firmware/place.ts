import { z } from "zod";

/**
 * Where on a medium a volume or a program lies, from the outside in: a partition inside an El Torito image is
 * two steps. The empty list is the whole medium.
 */
const placeStepSchema = z.object({
  kind: z.enum(["gpt", "mbr", "logical", "el-torito", "udf"]),
  /** Partition number, or index of the catalogue entry. */
  number: z.number().int(),
});
export const placeSchema = z.array(placeStepSchema);
export type PlaceStep = z.infer<typeof placeStepSchema>;
export type Place = z.infer<typeof placeSchema>;
