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
  if (how.by === "digest") return `${who} allows ${file} by its hash.`;
  const through = how.signer === how.anchor ? how.signer : `${how.signer}, issued by ${how.anchor}`;
  const note = how.leniency
    ? " Worth a drill: a certificate in its chain is revoked by its hash, which the reference firmware ignores."
    : "";
  return `${who} allows ${file}: it is signed by ${through}.${note}`;
}

/** Why a program is refused, as the second half of a sentence. */
export function refusalText(refusal: Refusal): string {
  switch (refusal.why) {
    case "digest-revoked":
      return "this file is revoked (its hash is in dbx)";
    case "certificate-revoked":
      return `its signature leads to ${refusal.name}, which is revoked (dbx)`;
    case "not-signed":
      return "it is not signed, and its hash is not allowed (db)";
    case "signer-not-trusted":
      return refusal.signers.length > 0
        ? `no allowed certificate covers its signer ${refusal.signers.join(", ")}`
        : "no allowed certificate covers its signer";
    case "signature-damaged":
      return "its signature does not match the file, and its hash is not allowed (db)";
    case "curve-key":
      return `it is signed by ${refusal.signers.join(", ")} with a key on an elliptic curve, which the reference firmware does not support`;
    case "table-damaged":
      return "the table of its signatures is damaged";
    case "sbat-missing":
      return "its generation is missing (SBAT)";
    case "sbat-revoked":
      return `its ${refusal.component} is of generation ${refusal.generation}, and ${refusal.least} is the minimum (SBAT)`;
  }
}

/** Which fact keeps a loader from being judged, in a sentence. */
export function undecidedText({ file, undecided }: { file: string; undecided: Undecided }): string {
  switch (undecided) {
    case "db":
    case "dbx":
    case "sbatLevel":
      return `Not recorded: ${factText(`firmware.secureBoot.${undecided}`)}. It decides whether ${file} runs.`;
    case "signatures":
      return `Signatures of ${file} not read. Read the medium again.`;
    case "revocation-time":
      return `A certificate of ${file} is revoked from a certain time on; the time of signing is not recorded.`;
    case "algorithm":
      return `${file} is signed by an algorithm that Creel does not support.`;
  }
}
