import { type CertificateFacts, readCertificate } from "../crypto/certificate";
import { Fields, guid, hex } from "../kernel/fields";
import { readSigners } from "./authenticode";
import { type ListFault, readSignatureLists, type SignatureKind } from "./efi-signature-list";

/** One entry of a signature list, told. */
export interface ToldEntry {
  /** Where it begins in the file, in bytes. */
  at: number;
  owner: string;
  kind: SignatureKind;
  /** Lower-case hex; null for a certificate. */
  digest: string | null;
  /** For the digest of a certificate: from when on it is revoked; null means always. */
  revokedFrom: string | null;
  /** Null where the entry is no certificate, or one that cannot be read. */
  certificate: CertificateFacts | null;
}

export type SignatureFileFault =
  | ListFault
  | { code: "file-empty" }
  | { code: "update-signature-past-end"; at: number; length: number; left: number }
  | { code: "update-signature-unreadable"; at: number };

export interface SignatureFile {
  /** Lists alone, an authenticated update, or a variable as efivarfs has it. */
  form: "lists" | "update" | "variable";
  /** Attributes of the variable; null where the file has none. */
  attributes: string[] | null;
  /** The update's own time, ISO 8601; a later one replaces what is there. */
  updatedAt: string | null;
  /** Who signed the update. Null where it is none, or its signature cannot be read. */
  signers: { signer: string; issuer: string }[] | null;
  /** Where the lists begin in the file, in bytes. */
  listsAt: number;
  entries: ToldEntry[];
  /** Null where all was read. */
  fault: SignatureFileFault | null;
}

/** UEFI 2.10, 8.2.1. */
const ATTRIBUTES = [
  "non-volatile",
  "boot service",
  "runtime",
  "hardware error record",
  "authenticated",
  "time-based authenticated",
  "append",
  "enhanced authenticated",
];

/** EFI_CERT_TYPE_PKCS7_GUID, UEFI 2.10, 8.2.6. */
const PKCS7 = "4aafd29d-68df-49ee-8aa9-347d375665a7";
const TIME_BYTES = 16;
const CERTIFICATE_HEADER_BYTES = 24;

/** Reads whichever of the three forms the bytes are; a damaged one is read up to the damage. */
export async function readSignatureFile(bytes: Uint8Array): Promise<SignatureFile> {
  const file: SignatureFile = {
    form: "lists",
    attributes: null,
    updatedAt: null,
    signers: null,
    listsAt: 0,
    entries: [],
    fault: null,
  };
  let start = 0;
  if (isUpdate(bytes, 0)) start = readUpdateHeader(bytes, file);
  else if (looksLikeVariable(bytes)) {
    file.form = "variable";
    const bits = new Fields(bytes).u32le(0);
    file.attributes = ATTRIBUTES.filter((_, bit) => bits & (1 << bit));
    start = 4;
  }
  file.listsAt = start;
  if (file.fault) return file;
  const lists = readSignatureLists(bytes.subarray(start), start);
  file.fault = bytes.length === 0 ? { code: "file-empty" } : lists.fault;
  for (const { at, owner, kind, data } of lists.entries) {
    const isCertificate = kind === "x509";
    file.entries.push({
      at: start + at,
      owner,
      kind,
      digest: isCertificate ? null : hex(kind === "x509-sha256" ? data.subarray(0, 32) : data),
      revokedFrom: kind === "x509-sha256" && data.length >= 48 ? efiTime(new Fields(data.subarray(32, 48)), 0) : null,
      certificate: isCertificate ? readCertificate(data) : null,
    });
  }
  return file;
}

/** EFI_VARIABLE_AUTHENTICATION_2: a time, then a WIN_CERTIFICATE_UEFI_GUID of revision 2.0 (UEFI 2.10, 8.2.2). */
function isUpdate(bytes: Uint8Array, at: number): boolean {
  const fields = new Fields(bytes);
  const certificateAt = at + TIME_BYTES;
  return (
    certificateAt + CERTIFICATE_HEADER_BYTES <= bytes.length &&
    fields.u16le(certificateAt + 4) === 0x0200 &&
    fields.u16le(certificateAt + 6) === 0x0ef1 &&
    guid(fields, certificateAt + 8) === PKCS7
  );
}

/** Takes the header in; where the lists begin. */
function readUpdateHeader(bytes: Uint8Array, file: SignatureFile): number {
  const fields = new Fields(bytes);
  file.form = "update";
  file.updatedAt = efiTime(fields, 0);
  const length = fields.u32le(TIME_BYTES);
  if (length < CERTIFICATE_HEADER_BYTES || TIME_BYTES + length > bytes.length) {
    const left = bytes.length - TIME_BYTES;
    file.fault = { code: "update-signature-past-end", at: TIME_BYTES, length, left };
    return 0;
  }
  file.signers = readSigners(fields.slice(TIME_BYTES + CERTIFICATE_HEADER_BYTES, length - CERTIFICATE_HEADER_BYTES));
  if (!file.signers) file.fault = { code: "update-signature-unreadable", at: TIME_BYTES + CERTIFICATE_HEADER_BYTES };
  return TIME_BYTES + length;
}

/** Four bytes of attributes before lists. Lists alone begin with a GUID, whose first four bytes are no attributes. */
function looksLikeVariable(bytes: Uint8Array): boolean {
  if (bytes.length < 4) return false;
  const attributes = new Fields(bytes).u32le(0);
  return attributes !== 0 && attributes <= 0xff;
}

/** EFI_TIME (UEFI 2.10, 8.3) in UTC; null where it is no date, as the zero time is none. */
function efiTime(fields: Fields, at: number): string | null {
  const [year, month, day] = [fields.u16le(at), fields.u8(at + 2), fields.u8(at + 3)];
  if (year < 1900 || month < 1 || month > 12 || day < 1 || day > 31) return null;
  const [hour, minute, second] = [fields.u8(at + 4), fields.u8(at + 5), fields.u8(at + 6)];
  return new Date(Date.UTC(year, month - 1, day, hour, minute, second)).toISOString();
}
