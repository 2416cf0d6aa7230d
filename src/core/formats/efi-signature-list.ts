import { Fields, guid, hex } from "../kernel/fields";

/** EFI_SIGNATURE_LIST structures, as `db`, `dbx`, `KEK`, `PK` and `*.esl` files hold them. UEFI 2.10, 32.4.1. */
export interface SignatureEntry {
  /** Who put it there: the owner's GUID, lower case. */
  owner: string;
  kind: SignatureKind;
  /** The certificate (DER), or the digest. */
  data: Uint8Array;
  /** Where the entry begins, in bytes from the start of the lists. */
  at: number;
}

/** `x509-sha256` …: the digest of a certificate's to-be-signed part, with a revocation time. */
export type SignatureKind =
  | "x509"
  | "sha1"
  | "sha256"
  | "sha384"
  | "sha512"
  | "x509-sha256"
  | "x509-sha384"
  | "x509-sha512"
  | "rsa2048"
  | "unknown";

const KINDS: Record<string, SignatureKind> = {
  "a5c059a1-94e4-4aa7-87b5-ab155c2bf072": "x509",
  "826ca512-cf10-4ac9-b187-be01496631bd": "sha1",
  "c1c41626-504c-4092-aca9-41f936934328": "sha256",
  "ff3e5307-9fd0-48c9-85f1-8ad56c701e01": "sha384",
  "093e0fae-a6c4-4f50-9f1b-d41e2b89c19a": "sha512",
  "3bd2a492-96c0-4079-b420-fcf98ef103ed": "x509-sha256",
  "7076876e-80c2-4ee6-aad2-28b349a6865b": "x509-sha384",
  "446dbf63-2502-4cda-bcfa-2465d2b0fe9d": "x509-sha512",
  "3c5766e8-269c-4e34-aa14-ed776e85b3b6": "rsa2048",
};

export interface SignatureLists {
  entries: SignatureEntry[];
  /** Null where all was read. */
  fault: ListFault | null;
}

/** What is wrong with lists, and at which byte of their file. Lengths are bytes. */
export type ListFault = { at: number } & (
  | { code: "list-header-short" }
  | { code: "list-below-header"; listBytes: number }
  | { code: "list-past-end"; listBytes: number; left: number }
  | { code: "list-header-past-list" }
  | { code: "entries-empty"; entryBytes: number }
  | { code: "entries-uneven"; room: number; entryBytes: number }
  | { code: "entries-too-many"; most: number }
);
/** A fault without the place where it is. */
type Placeless<T> = T extends unknown ? Omit<T, "at"> : never;

const HEADER = 28;
const OWNER = 16;
const ENTRIES_MAX = 100_000;

/** Reads lists to the end, or to what is wrong. `base` is where they begin in their file. Never throws. */
export function readSignatureLists(bytes: Uint8Array, base = 0): SignatureLists {
  const fields = new Fields(bytes);
  const entries: SignatureEntry[] = [];
  let at = 0;
  while (at < fields.length) {
    const faulty = (fault: Placeless<ListFault>): SignatureLists => ({ entries, fault: { ...fault, at: base + at } });
    if (at + HEADER > fields.length) return faulty({ code: "list-header-short" });
    const listBytes = fields.u32le(at + 16);
    const headerBytes = fields.u32le(at + 20);
    const entryBytes = fields.u32le(at + 24);
    if (listBytes < HEADER) return faulty({ code: "list-below-header", listBytes });
    if (listBytes > fields.length - at) return faulty({ code: "list-past-end", listBytes, left: fields.length - at });
    const room = listBytes - HEADER - headerBytes;
    if (headerBytes > listBytes - HEADER) return faulty({ code: "list-header-past-list" });
    if (entryBytes <= OWNER && room > 0) return faulty({ code: "entries-empty", entryBytes });
    if (room > 0 && room % entryBytes !== 0) return faulty({ code: "entries-uneven", room, entryBytes });
    const kind = KINDS[guid(fields, at)] ?? "unknown";
    for (let entry = at + HEADER + headerBytes; entry < at + listBytes; entry += entryBytes) {
      if (entries.length >= ENTRIES_MAX) return faulty({ code: "entries-too-many", most: ENTRIES_MAX });
      entries.push({
        owner: guid(fields, entry),
        kind,
        data: fields.slice(entry + OWNER, entryBytes - OWNER),
        at: entry,
      });
    }
    at += listBytes;
  }
  return { entries, fault: null };
}

const CERTIFICATE_DIGESTS = {
  "x509-sha256": { name: "sha256", bytes: 32 },
  "x509-sha384": { name: "sha384", bytes: 48 },
  "x509-sha512": { name: "sha512", bytes: 64 },
} as const;
type CertificateDigestEntry = SignatureEntry & { kind: keyof typeof CERTIFICATE_DIGESTS };

/** Whether an entry revokes a certificate by digest and not a program. UEFI 2.10, 32.4.1. */
export function isCertificateDigest(entry: SignatureEntry): entry is CertificateDigestEntry {
  return entry.kind in CERTIFICATE_DIGESTS;
}

/**
 * The digest of a certificate's to-be-signed part, lower-case hex, and whether it is revoked at all times: a
 * revocation time of zero (UEFI 2.10, 32.4.1, EFI_CERT_X509_SHA256).
 */
export function certificateDigest({ kind, data }: CertificateDigestEntry): {
  name: "sha256" | "sha384" | "sha512";
  digest: string;
  always: boolean;
} {
  const { name, bytes } = CERTIFICATE_DIGESTS[kind];
  return {
    name,
    digest: hex(data.subarray(0, bytes)),
    always: data.subarray(bytes, bytes + 16).every((byte) => byte === 0),
  };
}

/** Whether bytes begin as a signature list of a known kind does, and are one to the end. */
export function isSignatureLists(bytes: Uint8Array): boolean {
  if (bytes.length < HEADER || !(guid(new Fields(bytes), 0) in KINDS)) return false;
  return readSignatureLists(bytes).fault === null;
}
