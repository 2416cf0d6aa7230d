import { createSHA1, createSHA256, createSHA384, createSHA512 } from "hash-wasm";
import {
  algorithmName,
  type Certificate,
  type CertificateFacts,
  certificateFrom,
  describeCertificate,
  integerHex,
  wholeName,
} from "../crypto/certificate";
import {
  contentOf,
  type Der,
  derAsSet,
  derOf,
  inside,
  isTag,
  oidOf,
  parseDer,
  TAG,
  tagged,
  timeOf,
} from "../crypto/der";
import { verifyEcdsa } from "../crypto/issuing";
import { type DigestName, digestOf, verifyRsa } from "../crypto/rsa";
import { Fields, hex } from "../kernel/fields";
import { lastOf } from "../kernel/item-at";
import { type ByteSource, readExactly } from "../kernel/source";
import type { PeImage } from "./pe";
import type { SignatureFault } from "./signature-fault";

/**
 * Signatures of EFI programs: "Windows Authenticode Portable Executable Signature Format" (Microsoft, 2008), PE format
 * documentation ("The attribute certificate table"), RFC 2315 and RFC 5652, UEFI 2.10, 32.5.
 */
interface CodeSignature {
  /** Whole names after RFC 4514; empty where the signer's certificate is not carried. */
  signer: string;
  issuer: string;
  /** Common name of the signer. */
  signerName: string;
  /** The signer's certificate, then its issuers as far as they are carried. */
  chain: CertificateFacts[];
  /** How it was signed: "sha256WithRSA". */
  algorithm: string;
  /** Kind and value of the digest that it speaks for; lower-case hex. */
  digestName: string;
  digest: string;
  /** ISO 8601, as the signer says; null where it does not. */
  signedAt: string | null;
  /** It lies inside another signature. */
  nested: boolean;
  /** Null where it is whole and speaks for this file. */
  fault: SignatureFault | null;
}

/** One entry of the certificate table, as firmware takes it: whole, or not at all. */
interface TableEntry {
  /** Kind of digest that it is computed with. */
  digestName: DigestName | null;
  /** Null where every one of its signers speaks for this file. */
  fault: SignatureFault | null;
  signers: Certificate[];
  /** All certificates that it carries. */
  carried: Certificate[];
}

export interface Signing {
  /** Authenticode SHA-256 of the file, lower-case hex; null where its layout does not allow one. */
  authenticode: string | null;
  /** The same by other kinds of digest, where signatures are computed with them. */
  digests: Partial<Record<DigestName, string>>;
  signatures: CodeSignature[];
  /** The certificate table, entry by entry; those of other kinds than PKCS #7 are left out. */
  entries: TableEntry[];
  /** Bytes of the certificate table: none where the file is not signed. */
  tableBytes: number;
  /** What is odd about the certificate table itself. */
  tableFault: "entry-cut" | "entry-unknown" | null;
}

const STEP_BYTES = 1 << 20;
/** Certificate tables of real programs are some kilobytes; nested signatures are few. */
const TABLE_MAX_BYTES = 1 << 20;
const ENTRIES_MAX = 32;
const SIGNATURES_MAX = 64;
const NESTING_MAX = 4;

const HASHERS = { sha1: createSHA1, sha256: createSHA256, sha384: createSHA384, sha512: createSHA512 };

/**
 * The digest of a program that its signatures, `db` and `dbx` speak of, after EDK2's HashPeImage (SecurityPkg,
 * DxeImageVerificationLib): headers without checksum and certificate entry, sections by their place in the file, and
 * what follows them up to the certificate table. Null where the layout does not allow it.
 */
