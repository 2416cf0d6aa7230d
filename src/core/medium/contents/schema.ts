import { z } from "zod";
import { signatureFaultSchema } from "../../formats/signature-fault";
import { wimSchema } from "../../formats/wim";
import type { driverSourceSchema } from "../drivers/driver-set";
import { volumeIdSchema } from "../volumes/volume-id";
import type { Environment } from "./environment";

const certificateSchema = z.object({
  name: z.string(),
  issuer: z.string(),
  subjectName: z.string(),
  issuerName: z.string(),
  notBefore: z.string(),
  notAfter: z.string(),
  serial: z.string(),
  algorithm: z.string(),
  key: z.string(),
  sha256: z.string(),
  tbsSha256: z.string(),
});

export const signatureSchema = z.object({
  signer: z.string(),
  issuer: z.string(),
  signerName: z.string(),
  chain: z.array(certificateSchema),
  algorithm: z.string(),
  digestName: z.string(),
  digest: z.string(),
  signedAt: z.string().nullable(),
  nested: z.boolean(),
  fault: signatureFaultSchema.nullable(),
});

/** One EFI program on a medium. */
export const programSchema = z.object({
  volume: volumeIdSchema,
  path: z.string(),
  bytes: z.number().int(),
  machine: z.string().nullable(),
  authenticode: z.string().nullable(),
  signatures: z.array(signatureSchema),
  sbat: z.array(z.object({ component: z.string(), generation: z.number().int() })).nullable(),
  /** What it checks the next stage with; null where it is no first stage. */
  builtIn: z
    .object({
      allowed: z.array(certificateSchema),
      allowedDigests: z.array(z.string()),
      revoked: z.array(certificateSchema),
      revokedDigests: z.array(z.string()),
    })
    .nullable(),
  /** What keeps firmware from loading it, and what is odd about its certificate table. */
  faults: z.array(z.string()),
});
export type Program = z.infer<typeof programSchema>;

export const systemSchema = z.object({
  family: z.string(),
  name: z.string(),
  version: z.string().nullable(),
  build: z.number().nullable(),
  edition: z.string().nullable(),
  arch: z.string().nullable(),
  language: z.string().nullable(),
  /** It is put on a computer from here, it runs from the medium, or it is installed on it. */
  role: z.enum(["installs", "runs", "installed"]).optional(),
  /** Where that was read. */
  from: z.string().optional(),
  /** What it takes once it is unpacked, where an archive says so. */
  bytes: z.number().optional(),
});
export type ContainedSystem = z.infer<typeof systemSchema>;

export const wimOnMediumSchema = wimSchema.extend({ volume: volumeIdSchema, path: z.string(), fileBytes: z.number() });

export const placedSchema = z.object({ volume: volumeIdSchema, path: z.string(), bytes: z.number() });

/** What was found in the trees of a medium. */
export interface Survey {
  /** The text of `.disk/info`. */
  info: string | null;
  systems: ContainedSystem[];
  wims: z.infer<typeof wimOnMediumSchema>[];
  /** Environments that are started out of an archive. */
  environments: Environment[];
  kernels: (z.infer<typeof placedSchema> & { release: string; version: string })[];
  /** Compressed file systems that a live system runs from. */
  live: (z.infer<typeof placedSchema> & { kind: string; made: string | null })[];
  programs: Program[];
  /** Lists of drivers, in the order in which they were met. */
  drivers: z.infer<typeof driverSourceSchema>[];
  /** What was left out, and why: too much for a quick look, no decoder, damaged. */
  unread: (z.infer<typeof placedSchema> & { why: "later" | "damaged" | "no-decoder" | "too-large" })[];
  /** Files and folders seen; `cut` where a limit kept something out. */
  entries: number;
  cut: boolean;
}
