import { p256, p384, p521 } from "@noble/curves/nist.js";
import { sha256, sha384, sha512 } from "@noble/hashes/sha2.js";
import type { Certificate, EcKey } from "./certificate";
import { derOf } from "./der";
import { verifyRsa } from "./rsa";

const CURVES = { "P-256": p256, "P-384": p384, "P-521": p521 } as const;
const HASHES = { sha256, sha384, sha512 } as const;

/** Verifies an ECDSA signature (FIPS 186-4; encoded after RFC 3279, 2.2.3). */
export function verifyEcdsa(
  key: EcKey,
  digestName: keyof typeof HASHES,
  message: Uint8Array,
  signature: Uint8Array,
): boolean {
  try {
    // A signature with the larger of its two possible values is valid too (`lowS` is a rule of other fields).
    return CURVES[key.curve].verify(signature, HASHES[digestName](message), key.point, {
      prehash: false,
      lowS: false,
      format: "der",
    });
  } catch {
    return false;
  }
}

/** What stands in the way of an issuer, or null where it did issue a certificate. */
export type IssuingFault = "other-issuer" | "not-an-issuer" | "signature-wrong" | "algorithm-unknown";

/**
 * Whether a certificate was issued by another: names, key identifiers and the right to issue as the OpenSSL that
 * firmware and first-stage loaders build on asks for them (crypto/x509v3, `X509_check_issued` and `X509_check_ca`),
 * then the signature itself. RFC 5280, 6.1.
 */
export function issuingFault(certificate: Certificate, issuer: Certificate): IssuingFault | null {
  const { issuerKeyId } = certificate.extensions;
  const { ownKeyId, signsCertificates } = issuer.extensions;
  if (certificate.issuerName !== issuer.subjectName) return "other-issuer";
  if (issuerKeyId && ownKeyId && issuerKeyId !== ownKeyId) return "other-issuer";
  if (signsCertificates === false) return "other-issuer";
  if (!mayIssue(issuer)) return "not-an-issuer";
  const { issued } = certificate;
  if (!issued) return "algorithm-unknown";
  const tbs = derOf(certificate.tbs);
  if (issued.scheme === "rsa") {
    if (!issuer.rsaKey) return "other-issuer";
    return verifyRsa(issuer.rsaKey, issued.digestName, tbs, issued.signature) ? null : "signature-wrong";
  }
  if (!issuer.ecKey) return "other-issuer";
  if (issued.digestName === "sha1") return "algorithm-unknown";
  return verifyEcdsa(issuer.ecKey, issued.digestName, tbs, issued.signature) ? null : "signature-wrong";
}

/** Basic constraints decide; without them old certificates that sign themselves, or say that they sign others. */
function mayIssue({ extensions, subjectName, issuerName }: Certificate): boolean {
  if (extensions.ca !== null) return extensions.ca;
  return extensions.signsCertificates === true || (subjectName === issuerName && extensions.ownKeyId === null);
}
