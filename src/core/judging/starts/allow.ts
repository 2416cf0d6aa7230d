import { readSbatLevel, revokedBySbat, type SbatRow, sbatDay } from "../../computer/secure-boot/sbat";
import {
  carriedCertificate,
  EMPTY_LIST,
  findAnchors,
  type KnownCertificate,
  type TrustList,
  trustList,
} from "../../computer/secure-boot/trust";
import { itemAt } from "../../kernel/item-at";
import type { FirstStage, Loader, LoaderSigning } from "../../medium/firmware/uefi/view";
import type { Allowance, Refusal, Undecided } from "../model/allowance";

/** What a computer's Secure Boot goes by; null: not known. */
export interface SecureBootLists {
  db: TrustList | null;
  dbx: TrustList | null;
  /** The stored SBAT level, as text; "" where none is stored. */
  sbatLevel: string | null;
}

/** Lists as facts hold them, taken apart. */
export function secureBootLists(
  facts: { db: string | null; dbx: string | null; sbatLevel: string | null } | null,
): SecureBootLists {
  return {
    db: facts?.db == null ? null : trustList(facts.db),
    dbx: facts?.dbx == null ? null : trustList(facts.dbx),
    sbatLevel: facts?.sbatLevel ?? null,
  };
}

const refused = (refusal: Refusal): Allowance => ({ allowed: false, refusal });
const undecided = (what: Undecided): Allowance => ({ allowed: null, undecided: what });

/** Gives a certificate of the medium by its name; null where it cannot be read. */
export type CertificateOf = (id: string) => KnownCertificate | null;

/**
 * Certificates by their id, from DER in base64 as an inspection carries them; null for an id that it does not carry.
 */
export function certificatesOf(store: Record<string, string> | undefined): CertificateOf {
  return (id) => {
    const der = store?.[id];
    return der === undefined ? null : carriedCertificate(id, der);
  };
}

/**
 * Whether firmware with Secure Boot on runs a program. UEFI 2.10, 32.5; where that leaves room as the reference
 * firmware does it (EDK2 SecurityPkg, DxeImageVerificationLib): entries of the certificate table in order, one trusted
 * signer is enough, one revoked is too many; nothing revoked is outweighed; dates are not looked at.
 */
export function allowedByFirmware(
  signing: LoaderSigning | null,
  certificateOf: CertificateOf,
  { db, dbx }: Pick<SecureBootLists, "db" | "dbx">,
): Allowance {
  if (!signing) return undecided("signatures");
  const listed = new Listed(signing, certificateOf);
  if (!signing.signed) {
    const { sha256 } = signing.digests;
    if (sha256 === undefined) return refused({ why: "signature-damaged" });
    if (dbx?.digests.has(`sha256 ${sha256}`)) return refused({ why: "digest-revoked" });
    if (!db) return undecided("db");
    if (!db.digests.has(`sha256 ${sha256}`)) return refused({ why: "not-signed" });
    return dbx ? { allowed: true, by: "digest" } : undecided("dbx");
  }
  let found: Allowance | null = null;
  let unsure: Undecided | null = null;
  let isUsable = false;
  for (const entry of signing.entries) {
    const digest = entry.digestName && signing.digests[entry.digestName];
    if (!digest) continue;
    isUsable = true;
    const signers = listed.signersOf(entry);
    if (dbx) {
      const revoked = listed.revokedSigner(entry, dbx) ?? signers.find((each) => isRevoked(each, dbx) === true);
      if (revoked) return refused({ why: "certificate-revoked", name: revoked.certificate.subject });
      if (signers.some((each) => isRevoked(each, dbx) === "at-times")) unsure = "revocation-time";
      if (dbx.digests.has(`${entry.digestName} ${digest}`)) return refused({ why: "digest-revoked" });
    }
    if (db && !found) {
      const trust = listed.trust(entry, db, dbx);
      if (trust.allowance) found = trust.allowance;
      else if (trust.unsure) unsure ??= trust.unsure;
      if (!found && db.digests.has(`${entry.digestName} ${digest}`)) found = { allowed: true, by: "digest" };
    }
  }
  if (signing.tableCut) return refused({ why: "table-damaged" });
  if (!db && isUsable) return undecided("db");
  if (found && !dbx) return undecided("dbx");
  if (found) return unsure === "revocation-time" ? undecided(unsure) : found;
  if (unsure) return undecided(unsure);
  if (db) {
    const revoked = dbx && listed.revokedAnchor(db, dbx);
    if (revoked) return refused({ why: "certificate-revoked", name: revoked.certificate.subject });
  }
  return refused(listed.whyNot(db ?? EMPTY_LIST));
}

