import { randomBytes } from "node:crypto";
import { argon2id, argon2Verify } from "hash-wasm";

/** OWASP "Password Storage Cheat Sheet": Argon2id with 19 MiB, two passes, one lane. */
const COST = { memorySize: 19_456, iterations: 2, parallelism: 1, hashLength: 32 } as const;

/** OWASP ASVS 4.0, 2.1.1 and 2.1.2: at least 12 characters, and more than 128 are refused. */
export const PASSWORD_LENGTH = { least: 12, most: 128 } as const;

/** The hash of a password in Argon2's own text form, its salt and cost in it. */
export function hashPassword(password: string): Promise<string> {
  return argon2id({ ...COST, password: password.normalize("NFKC"), salt: randomBytes(16), outputType: "encoded" });
}

export async function isPassword(password: string, hash: string): Promise<boolean> {
  return argon2Verify({ password: password.normalize("NFKC"), hash }).catch(() => false);
}