async function authenticodeDigest(
  file: ByteSource,
  image: PeImage,
  name: DigestName = "sha256",
): Promise<string | null> {
  const { layout, sections } = image;
  if (!layout || image.faults.length > 0) return null;
  const hash = await HASHERS[name]();
  const take = async (from: number, to: number): Promise<boolean> => {
    for (let at = from; at < to; at += STEP_BYTES) {
      const bytes = await readExactly(file, at, Math.min(STEP_BYTES, to - at));
      if (!bytes) return false;
      hash.update(bytes);
    }
    return true;
  };
  const { checksumAt, certificateEntryAt, headersBytes, certificates } = layout;
  const afterChecksum = checksumAt + 4;
  const ranges: [number, number][] =
    certificateEntryAt === null
      ? [
          [0, checksumAt],
          [afterChecksum, headersBytes],
        ]
      : [
          [0, checksumAt],
          [afterChecksum, certificateEntryAt],
          [certificateEntryAt + 8, headersBytes],
        ];
  let hashed = headersBytes;
  for (const section of [...sections].sort((a, b) => a.fileOffset - b.fileOffset)) {
    if (section.fileBytes === 0) continue;
    ranges.push([section.fileOffset, section.fileOffset + section.fileBytes]);
    hashed += section.fileBytes;
  }
  const end = file.sizeBytes - (certificates?.lengthBytes ?? 0);
  if (hashed > end && certificates) return null;
  if (hashed < end) ranges.push([hashed, end]);
  for (const [from, to] of ranges) if (!(await take(from, to))) return null;
  return hash.digest("hex");
}

/** Digest and signatures of a program. */
export async function readSigning(file: ByteSource, image: PeImage): Promise<Signing> {
  const table = image.layout?.certificates;
  const authenticode = await authenticodeDigest(file, image);
  const signing: Signing = {
    authenticode,
    digests: authenticode === null ? {} : { sha256: authenticode },
    signatures: [],
    entries: [],
    tableBytes: table?.lengthBytes ?? 0,
    tableFault: null,
  };
  if (!table || image.faults.includes("certificates-outside-file")) return signing;
  const digestOfFile: DigestOfFile = async (name) => {
    const keptDigest = signing.digests[name];
    if (keptDigest) return keptDigest;
    const digest = await authenticodeDigest(file, image, name);
    if (digest !== null) signing.digests[name] = digest;
    return digest;
  };
  const bytes = await file.read(table.start, Math.min(table.lengthBytes, TABLE_MAX_BYTES));
  const fields = new Fields(bytes);
  let at = 0;
  for (let count = 0; at + 8 <= bytes.length && count < ENTRIES_MAX; count++) {
    const length = fields.u32le(at);
    if (length < 8 || at + length > bytes.length) {
      signing.tableFault = "entry-cut";
      break;
    }
    // Revision 2.0, PKCS #7 SignedData.
    if (fields.u16le(at + 6) !== 0x0002) signing.tableFault = "entry-unknown";
    else await readEntry(fields.slice(at + 8, length - 8), signing, digestOfFile);
    at += Math.ceil(length / 8) * 8;
  }
  // The last entry must end where the table does (EDK2, DxeImageVerificationHandler).
  if (at !== table.lengthBytes) signing.tableFault = "entry-cut";
  return signing;
}

/** The digest of the file by a kind of digest; null where its layout does not allow one. */
type DigestOfFile = (name: DigestName) => Promise<string | null>;

async function readEntry(bytes: Uint8Array, signing: Signing, digestOfFile: DigestOfFile): Promise<void> {
  const signed = parseSignedData(bytes);
  const first = signing.signatures.length;
  await readSignedData(bytes, digestOfFile, signing.signatures, 0);
  const outer = signing.signatures.slice(first).filter((each) => !each.nested);
  const named = DIGEST_NAMES[signed?.digestAlgorithm ?? ""] ?? null;
  if (named) await digestOfFile(named);
  signing.entries.push({
    digestName: named,
    fault: outer.find((each) => each.fault !== null)?.fault ?? (outer.length === 0 ? "signer-missing" : null),
    signers: signed?.signers.flatMap((info) => signed.certificates.find((each) => isOf(each, info)) ?? []) ?? [],
    carried: signed?.certificates ?? [],
  });
}

const OID = {
  signedData: "1.2.840.113549.1.7.2",
  indirectData: "1.3.6.1.4.1.311.2.1.4",
  nested: "1.3.6.1.4.1.311.2.4.1",
  messageDigest: "1.2.840.113549.1.9.4",
  signingTime: "1.2.840.113549.1.9.5",
};
const DIGEST_NAMES: Record<string, DigestName> = {
  "1.3.14.3.2.26": "sha1",
  "2.16.840.1.101.3.4.2.1": "sha256",
  "2.16.840.1.101.3.4.2.2": "sha384",
  "2.16.840.1.101.3.4.2.3": "sha512",
};

