import { hex } from "../kernel/fields";
import {
  bitsOf,
  contentOf,
  type Der,
  derOf,
  inside,
  isTag,
  oidOf,
  parseDer,
  stringOf,
  TAG,
  tagged,
  timeOf,
} from "./der";
import { type DigestName, digestOf, type RsaKey } from "./rsa";

/** What is told of an X.509 certificate (RFC 5280). */
export interface CertificateFacts {
  /** The common name, else the whole subject. */
  name: string;
  /** The issuer's common name, else the whole issuer. */
  issuer: string;
  /** Both whole, as RFC 4514 writes them: the most particular part first. */
  subjectName: string;
  issuerName: string;
  /** ISO 8601, UTC. */
  notBefore: string;
  notAfter: string;
  /** Lower-case hex. */
  serial: string;
  /** How its issuer signed it, and the kind and length of its own key: "sha256WithRSA", "RSA 2048". */
  algorithm: string;
  key: string;
  /** SHA-256 of the DER, lower-case hex. */
  sha256: string;
  /** SHA-256 of the to-be-signed part: what a dbx entry of kind x509-sha256 names. */
  tbsSha256: string;
}

/** A certificate taken apart. */
export interface Certificate {
  der: Der;
  tbs: Der;
  subject: string;
  issuer: string;
  subjectName: string;
  issuerName: string;
  serial: string;
  notBefore: string;
  notAfter: string;
  algorithm: string;
  keyAlgorithm: string;
  rsaKey: RsaKey | null;
  ecKey: EcKey | null;
  /** What its issuer signed it with; null for algorithms that are not computed with here. */
  issued: { scheme: "rsa" | "ecdsa"; digestName: DigestName; signature: Uint8Array } | null;
  /** What its extensions say of issuing (RFC 5280, 4.2.1). */
  extensions: CertificateExtensions;
}

/** A point on a curve of RFC 5480, as it is encoded. */
export interface EcKey {
  curve: "P-256" | "P-384" | "P-521";
  point: Uint8Array;
}

interface CertificateExtensions {
  /** Basic constraints: whether it may issue; null without that extension. */
  ca: boolean | null;
  /** Key usage: whether it may sign certificates; null without that extension. */
  signsCertificates: boolean | null;
  /** Identifiers of its own and of its issuer's key, lower-case hex. */
  ownKeyId: string | null;
  issuerKeyId: string | null;
  /** Extended key usages, as dotted numbers; null without that extension. */
  purposes: string[] | null;
}

/** Attribute types of X.520, as RFC 4514 abbreviates them. */
const SHORT_NAMES: Record<string, string> = {
  "2.5.4.3": "CN",
  "2.5.4.5": "serialNumber",
  "2.5.4.6": "C",
  "2.5.4.7": "L",
  "2.5.4.8": "ST",
  "2.5.4.10": "O",
  "2.5.4.11": "OU",
  "1.2.840.113549.1.9.1": "emailAddress",
};

/** RFC 8017 (PKCS #1), RFC 5758. */
const ALGORITHMS: Record<string, string> = {
  "1.2.840.113549.1.1.1": "RSA",
  "1.2.840.113549.1.1.5": "sha1WithRSA",
  "1.2.840.113549.1.1.10": "RSASSA-PSS",
  "1.2.840.113549.1.1.11": "sha256WithRSA",
  "1.2.840.113549.1.1.12": "sha384WithRSA",
  "1.2.840.113549.1.1.13": "sha512WithRSA",
  "1.2.840.10045.2.1": "EC",
  "1.2.840.10045.4.3.2": "sha256WithECDSA",
  "1.2.840.10045.4.3.3": "sha384WithECDSA",
};

const ISSUED: Record<string, { scheme: "rsa" | "ecdsa"; digestName: DigestName }> = {
  "1.2.840.113549.1.1.5": { scheme: "rsa", digestName: "sha1" },
  "1.2.840.113549.1.1.11": { scheme: "rsa", digestName: "sha256" },
  "1.2.840.113549.1.1.12": { scheme: "rsa", digestName: "sha384" },
  "1.2.840.113549.1.1.13": { scheme: "rsa", digestName: "sha512" },
  "1.2.840.10045.4.3.2": { scheme: "ecdsa", digestName: "sha256" },
  "1.2.840.10045.4.3.3": { scheme: "ecdsa", digestName: "sha384" },
  "1.2.840.10045.4.3.4": { scheme: "ecdsa", digestName: "sha512" },
};

const CURVES: Record<string, EcKey["curve"]> = {
  "1.2.840.10045.3.1.7": "P-256",
  "1.3.132.0.34": "P-384",
  "1.3.132.0.35": "P-521",
};

/** The usual name of a signature or key algorithm, or its number where it has none here. RFC 8017, RFC 5758. */
export function algorithmName(oid: string): string {
  return ALGORITHMS[oid] ?? oid;
}

interface NamePart {
  type: string;
  value: string;
}

/** A sequence of sets of type and value. */
function namePartsOf(name: Der | undefined): NamePart[] {
  return inside(name)
    .flatMap((set) => inside(set))
    .map((pair) => {
      const [type, value] = inside(pair);
      const oid = oidOf(type);
      return { type: SHORT_NAMES[oid] ?? oid, value: stringOf(value) };
    });
}

/** The common name, else the whole. */
function nameText(name: Der | undefined): string {
  return namePartsOf(name).find((each) => each.type === "CN")?.value ?? wholeName(name);
}

