import { readFileSync } from "node:fs";
import type { Workshop } from "../../scripts/media/workshop";
import { type Lists, readVariables } from "../../src/server/host/flash-variables";
import { certificateList, digestList, revokedCertificateList } from "./keys";
import { PROGRAMS } from "./programs";

const NONE = new Uint8Array(0);
const join = (...lists: Uint8Array[]) => new Uint8Array(Buffer.concat(lists));
const by = (w: Workshop, ...names: string[]) => join(...names.map((name) => certificateList(w, name)));

/** A computer with an owner, Secure Boot on, the northern authority allowed and nothing revoked; changed as wished. */
const lists =
  (wish: (w: Workshop) => Partial<Lists> = () => ({})) =>
  (w: Workshop): Lists => ({
    pk: certificateList(w, "owner"),
    kek: certificateList(w, "exchange"),
    db: certificateList(w, "northCa"),
    dbx: NONE,
    sbatLevel: "",
    enabled: true,
    ...wish(w),
  });

/** The lists that computers are commonly sold with, as Debian's package of the reference firmware has them. */
function soldWith(): Lists {
  const variables = readVariables(readFileSync("/usr/share/OVMF/OVMF_VARS_4M.ms.fd"));
  const list = (name: string) => variables.find((each) => each.name === name)?.data ?? NONE;
  return { pk: list("PK"), kek: list("KEK"), db: list("db"), dbx: list("dbx"), sbatLevel: "", enabled: true };
}

/** Secure Boot as emulated computers have it, by name. */
export const SET_UPS = {
  north: lists(),
  "as-sold": soldWith,
  "north-off": lists(() => ({ enabled: false })),
  "set-up-mode": lists((w) => ({ pk: NONE, kek: NONE, dbx: certificateList(w, "northCa") })),
  south: lists((w) => ({ db: by(w, "southCa") })),
  both: lists((w) => ({ db: by(w, "northCa", "southCa") })),
  "own-signer": lists((w) => ({ db: by(w, "north") })),
  middle: lists((w) => ({ db: by(w, "middleCa") })),
  stranger: lists((w) => ({ db: by(w, "stranger") })),
  ended: lists((w) => ({ db: by(w, "endedCa") })),
  curve: lists((w) => ({ db: by(w, "curveCa") })),
  "north-and-curve": lists((w) => ({ db: by(w, "northCa", "curveCa") })),
  "curve-revoked": lists((w) => ({ dbx: by(w, "curveCa") })),
  plain: lists((w) => ({ db: by(w, "plain") })),
  "exchange-only": lists((w) => ({ db: by(w, "southCa"), kek: by(w, "northCa"), pk: by(w, "northCa") })),
  "empty-db": lists(() => ({ db: NONE })),
  "digest-of-unsigned": lists((w) => ({ db: digestList(PROGRAMS.unsigned(w)) })),
  "digest-of-changed": lists((w) => ({ db: digestList(PROGRAMS.changed(w)) })),
  "digest-revoked": lists((w) => ({ dbx: digestList(PROGRAMS.unsigned(w)) })),
  "digest-allowed-and-revoked": lists((w) => ({
    db: join(by(w, "northCa"), digestList(PROGRAMS.unsigned(w))),
    dbx: digestList(PROGRAMS.unsigned(w)),
  })),
  "signer-revoked": lists((w) => ({ dbx: by(w, "north") })),
  "authority-revoked": lists((w) => ({ dbx: by(w, "northCa") })),
  "south-revoked": lists((w) => ({ db: by(w, "northCa", "southCa"), dbx: by(w, "southCa") })),
  "south-signer-revoked": lists((w) => ({ dbx: by(w, "south") })),
  "middle-revoked": lists((w) => ({ dbx: by(w, "middleCa") })),
  "signer-revoked-by-digest": lists((w) => ({ dbx: revokedCertificateList(w, "north") })),
  "authority-revoked-by-digest": lists((w) => ({ dbx: revokedCertificateList(w, "northCa") })),
  "middle-revoked-by-digest": lists((w) => ({ dbx: revokedCertificateList(w, "middleCa") })),
  "stranger-revoked": lists((w) => ({ dbx: by(w, "stranger") })),
  "false-revoked": lists((w) => ({ dbx: by(w, "falseCa") })),
  // For first-stage loaders.
  "level-old": lists(() => ({ sbatLevel: "sbat,1,2021030218\n" })),
  "level-grub-5": lists(() => ({ sbatLevel: "sbat,1,2099010100\nshim,4\ngrub,5\n" })),
  "level-grub-99": lists(() => ({ sbatLevel: "sbat,1,2099010100\nshim,4\ngrub,99\n" })),
  "level-shim-99": lists(() => ({ sbatLevel: "sbat,1,2099010100\nshim,99\n" })),
  "level-other": lists(() => ({ sbatLevel: "sbat,1,2099010100\nshim,1\nother,7\n" })),
  "level-grub-99-long-ago": lists(() => ({ sbatLevel: "sbat,1,2019010100\nshim,1\ngrub,99\n" })),
  "second-stage-revoked": lists((w) => ({ dbx: digestList(PROGRAMS.vendorGrub(w)) })),
  "second-signer-revoked": lists((w) => ({ db: by(w, "northCa", "southCa"), dbx: by(w, "south") })),
  "second-signer-revoked-by-digest": lists((w) => ({
    db: by(w, "northCa", "southCa"),
    dbx: revokedCertificateList(w, "south"),
  })),
  "second-stage-digest": lists((w) => ({ db: join(by(w, "northCa"), digestList(PROGRAMS.witness(w))) })),
  "level-grub-99-off": lists(() => ({ enabled: false, sbatLevel: "sbat,1,2099010100\nshim,4\ngrub,99\n" })),
} satisfies Record<string, (w: Workshop) => Lists>;
export type SetUpName = keyof typeof SET_UPS;
