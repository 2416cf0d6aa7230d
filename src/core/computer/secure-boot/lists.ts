import { type CertificateFacts, readCertificate } from "../../crypto/certificate";
import {
  certificateDigest,
  isCertificateDigest,
  type ListFault,
  readSignatureLists,
  type SignatureEntry,
} from "../../formats/efi-signature-list";
import { fromBase64 } from "../../kernel/base64";
import type { FirmwareFacts } from "../facts/schema";
import { readSbatLevel, type SbatRow } from "./sbat";

/** What a computer's Secure Boot lists hold, as far as they are known. */
export interface ListSummary {
  /** Certificates, in the order of the list. */
  certificates: CertificateFacts[];
  /** Entries that are digests of programs. */
  digests: number;
  /** Entries that are digests of certificates (x509-sha256). */
  certificateDigests: string[];
  /** Entries of other kinds, or certificates that cannot be read. */
  others: number;
  fault: ListFault | { code: "not-base64" } | null;
}

export interface SecureBootSummary {
  state: "on" | "off" | "setup" | "absent" | null;
  pk: ListSummary | null;
  kek: ListSummary | null;
  db: ListSummary | null;
  dbx: ListSummary | null;
  /** The least generations that a first-stage loader demands. The SBAT text of the shim project. */
  sbatLevel: SbatRow[] | null;
  /** Certificates in db that dbx does not revoke. Null where db is not known. */
  signers: CertificateFacts[] | null;
}

/** What a signature list holds, told by kind; a damaged list keeps what was read before the damage, and the fault. */
export function summariseList(bytes: Uint8Array): ListSummary {
  const { entries, fault } = readSignatureLists(bytes);
  const certificates: CertificateFacts[] = [];
  let digests = 0;
  let others = 0;
  const certificateDigests: string[] = [];
  for (const entry of entries) {
    if (entry.kind === "x509") {
      const certificate = readCertificate(entry.data);
      if (certificate) certificates.push(certificate);
      else others++;
    } else if (isCertificateDigest(entry)) certificateDigests.push(certificateDigest(entry).digest);
    else if (isDigest(entry)) digests++;
    else others++;
  }
  return { certificates, digests, certificateDigests, others, fault };
}

function isDigest({ kind }: SignatureEntry): boolean {
  return kind === "sha256" || kind === "sha1" || kind === "sha384" || kind === "sha512";
}

function fromFact(base64: string | null): ListSummary | null {
  if (base64 === null) return null;
  const bytes = fromBase64(base64);
  if (bytes) return summariseList(bytes);
  return { certificates: [], digests: 0, certificateDigests: [], others: 0, fault: { code: "not-base64" } };
}

/** The lists among a computer's facts (base64), read. Null is a list that is not known, which is no empty one. */
export function summariseSecureBoot(firmware: FirmwareFacts): SecureBootSummary {
  const lists = firmware.secureBoot;
  const db = fromFact(lists?.db ?? null);
  const dbx = fromFact(lists?.dbx ?? null);
  const level = lists?.sbatLevel ?? null;
  return {
    state: lists?.state ?? null,
    pk: fromFact(lists?.pk ?? null),
    kek: fromFact(lists?.kek ?? null),
    db,
    dbx,
    sbatLevel: level === null ? null : readSbatLevel(level),
    signers: db ? allowedSigners(db, dbx) : null,
  };
}

/** Certificates of db that dbx names neither whole nor by digest. UEFI 2.10, 32.4.2. */
function allowedSigners(db: ListSummary, dbx: ListSummary | null): CertificateFacts[] {
  const revoked = new Set(dbx ? [...dbx.certificates.map((each) => each.tbsSha256), ...dbx.certificateDigests] : []);
  return db.certificates.filter((certificate) => !revoked.has(certificate.tbsSha256));
}
