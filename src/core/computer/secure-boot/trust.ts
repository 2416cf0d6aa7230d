import { LRUCache } from "lru-cache";
import { type Certificate, parseCertificate } from "../../crypto/certificate";
import { derOf } from "../../crypto/der";
import { type IssuingFault, issuingFault } from "../../crypto/issuing";
import { type DigestName, digestOf } from "../../crypto/rsa";
import { certificateDigest, isCertificateDigest, readSignatureLists } from "../../formats/efi-signature-list";
import { fromBase64 } from "../../kernel/base64";
import { hex } from "../../kernel/fields";

/** A certificate with the digests that lists name it by. */
export interface KnownCertificate {
  /** SHA-256 of its DER. */
  id: string;
  certificate: Certificate;
  /** Digest of its to-be-signed part by kind. */
  tbsDigest(name: DigestName): string;
}

/** One of a computer's lists (`db` or `dbx`) or of a first stage's own, ready to be looked into. */
export interface TrustList {
  certificates: KnownCertificate[];
  /** Digests of programs: "sha256 …". */
  digests: Set<string>;
  /** Digests of certificates' to-be-signed parts: "sha256 …"; the value tells whether it counts at all times. */
  certificateDigests: Map<string, boolean>;
}

export const EMPTY_LIST: TrustList = { certificates: [], digests: new Set(), certificateDigests: new Map() };

function knownCertificate(certificate: Certificate): KnownCertificate {
  const tbs = derOf(certificate.tbs);
  const digests = new Map<DigestName, string>();
  return {
    id: digestOf("sha256", derOf(certificate.der)),
    certificate,
    tbsDigest(name) {
      const digest = digests.get(name) ?? digestOf(name, tbs);
      digests.set(name, digest);
      return digest;
    },
  };
}

/** Fleets share their lists and media their certificates: each is taken apart once. Content-addressed, never stale. */
const lists = new LRUCache<string, TrustList>({ max: 200 });
const certificates = new LRUCache<string, KnownCertificate | "unreadable">({ max: 5000 });

function kept<V extends {}>(cache: LRUCache<string, V>, key: string, make: () => V): V {
  const keptTrust = cache.get(key);
  if (keptTrust !== undefined) return keptTrust;
  const value = make();
  cache.set(key, value);
  return value;
}

/** A list as facts hold it: EFI_SIGNATURE_LIST structures in base64. What cannot be read of it is not in it. */
export function trustList(base64: string): TrustList {
  return kept(lists, base64, () => readTrustList(fromBase64(base64) ?? new Uint8Array(0)));
}

function readTrustList(bytes: Uint8Array): TrustList {
  const list: TrustList = { certificates: [], digests: new Set(), certificateDigests: new Map() };
  for (const entry of readSignatureLists(bytes).entries) {
    if (entry.kind === "x509") {
      const certificate = parseCertificate(entry.data);
      if (certificate) list.certificates.push(knownCertificate(certificate));
    } else if (isCertificateDigest(entry)) {
      const { name, digest, always } = certificateDigest(entry);
      const key = `${name} ${digest}`;
      list.certificateDigests.set(key, always || (list.certificateDigests.get(key) ?? false));
    } else list.digests.add(`${entry.kind} ${hex(entry.data)}`);
  }
  return list;
}

/** A certificate that a medium's programs carry, from its DER in base64. */
export function carriedCertificate(id: string, base64: string): KnownCertificate | null {
  const found = kept(certificates, id, () => {
    const certificate = parseCertificate(fromBase64(base64) ?? new Uint8Array(0));
    return certificate ? knownCertificate(certificate) : "unreadable";
  });
  return found === "unreadable" ? null : found;
}

const issued = new LRUCache<string, IssuingFault | "none">({ max: 20_000 });

function faultBetween(own: KnownCertificate, issuer: KnownCertificate): IssuingFault | "none" {
  const judge = () => issuingFault(own.certificate, issuer.certificate) ?? "none";
  return kept(issued, `${own.id} ${issuer.id}`, judge);
}

/** Certificates between a signer and its anchor; real chains have two or three. */
const CHAIN_MAX = 8;

export interface AnchorSearch {
  /** Certificates of the list that the signer is one of, or leads to. */
  anchors: KnownCertificate[];
  /** A certificate on the way is signed in a way that is not computed with here. */
  undecided: boolean;
  /** It would lead there, were keys on elliptic curves computed with. */
  byCurve: boolean;
}

/**
 * Where in a list a signer's certificate leads: to itself, or by way of what is carried to an issuer that the list
 * holds. A chain may end in any listed certificate, whether that is a root or not, and no dates are looked at, as
 * EDK2's Pkcs7Verify asks of OpenSSL (X509_V_FLAG_PARTIAL_CHAIN, X509_V_FLAG_NO_CHECK_TIME).
 */
export function findAnchors(
  signer: KnownCertificate,
  carried: KnownCertificate[],
  list: Pick<TrustList, "certificates">,
): AnchorSearch {
  const search: AnchorSearch = { anchors: [], undecided: false, byCurve: false };
  const visited = new Set<string>();
  const follow = (own: KnownCertificate, depth: number, byCurve: boolean): void => {
    if (visited.has(own.id) || depth > CHAIN_MAX) return;
    visited.add(own.id);
    // The OpenSSL of the reference firmware and of first-stage loaders is built without elliptic curves.
    const onwards = byCurve || own.certificate.issued?.scheme === "ecdsa";
    for (const listed of list.certificates) {
      const fault = listed.id === own.id ? "none" : faultBetween(own, listed);
      if (fault === "algorithm-unknown") search.undecided = true;
      if (fault !== "none") continue;
      if (listed.id === own.id ? byCurve : onwards) search.byCurve = true;
      else if (!search.anchors.includes(listed)) search.anchors.push(listed);
    }
    for (const next of carried) {
      if (next.id === own.id) continue;
      const fault = faultBetween(own, next);
      if (fault === "none") follow(next, depth + 1, onwards);
      if (fault === "algorithm-unknown") search.undecided = true;
    }
  };
  follow(signer, 0, signer.certificate.ecKey !== null);
  return search;
}
