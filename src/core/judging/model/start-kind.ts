import { z } from "zod";
import { architectureSchema } from "../../kernel/architecture";

/** What kind of firmware comes to a release: UEFI by its architecture, or BIOS. */
export const startKindSchema = z.union([architectureSchema, z.literal("bios")]);
export type StartKind = z.infer<typeof startKindSchema>;
