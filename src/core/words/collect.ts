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
      return "It is empty.";
    case "too-large":
      return `It is too large for a tool's output (more than ${problem.mostBytes / 2 ** 20} MiB). ${KNOWN}`;
    case "not-text":
      return `It is neither text nor a signature list. ${KNOWN}`;
    case "begins-as-json":
      return `It begins as JSON but is not (${problem.told}).`;
    case "no-facts-file":
      return `As a facts file: ${factsProblemText(problem.problem)}.`;
    case "json-of-another-kind":
      return `It is JSON of another kind. ${KNOWN}`;
    case "not-recognised":
      return `It is not recognised. ${KNOWN}`;
    case "list-damaged":
      return `Its signature list is damaged. ${listFaultText(problem.fault)}`;
    case "list-unnamed":
      return "It holds signature lists, but neither name nor content says which they are. Name it db.esl, dbx.esl, KEK.esl or PK.esl.";
    case "variable-length":
      return `The variable ${problem.name} is one byte long; this is ${problem.bytes}.`;
    case "start-order-odd":
      return "The start order is a list of two-byte numbers; this has an odd length.";
    case "start-entry-cut":
      return `The start entry ${problem.entry} is cut short.`;
  }
}

/** What is to be known of a document that is taken in. */
export function documentNoteText(note: DocumentNote): string {
  switch (note.code) {
    case "sizes-rounded":
      return "Its sizes are rounded, and are taken as such. Run lsblk with --bytes, so that they are exact.";
    case "devices-nameless":
      return `${note.count} of the devices are listed without numbers. Run lspci with -nn, so that they are named.`;
    case "no-system-named":
      return "It names no system.";
    case "table-of-no-device":
      return "The table does not say of which device it is: its line “device:” is missing.";
    case "no-dmi-table":
      return "dmidecode found no table, or was not run as root.";
    case "no-dmi-block":
      return "No block of the table was found in it.";
    case "digests-only":
      return "It holds digests only, so it is taken for the list of what is revoked (dbx).";
    case "variable-not-kept":
      return `The variable ${note.name} holds nothing that Creel keeps.`;
  }
}

/** What of the facts at hand could not be kept, and what to do. */
export function leftOutFactText(left: LeftOut): string {
  return left.code === "disk-without-size"
    ? `The size of the disk ${left.disk} is not known: drop what lsblk --json says beside it.`
    : `${left.at}: ${left.told}.`;
}
