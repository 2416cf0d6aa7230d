import { z } from "zod";

/** What is wrong with a signature of a program. */
export const signatureFaultSchema = z.enum([
  "not-pkcs7",
  "not-authenticode",
  "signer-missing",
  "digest-differs",
  "attributes-differ",
  "signature-wrong",
  "algorithm-unknown",
]);
export type SignatureFault = z.infer<typeof signatureFaultSchema>;