/** RFC 4514, 2: in reverse order, with its escapes. */
export function wholeName(name: Der | undefined): string {
  return namePartsOf(name)
    .reverse()
    .map(({ type, value }) => `${type}=${value.replace(/([,+"\\<>;]|^[ #]| $)/g, "\\$1")}`)
    .join(",");
}

/** An INTEGER as hex, without the zero that keeps it positive. */
export function integerHex(node: Der | undefined): string {
  return node ? hex(contentOf(node)).replace(/^00(?=.)/, "") : "";
}

/** RFC 5280, 4.1. Null where the element is no certificate. */
export function certificateFrom(der: Der): Certificate | null {
  const [tbs, algorithm, signature] = inside(der);
  const fields = inside(tbs);
  // The version comes first, with a tag of its own, and may be left out.
  const [serial, , issuer, validity, subject, publicKey] = tagged(fields.slice(0, 1), 0) ? fields.slice(1) : fields;
  const [notBefore, notAfter] = inside(validity).map((each) => timeOf(each));
  if (!tbs || !isTag(serial, TAG.integer) || !isTag(subject, TAG.sequence) || !notBefore || !notAfter) return null;
  const [keyAlgorithm, keyBits] = inside(publicKey);
  const [keyType, curve] = inside(keyAlgorithm);
  const issued = ISSUED[oidOf(inside(algorithm)[0])];
  const ecCurve = CURVES[oidOf(curve)];
  return {
    der,
    tbs,
    subject: nameText(subject),
    issuer: nameText(issuer),
    subjectName: wholeName(subject),
    issuerName: wholeName(issuer),
    serial: integerHex(serial),
    notBefore,
    notAfter,
    algorithm: algorithmName(oidOf(inside(algorithm)[0])),
    keyAlgorithm: algorithmName(oidOf(keyType)),
    rsaKey: rsaKeyFrom(bitsOf(keyBits)),
    ecKey: ecCurve ? { curve: ecCurve, point: bitsOf(keyBits) } : null,
    issued: issued ? { ...issued, signature: bitsOf(signature) } : null,
    extensions: extensionsFrom(inside(inside(tagged(fields, 3))[0])),
  };
}

const EXTENSION = {
  ownKeyId: "2.5.29.14",
  keyUsage: "2.5.29.15",
  basicConstraints: "2.5.29.19",
  issuerKeyId: "2.5.29.35",
  extendedKeyUsage: "2.5.29.37",
};
/** Bit 5 of KeyUsage, counted from the highest of the first byte. */
const KEY_CERT_SIGN = 0x04;

function extensionsFrom(extensions: Der[]): CertificateExtensions {
  /** The value of an extension: an octet string in which it is encoded. */
  const extension = (oid: string): Der | null => {
    const parts = inside(extensions.find((each) => oidOf(inside(each)[0]) === oid));
    const octets = parts.at(-1);
    return isTag(octets, TAG.octetString) ? parseDer(contentOf(octets)) : null;
  };
  const constraints = extension(EXTENSION.basicConstraints);
  const usage = extension(EXTENSION.keyUsage);
  const ownKeyId = extension(EXTENSION.ownKeyId);
  const issuer = tagged(inside(extension(EXTENSION.issuerKeyId)), 0);
  const purposes = extension(EXTENSION.extendedKeyUsage);
  const flag = inside(constraints)[0];
  return {
    ca: constraints ? isTag(flag, TAG.boolean) && contentOf(flag)[0] !== 0 : null,
    signsCertificates: usage ? ((bitsOf(usage)[0] ?? 0) & KEY_CERT_SIGN) !== 0 : null,
    ownKeyId: ownKeyId ? hex(contentOf(ownKeyId)) : null,
    issuerKeyId: issuer ? hex(contentOf(issuer)) : null,
    purposes: purposes ? inside(purposes).map((each) => oidOf(each)) : null,
  };
}

/** RFC 8017, A.1.1; null for keys of other kinds. */
function rsaKeyFrom(bits: Uint8Array): RsaKey | null {
  const [modulus, exponent] = inside(parseDer(bits));
  if (!isTag(modulus, TAG.integer) || !isTag(exponent, TAG.integer)) return null;
  return { modulus: BigInt(`0x${integerHex(modulus) || "0"}`), exponent: BigInt(`0x${integerHex(exponent) || "0"}`) };
}

/** What is told of a certificate; the size of an RSA key in bits, counted by the modulus. */
export function describeCertificate(certificate: Certificate): CertificateFacts {
  const { subject, issuer, subjectName, issuerName, serial, notBefore, notAfter, algorithm } = certificate;
  const bits = certificate.rsaKey?.modulus.toString(16).length ?? 0;
  return {
    name: subject,
    issuer,
    subjectName,
    issuerName,
    notBefore,
    notAfter,
    serial,
    algorithm,
    key: bits > 0 ? `${certificate.keyAlgorithm} ${bits * 4}` : certificate.keyAlgorithm,
    sha256: digestOf("sha256", derOf(certificate.der)),
    tbsSha256: digestOf("sha256", derOf(certificate.tbs)),
  };
}

/** A certificate taken apart; null where the bytes are none. */
export function parseCertificate(bytes: Uint8Array): Certificate | null {
  const der = parseDer(bytes);
  return der && certificateFrom(der);
}

/** What is told of a certificate; null where the bytes are none. */
export function readCertificate(bytes: Uint8Array): CertificateFacts | null {
  const certificate = parseCertificate(bytes);
  // Its own bytes, not their re-encoding, are what lists are compared by.
  return certificate && { ...describeCertificate(certificate), sha256: digestOf("sha256", bytes) };
}