type Entry = LoaderSigning["entries"][number];

/** The certificate table of one program, looked up in lists. */
class Listed {
  constructor(
    private readonly signing: LoaderSigning,
    private readonly certificateOf: CertificateOf,
  ) {}

  signersOf(entry: Entry): KnownCertificate[] {
    return entry.signers.flatMap((id) => this.certificateOf(id) ?? []);
  }

  /** Certificates of a list that every signer of an entry leads to; none where its signature is not whole. */
  private anchorsOf(entry: Entry, list: Pick<TrustList, "certificates">) {
    const signers = this.signersOf(entry);
    const carried = entry.carried.flatMap((id) => this.certificateOf(id) ?? []);
    if (entry.fault !== null || signers.length === 0)
      return { anchors: [], undecided: entry.fault === "algorithm-unknown" && signers.length > 0, byCurve: false };
    const searches = signers.map((signer) => findAnchors(signer, carried, list));
    const first = itemAt(searches, 0);
    return {
      anchors: first.anchors.filter((anchor) => searches.every((each) => each.anchors.includes(anchor))),
      undecided: searches.some((each) => each.undecided),
      byCurve: searches.some((each) => each.byCurve),
    };
  }

  /** A certificate in `dbx` that the entry leads to. */
  revokedSigner(entry: Entry, dbx: TrustList): KnownCertificate | null {
    return this.anchorsOf(entry, dbx).anchors[0] ?? null;
  }

  trust(entry: Entry, db: TrustList, dbx: TrustList | null): { allowance: Allowance | null; unsure: Undecided | null } {
    const { anchors, undecided: open } = this.anchorsOf(entry, db);
    const good = anchors.find((anchor) => !dbx || isRevoked(anchor, dbx) === false);
    const signer = this.signersOf(entry)[0];
    if (good && signer) {
      const leniency = dbx !== null && this.passesRevoked(entry, dbx);
      return {
        allowance: {
          allowed: true,
          by: "certificate",
          signer: signer.certificate.subject,
          anchor: good.certificate.subject,
          notAfter: earliest(signer, good),
          leniency,
        },
        unsure: null,
      };
    }
    if (dbx && anchors.some((anchor) => isRevoked(anchor, dbx) === "at-times"))
      return { allowance: null, unsure: "revocation-time" };
    return { allowance: null, unsure: open ? "algorithm" : null };
  }

  /** A certificate between signer and anchor is revoked by digest, which the reference firmware does not look at. */
  private passesRevoked(entry: Entry, dbx: TrustList): boolean {
    return entry.carried.some((id) => {
      const certificate = this.certificateOf(id);
      return certificate !== null && isRevoked(certificate, dbx) === true;
    });
  }

  /** The certificate in `db` that would have allowed it, had `dbx` not named its digest. */
  revokedAnchor(db: TrustList, dbx: TrustList): KnownCertificate | null {
    for (const entry of this.signing.entries)
      for (const anchor of this.anchorsOf(entry, db).anchors) if (isRevoked(anchor, dbx) === true) return anchor;
    return null;
  }

  whyNot(db: TrustList): Refusal {
    const whole = this.signing.entries.filter((entry) => entry.fault === null);
    if (whole.length === 0) return { why: "signature-damaged" };
    const names = (entries: Entry[]) => [
      ...new Set(entries.flatMap((entry) => this.signersOf(entry).map((each) => each.certificate.subject))),
    ];
    const byCurve = whole.filter((entry) => this.anchorsOf(entry, db).byCurve);
    if (byCurve.length > 0) return { why: "curve-key", signers: names(byCurve) };
    return { why: "signer-not-trusted", signers: names(whole) };
  }
}

/** Whether `dbx` names a certificate by the digest of its to-be-signed part; from some time on only, or always. */
function isRevoked(own: KnownCertificate, dbx: TrustList): boolean | "at-times" {
  let found: boolean | "at-times" = false;
  for (const name of ["sha256", "sha384", "sha512"] as const) {
    const always = dbx.certificateDigests.get(`${name} ${own.tbsDigest(name)}`);
    if (always) return true;
    if (always === false) found = "at-times";
  }
  return found;
}

function earliest(...of: KnownCertificate[]): string {
  return itemAt(of.map((each) => each.certificate.notAfter).sort(), 0);
}

/** The level that a first stage holds others to: the stored one, or its own where that is of a later day. */
export function levelInForce(stored: string, own: string): SbatRow[] {
  return readSbatLevel(sbatDay(stored) >= sbatDay(own) ? stored : own);
}

