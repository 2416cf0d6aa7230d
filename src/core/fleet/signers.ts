import { findAnchors, type KnownCertificate, type TrustList, trustList } from "../computer/secure-boot/trust";
import { allowedByFirmware, certificatesOf } from "../judging/starts/allow";
import { ARCHITECTURES } from "../kernel/architecture";
import { itemAt } from "../kernel/item-at";
import type { LoaderSigning, UefiView } from "../medium/firmware/uefi/view";
import type { Views } from "../medium/inspection/schema";
import type { World } from "./world";

/** A certificate that computers allow, and what rests on it. */
export interface FleetSigner {
  /** SHA-256 of the certificate. */
  id: string;
  name: string;
  /** ISO 8601. */
  notAfter: string;
  /** Computers that ask for signatures and allow it: in `db`, and not revoked. */
  allowing: number;
  /** Of those whose lists are known: it is revoked on so many. */
  revoking: number;
  /** Tags of media with a loader that it vouches for, and of those for which nothing else does that any computer allows. */
  media: string[];
  alone: string[];
}

export interface FleetSigners {
  signers: FleetSigner[];
  /** Computers that ask for signatures (Secure Boot on), and those of them whose `db` is known. */
  asking: number;
  known: number;
  /** Media with loaders for UEFI none of which any of those computers allows. */
  unvouched: string[];
}

/**
 * Which certificates the fleet's media rest on, against what its computers allow. UEFI 2.10, 32.5: a loader may run
 * where any certificate that its signatures lead to is in `db` and none is in `dbx`.
 */
export function fleetSigners(world: Pick<World, "computers" | "media">): FleetSigners {
  const asking = world.computers.filter(
    ({ facts: { firmware } }) =>
      firmware.kind === "uefi" && firmware.legacyMode !== "on" && firmware.secureBoot?.state === "on",
  );
  const withLists = asking.filter(({ facts }) => facts.firmware.secureBoot?.db != null);
  const all = new Map<string, { certificate: KnownCertificate; allowing: number; revoking: number }>();
  // Fleets share their lists: each different pair is looked through once.
  const pairs = new Map<string, { db: string; dbx: string; count: number }>();
  for (const { facts } of withLists) {
    const { db, dbx } = facts.firmware.secureBoot as { db: string; dbx: string | null };
    const key = `${db}\n${dbx}`;
    const pair = pairs.get(key) ?? { db, dbx: dbx ?? "", count: 0 };
    pair.count++;
    pairs.set(key, pair);
  }
  for (const { db, dbx, count } of pairs.values()) {
    const revoked = trustList(dbx);
    for (const certificate of trustList(db).certificates) {
      const entry = all.get(certificate.id) ?? { certificate, allowing: 0, revoking: 0 };
      if (isRevoked(certificate, revoked)) entry.revoking += count;
      else entry.allowing += count;
      all.set(certificate.id, entry);
    }
  }
  const list: Pick<TrustList, "certificates"> = { certificates: [...all.values()].map((each) => each.certificate) };
  const lists = [...pairs.values()].map(({ db, dbx }) => ({ db: trustList(db), dbx: trustList(dbx) }));
  const anchorsOf = memoisedByKey(list, lists);
  const media = new Map<string, string[]>();
  const alone = new Map<string, string[]>();
  const unvouched: string[] = [];
  for (const { part, views } of world.media) {
    const found = views && anchorsOf(views.key, views.views);
    if (!found) continue;
    const usable = found.anchors.filter((id) => (all.get(id)?.allowing ?? 0) > 0);
    if (!found.allowed) unvouched.push(part.tag);
    for (const id of found.anchors) add(media, id, part.tag);
    if (found.allowed && usable.length === 1) add(alone, itemAt(usable, 0), part.tag);
  }
  const signers = [...all].map(
    ([id, { certificate, allowing, revoking }]): FleetSigner => ({
      id,
      name: certificate.certificate.subject,
      notAfter: certificate.certificate.notAfter,
      allowing,
      revoking,
      media: media.get(id) ?? [],
      alone: alone.get(id) ?? [],
    }),
  );
  signers.sort((a, b) => b.media.length - a.media.length || b.allowing - a.allowing || (a.name < b.name ? -1 : 1));
  return { signers, asking: asking.length, known: withLists.length, unvouched };
}

function isRevoked(certificate: KnownCertificate, dbx: TrustList): boolean {
  return (
    dbx.certificates.some((each) => each.id === certificate.id) ||
    (["sha256", "sha384", "sha512"] as const).some((name) =>
      dbx.certificateDigests.has(`${name} ${certificate.tbsDigest(name)}`),
    )
  );
}

/** What vouches for the loaders of a medium, and whether any computer's lists allow one of them, all told. */
interface Vouched {
  anchors: string[];
  allowed: boolean;
}

/** Null where a medium has no loaders for UEFI. */
function memoisedByKey(
  list: Pick<TrustList, "certificates">,
  lists: { db: TrustList; dbx: TrustList }[],
): (key: string, views: Views) => Vouched | null {
  const vouchedById = new Map<string, Vouched | null>();
  return (key, views) => {
    const before = vouchedById.get(key);
    if (before !== undefined) return before;
    const certificateOf = certificatesOf(views.certificates);
    const loaders = [views.uefi.usb, views.uefi.optical].flatMap(signingsOf);
    const found = new Set<string>();
    for (const { entries } of loaders)
      for (const { fault, signers, carried } of entries) {
        if (fault !== null) continue;
        const carriedHere = carried.flatMap((id) => certificateOf(id) ?? []);
        for (const signer of signers.flatMap((id) => certificateOf(id) ?? []))
          for (const anchor of findAnchors(signer, carriedHere, list).anchors) found.add(anchor.id);
      }
    const isAllowed = (signing: LoaderSigning) =>
      lists.some((own) => allowedByFirmware(signing, certificateOf, own).allowed === true);
    const value = loaders.length === 0 ? null : { anchors: [...found], allowed: loaders.some(isAllowed) };
    vouchedById.set(key, value);
    return value;
  };
}

function signingsOf(view: UefiView): LoaderSigning[] {
  return view.volumes.flatMap(({ files }) => ARCHITECTURES.flatMap((arch) => files[arch]?.loader.signing ?? []));
}

function add(map: Map<string, string[]>, key: string, tag: string): void {
  map.set(key, [...(map.get(key) ?? []), tag]);
}
