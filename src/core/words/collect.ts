import type { DocumentNote, DocumentProblem } from "../computer/collect/document";
import type { LeftOut } from "../computer/facts/paths";
import type { FactsProblem } from "../computer/facts/schema";
import { listFaultText } from "./signature-lists";

const KNOWN =
  "Creel reads creel.facts/1, lsblk --json, sfdisk --json or --dump, dmidecode, lspci -nn -mm -v, files of efivarfs, *.esl and os-release.";

/** Why something is no facts file: a part of a sentence, without its end. */
export function factsProblemText(problem: FactsProblem): string {
  switch (problem.code) {
    case "not-json":
      return `it is not JSON (${problem.told})`;
    case "other-schema":
      return `its "schema" is ${problem.declared ?? "missing"}, where "${problem.wanted}" is needed`;
    case "not-fitting":
      return `${problem.at ?? "the file"}: ${problem.told}`;
  }
}

/** Why a document is not taken in. */
export function documentProblemText(problem: DocumentProblem): string {
  switch (problem.code) {
    case "empty":
      return "Empty file.";
    case "too-large":
      return `Too large for a tool's output (more than ${problem.mostBytes / 2 ** 20} MiB). ${KNOWN}`;
    case "not-text":
      return `Neither text nor a signature list. ${KNOWN}`;
    case "begins-as-json":
      return `Starts as JSON but is not valid (${problem.told}).`;
    case "no-facts-file":
      return `As a facts file: ${factsProblemText(problem.problem)}.`;
    case "json-of-another-kind":
      return `Unknown kind of JSON. ${KNOWN}`;
    case "not-recognised":
      return `Not recognised. ${KNOWN}`;
    case "list-damaged":
      return `Its signature list is damaged. ${listFaultText(problem.fault)}`;
    case "list-unnamed":
      return "Signature lists of unknown variable. Name it db.esl, dbx.esl, KEK.esl or PK.esl.";
    case "variable-length":
      return `The variable ${problem.name} is one byte long; this is ${problem.bytes}.`;
    case "start-order-odd":
      return "The boot order is a list of two-byte numbers; this has an odd length.";
    case "start-entry-cut":
      return `The start entry ${problem.entry} is cut short.`;
  }
}

/** What is to be known of a document that is taken in. */
export function documentNoteText(note: DocumentNote): string {
  switch (note.code) {
    case "sizes-rounded":
      return "Sizes are rounded. Run lsblk with --bytes for exact ones.";
    case "devices-nameless":
      return `${note.count} of the devices are listed without numbers. Run lspci with -nn.`;
    case "no-system-named":
      return "No system named.";
    case "table-of-no-device":
      return "Device unknown: the line “device:” is missing.";
    case "no-dmi-table":
      return "dmidecode found no table, or was not run as root.";
    case "no-dmi-block":
      return "No table found.";
    case "digests-only":
      return "Hashes only, so read as the revocation list (dbx).";
    case "variable-not-kept":
      return `The variable ${note.name} is not used by Creel.`;
  }
}

/** What of the facts at hand could not be kept, and what to do. */
export function leftOutFactText(left: LeftOut): string {
  return left.code === "disk-without-size"
    ? `Size of disk ${left.disk} not recorded. Add the output of lsblk --json.`
    : `${left.at}: ${left.told}.`;
}