/** Whether a program's rows satisfy the level; undecided where the stored one is not known and might ask for more. */
function allowedBySbat(rows: SbatRow[], stored: string | null, own: string): Allowance | null {
  const [revoked] = revokedBySbat(rows, levelInForce(stored ?? "", own));
  if (revoked) {
    const { component, generation, least } = revoked;
    return refused({ why: "sbat-revoked", component, generation, least });
  }
  return stored === null ? undecided("sbatLevel") : null;
}

/** Whether a first stage lets itself run: it holds its own rows against the level (shim.c, `efi_main`). */
export function allowedBySelf(first: Loader, stored: string | null): Allowance | null {
  const ownLevel = first.firstStage?.sbatLevel ?? null;
  return ownLevel === null || !first.sbat ? null : allowedBySbat(first.sbat, stored, ownLevel);
}

/**
 * Whether a first stage runs the next one (the shim boot loader's shim.c, `verify_buffer`): SBAT first, then what is
 * revoked by its own lists or by `dbx`, then what `db` or its own lists allow. It does not look at digests of
 * certificates. Keys that an owner enrolled for it are not among a computer's facts.
 */
export function allowedByFirstStage(
  first: FirstStage | null,
  second: Loader,
  certificateOf: CertificateOf,
  { db, dbx, sbatLevel }: SecureBootLists,
): Allowance {
  const { signing } = second;
  if (!first || !signing) return undecided("signatures");
  const level = first.sbatLevel;
  if (level !== null && !second.sbat) return refused({ why: "sbat-missing" });
  const sbat = level === null || !second.sbat ? null : allowedBySbat(second.sbat, sbatLevel, level);
  if (sbat?.allowed === false) return sbat;
  // It computes with SHA-256 alone.
  const entries = signing.entries.filter((entry) => entry.digestName === "sha256");
  const lists = ownLists(first, certificateOf);
  const bySignature = allowedByOwnLists({ ...signing, entries }, certificateOf, lists, { db, dbx });
  return bySignature.allowed && sbat ? sbat : bySignature;
}

function ownLists(first: FirstStage, certificateOf: CertificateOf) {
  const list = (ids: string[], digests: string[]): TrustList => ({
    ...EMPTY_LIST,
    certificates: ids.flatMap((id) => certificateOf(id) ?? []),
    digests: new Set(digests.map((digest) => `sha256 ${digest}`)),
  });
  return { allowed: list(first.allowed, first.allowedDigests), revoked: list(first.revoked, first.revokedDigests) };
}

/** It goes from signature to signature until one is good; a revoked one does not spoil the others. */
function allowedByOwnLists(
  signing: LoaderSigning,
  certificateOf: CertificateOf,
  own: { allowed: TrustList; revoked: TrustList },
  lists: Pick<SecureBootLists, "db" | "dbx">,
): Allowance {
  const answers = signing.signed
    ? signing.entries.map((entry) => allowedByOne({ ...signing, entries: [entry] }, certificateOf, own, lists))
    : [allowedByOne(signing, certificateOf, own, lists)];
  return (
    answers.find((each) => each.allowed === true) ??
    answers.find((each) => each.allowed === null) ??
    answers[0] ??
    refused({ why: "signature-damaged" })
  );
}

function allowedByOne(
  signing: LoaderSigning,
  certificateOf: CertificateOf,
  own: { allowed: TrustList; revoked: TrustList },
  { db, dbx }: Pick<SecureBootLists, "db" | "dbx">,
): Allowance {
  const bare = (list: TrustList | null) => list && { ...list, certificateDigests: EMPTY_LIST.certificateDigests };
  const merged = (a: TrustList, b: TrustList): TrustList => ({
    ...EMPTY_LIST,
    certificates: [...a.certificates, ...b.certificates],
    digests: new Set([...a.digests, ...b.digests]),
  });
  const revoked = bare(dbx);
  // What is known to be revoked is refused whatever the other lists hold.
  const byFirmware = allowedByFirmware(signing, certificateOf, {
    db: db ? merged(own.allowed, db) : own.allowed,
    dbx: merged(own.revoked, revoked ?? EMPTY_LIST),
  });
  if (byFirmware.allowed === true) return revoked ? byFirmware : undecided("dbx");
  if (byFirmware.allowed === false && !db && mightBeListed(byFirmware.refusal)) return undecided("db");
  return byFirmware;
}

/** Whether another `db` than a first stage's own lists could allow what these do not. */
function mightBeListed({ why }: Refusal): boolean {
  return why === "not-signed" || why === "signer-not-trusted" || why === "signature-damaged";
}