function isDigestName(name: string): name is DigestName {
  return name in HASHERS;
}

async function readSignedData(
  bytes: Uint8Array,
  digestOfFile: DigestOfFile,
  found: CodeSignature[],
  depth: number,
): Promise<void> {
  if (found.length >= SIGNATURES_MAX || depth > NESTING_MAX) return;
  const nested = depth > 0;
  const signed = parseSignedData(bytes);
  if (!signed) {
    found.push(blank("not-pkcs7", nested));
    return;
  }
  for (const info of signed.signers) {
    if (found.length >= SIGNATURES_MAX) return;
    found.push(await readSigner(signed, info, digestOfFile, nested));
    for (const inner of info.nested) await readSignedData(inner, digestOfFile, found, depth + 1);
  }
}

/** The signers of a PKCS #7 SignedData, with or without its ContentInfo around it; null where it is none. */
export function readSigners(bytes: Uint8Array): { signer: string; issuer: string }[] | null {
  const signed = parseSignedData(bytes);
  return (
    signed?.signers.map((info) => {
      const signer = signed.certificates.find((each) => isOf(each, info));
      return { signer: signer?.subjectName ?? "", issuer: signer?.issuerName ?? "" };
    }) ?? null
  );
}

function blank(fault: SignatureFault, nested: boolean): CodeSignature {
  return {
    signer: "",
    issuer: "",
    signerName: "",
    chain: [],
    algorithm: "",
    digestName: "",
    digest: "",
    signedAt: null,
    nested,
    fault,
  };
}

/** SignedData of RFC 2315, 9.1, taken apart. */
interface SignedData {
  /** The first of its digest algorithms. */
  digestAlgorithm: string;
  content: IndirectData | null;
  certificates: Certificate[];
  signers: SignerInfo[];
}

interface SignerInfo {
  /** The certificate that it names. */
  issuerName: string;
  serial: string;
  digestAlgorithm: string;
  signatureAlgorithm: string;
  signature: Uint8Array;
  /** The signed attributes as a SET, which is how they are signed (RFC 5652, 5.4); null without any. */
  attributes: { der: Uint8Array; messageDigest: string | null; signedAt: string | null } | null;
  /** Further signatures that it carries. */
  nested: Uint8Array[];
}

function parseSignedData(bytes: Uint8Array): SignedData | null {
  const outer = parseDer(bytes);
  if (!outer) return null;
  const [type, wrapped] = inside(outer);
  const data = oidOf(type) === OID.signedData ? inside(inside(wrapped)[0]) : inside(outer);
  // Version, digest algorithms, content, then certificates [0] and revocation lists [1], and the signers.
  const [version, algorithms, content] = data;
  const signers = data.at(-1);
  if (!isTag(version, TAG.integer) || !isTag(algorithms, TAG.set) || !isTag(signers, TAG.set)) return null;
  return {
    digestAlgorithm: oidOf(inside(inside(algorithms)[0])[0]),
    content: indirectData(content),
    certificates: inside(tagged(data, 0)).flatMap((each) => certificateFrom(each) ?? []),
    signers: inside(signers).flatMap((each) => signerFrom(each) ?? []),
  };
}

function signerFrom(node: Der): SignerInfo | null {
  const fields = inside(node);
  const [version, name, digestAlgorithm] = fields;
  const [issuer, serial] = inside(name);
  const attributes = tagged(fields, 0);
  const rest = fields.slice(attributes ? 4 : 3);
  const [signatureAlgorithm, signature] = rest;
  if (!isTag(version, TAG.integer) || !isTag(serial, TAG.integer) || !isTag(signature, TAG.octetString)) return null;
  return {
    issuerName: wholeName(issuer),
    serial: integerHex(serial),
    digestAlgorithm: oidOf(inside(digestAlgorithm)[0]),
    signatureAlgorithm: oidOf(inside(signatureAlgorithm)[0]),
    signature: contentOf(signature),
    attributes: attributes ? signedAttributes(attributes) : null,
    nested: attributeValues(tagged(fields, 1), OID.nested).map((each) => derOf(each)),
  };
}

