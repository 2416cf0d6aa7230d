import { type Certificate, type CertificateFacts, describeCertificate, parseCertificate } from "../crypto/certificate";
import { Fields, hex } from "../kernel/fields";
import { type ByteSource, readExactly } from "../kernel/source";
import { readSignatureLists } from "./efi-signature-list";
import type { PeImage } from "./pe";

/**
 * What a first-stage loader carries to check its second stage with: a table in its `.vendor_cert` section (the shim
 * boot loader's cert.S and shim.c: sizes of the allowed and of the revoked part, then their offsets).
 */
interface BuiltInLists {
  allowed: CertificateFacts[];
  /** Digests of programs that are allowed, lower-case hex. */
  allowedDigests: string[];
  revoked: CertificateFacts[];
  revokedDigests: string[];
}

export interface BuiltInReading {
  lists: BuiltInLists;
  /** The certificates of both lists themselves. */
  certificates: Certificate[];
}

const SECTION = ".vendor_cert";
const SECTION_MAX_BYTES = 1 << 20;

/** Null where the program has no such section. */
export async function readBuiltInLists(file: ByteSource, image: PeImage): Promise<BuiltInReading | null> {
  const section = image.sections.find((each) => each.name === SECTION);
  if (!section) return null;
  const bytes = await readExactly(
    file,
    section.fileOffset,
    Math.min(section.fileBytes, Math.max(section.virtualBytes, 16), SECTION_MAX_BYTES),
  );
  const lists: BuiltInLists = { allowed: [], allowedDigests: [], revoked: [], revokedDigests: [] };
  const reading: BuiltInReading = { lists, certificates: [] };
  if (!bytes || bytes.length < 16) return reading;
  const fields = new Fields(bytes);
  const part = (sizeAt: number, offsetAt: number) => {
    const [size, offset] = [fields.u32le(sizeAt), fields.u32le(offsetAt)];
    return offset + size <= bytes.length ? fields.slice(offset, size) : new Uint8Array(0);
  };
  const add = (list: Uint8Array, facts: CertificateFacts[], digests: string[]) => {
    const { certificates, digests: own } = contentsOf(list);
    facts.push(...certificates.map(describeCertificate));
    digests.push(...own);
    reading.certificates.push(...certificates);
  };
  add(part(0, 8), lists.allowed, lists.allowedDigests);
  add(part(4, 12), lists.revoked, lists.revokedDigests);
  return reading;
}

/** One certificate as it is, or signature lists. */
function contentsOf(bytes: Uint8Array): { certificates: Certificate[]; digests: string[] } {
  const single = bytes[0] === 0x30 ? parseCertificate(bytes) : null;
  if (single) return { certificates: [single], digests: [] };
  const { entries } = readSignatureLists(bytes);
  return {
    certificates: entries.flatMap(({ kind, data }) => (kind === "x509" ? (parseCertificate(data) ?? []) : [])),
    digests: entries.flatMap(({ kind, data }) => (kind === "sha256" ? [hex(data)] : [])),
  };
}
