import { sha1 } from "@noble/hashes/legacy.js";
import { sha256, sha384, sha512 } from "@noble/hashes/sha2.js";
import { hex } from "../kernel/fields";

export interface RsaKey {
  modulus: bigint;
  exponent: bigint;
}

export type DigestName = "sha1" | "sha256" | "sha384" | "sha512";

/** The DER of a DigestInfo up to the digest: RFC 8017, 9.2, note 1. */
const DIGEST_INFO: Record<DigestName, string> = {
  sha1: "3021300906052b0e03021a05000414",
  sha256: "3031300d060960864801650304020105000420",
  sha384: "3041300d060960864801650304020205000430",
  sha512: "3051300d060960864801650304020305000440",
};

const DIGESTS: Record<DigestName, (bytes: Uint8Array) => Uint8Array> = { sha1, sha256, sha384, sha512 };

/** Lower-case hex. For some kilobytes at a time: whole files are hashed elsewhere. */
export function digestOf(name: DigestName, bytes: Uint8Array): string {
  return hex(DIGESTS[name](bytes));
}

/** Largest key that is computed with; real ones have 2,048 to 4,096 bits. */
const KEY_MAX_BITS = 8192;
/** Public exponents of real keys are 3 or 65,537; a huge one would only cost time. */
const EXPONENT_MAX = 1n << 32n;

/**
 * Verifies a signature after RSASSA-PKCS1-v1_5 (RFC 8017, 8.2.2). Here because the browser's own verification is
 * missing in pages that are not served over TLS, and only public values are computed with.
 */
export function verifyRsa(key: RsaKey, digestName: DigestName, message: Uint8Array, signature: Uint8Array): boolean {
  const bits = key.modulus.toString(2).length;
  if (bits > KEY_MAX_BITS || key.exponent <= 1n || key.exponent > EXPONENT_MAX) return false;
  const bytes = Math.ceil(bits / 8);
  if (signature.length !== bytes) return false;
  const value = BigInt(`0x${hex(signature)}`);
  if (value >= key.modulus) return false;
  const found = power(value, key.exponent, key.modulus)
    .toString(16)
    .padStart(bytes * 2, "0");
  const tail = DIGEST_INFO[digestName] + digestOf(digestName, message);
  const padding = bytes * 2 - 6 - tail.length;
  return padding >= 16 && found === `0001${"f".repeat(padding)}00${tail}`;
}

function power(base: bigint, exponent: bigint, modulus: bigint): bigint {
  let result = 1n;
  let square = base % modulus;
  for (let left = exponent; left > 0n; left >>= 1n) {
    if (left & 1n) result = (result * square) % modulus;
    square = (square * square) % modulus;
  }
  return result;
}
