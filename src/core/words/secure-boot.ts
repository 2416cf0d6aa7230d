import type { Allowed, Checker, Refusal, Undecided } from "../judging/model/allowance";
import { factText } from "./fact-names";

export const CHECKERS: Record<Checker, string> = {
  firmware: "Secure Boot",
  itself: "The first-stage loader itself",
  "first-stage": "The first-stage loader",
};

/** By what a loader is allowed, in a sentence. */
export function allowedText({ file, by, how }: { file: string; by: Checker; how: Allowed }): string {
  const who = CHECKERS[by];
  if (how.by === "digest") return `${who} allows ${file} by its digest.`;
  const through = how.signer === how.anchor ? how.signer : `${how.signer}, which ${how.anchor} vouches for`;
  const note = how.leniency
    ? " Worth a drill: a certificate on the way is revoked by its digest, which the reference firmware does not look at."
    : "";
  return `${who} allows ${file}: it is signed by ${through}.${note}`;
}

/** Why a program is refused, as the second half of a sentence. */
export function refusalText(refusal: Refusal): string {
  switch (refusal.why) {
    case "digest-revoked":
      return "this very file is revoked (its digest is in dbx)";
    case "certificate-revoked":
      return `its signature leads to ${refusal.name}, which is revoked (dbx)`;
    case "not-signed":
      return "it is not signed, and its digest is not among those allowed (db)";
    case "signer-not-trusted":
      return refusal.signers.length > 0
        ? `nothing that is allowed vouches for its signer ${refusal.signers.join(", ")}`
        : "nothing that is allowed vouches for its signer";
    case "signature-damaged":
      return "its signature does not fit the file, and its digest is not among those allowed (db)";
    case "curve-key":
      return `it is signed by ${refusal.signers.join(", ")} with a key on an elliptic curve, which the reference firmware does not compute with`;
    case "table-damaged":
      return "the table of its signatures is damaged";
    case "sbat-missing":
      return "it does not say of which generation it is (SBAT)";
    case "sbat-revoked":
      return `its ${refusal.component} is of generation ${refusal.generation}, and ${refusal.least} is the least that is still accepted (SBAT)`;
  }
}

/** Which fact keeps a loader from being judged, in a sentence. */
export function undecidedText({ file, undecided }: { file: string; undecided: Undecided }): string {
  switch (undecided) {
    case "db":
    case "dbx":
    case "sbatLevel":
      return `Not known of this computer: ${factText(`firmware.secureBoot.${undecided}`)}. Whether it runs ${file} depends on it.`;
    case "signatures":
      return `The signatures of ${file} were not read: read the medium again.`;
    case "revocation-time":
      return `A certificate of ${file} is revoked from a certain time on, and whether it was signed before is not known.`;
    case "algorithm":
      return `${file} is signed by an algorithm that Creel does not compute with.`;
  }
}