function signedAttributes(node: Der): SignerInfo["attributes"] {
  const digest = attributeValues(node, OID.messageDigest)[0];
  return {
    der: derAsSet(node),
    messageDigest: digest ? hex(contentOf(digest)) : null,
    signedAt: timeOf(attributeValues(node, OID.signingTime)[0]),
  };
}

function attributeValues(attributes: Der | undefined, type: string): Der[] {
  return inside(attributes)
    .filter((each) => oidOf(inside(each)[0]) === type)
    .flatMap((each) => inside(inside(each)[1]));
}

interface IndirectData {
  /** What the signers' message digest is over: the content without its own tag and length. */
  bytes: Uint8Array;
  digestName: string;
  digest: string;
}

/** SpcIndirectDataContent: what is signed, and the digest of the image. It stands as it is or in an octet string. */
function indirectData(content: Der | undefined): IndirectData | null {
  const [type, wrapped] = inside(content);
  if (oidOf(type) !== OID.indirectData) return null;
  const inner = inside(wrapped)[0];
  const whole = isTag(inner, TAG.octetString) ? parseDer(contentOf(inner)) : inner;
  const [algorithm, digest] = inside(inside(whole)[1]);
  if (!whole || !isTag(digest, TAG.octetString)) return null;
  const name = oidOf(inside(algorithm)[0]);
  return { bytes: contentOf(whole), digestName: DIGEST_NAMES[name] ?? name, digest: hex(contentOf(digest)) };
}

async function readSigner(
  signed: SignedData,
  info: SignerInfo,
  digestOfFile: DigestOfFile,
  nested: boolean,
): Promise<CodeSignature> {
  const signer = signed.certificates.find((each) => isOf(each, info)) ?? null;
  const chain: CertificateFacts[] = [];
  for (const certificate of signer ? chainOf(signer, signed.certificates) : [])
    chain.push(describeCertificate(certificate));
  const digestName = DIGEST_NAMES[info.digestAlgorithm];
  return {
    signer: signer?.subjectName ?? "",
    issuer: signer?.issuerName ?? "",
    signerName: signer?.subject ?? "",
    chain,
    algorithm: digestName
      ? `${digestName}With${signer?.ecKey ? "ECDSA" : "RSA"}`
      : algorithmName(info.signatureAlgorithm),
    digestName: signed.content?.digestName ?? "",
    digest: signed.content?.digest ?? "",
    signedAt: info.attributes?.signedAt ?? null,
    nested,
    fault: await faultOf(info, signer, signed.content, digestOfFile, digestName),
  };
}

async function faultOf(
  info: SignerInfo,
  own: Certificate | null,
  content: IndirectData | null,
  digestOfFile: DigestOfFile,
  digestName: DigestName | undefined,
): Promise<SignatureFault | null> {
  if (!content) return "not-authenticode";
  if (!own) return "signer-missing";
  if (!isDigestName(content.digestName)) return "algorithm-unknown";
  if (content.digest !== (await digestOfFile(content.digestName))) return "digest-differs";
  if (!digestName || !(own.rsaKey || own.ecKey)) return "algorithm-unknown";
  const { attributes, signature } = info;
  if (attributes && attributes.messageDigest !== digestOf(digestName, content.bytes)) return "attributes-differ";
  const message = attributes?.der ?? content.bytes;
  if (own.rsaKey) return verifyRsa(own.rsaKey, digestName, message, signature) ? null : "signature-wrong";
  if (!own.ecKey || digestName === "sha1") return "algorithm-unknown";
  return verifyEcdsa(own.ecKey, digestName, message, signature) ? null : "signature-wrong";
}

/** Whether a certificate is the one that a signer names by issuer and serial number. */
function isOf(certificate: Certificate, info: SignerInfo): boolean {
  return certificate.serial === info.serial && certificate.issuerName === info.issuerName;
}

/** From a certificate up to its last issuer that is carried too. */
function chainOf(own: Certificate, carried: Certificate[]): Certificate[] {
  const chain = [own];
  for (;;) {
    const last = lastOf(chain);
    const issuer = carried.find((each) => !chain.includes(each) && each.subjectName === last.issuerName);
    if (!issuer) return chain;
    chain.push(issuer);
  }
}
