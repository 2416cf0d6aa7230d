import type { SignatureFileFault } from "../formats/signature-file";

/** What is wrong with a file of signature lists, a sentence. */
export function listFaultText(fault: SignatureFileFault | { code: "not-base64" }): string {
  if (fault.code === "not-base64") return "It is not base64.";
  return fault.code === "file-empty" ? "The file is empty." : `At byte ${fault.at}: ${whatIsWrong(fault)}.`;
}

function whatIsWrong(fault: Exclude<SignatureFileFault, { code: "file-empty" }>): string {
  switch (fault.code) {
    case "list-header-short":
      return "a signature list begins, but fewer than 28 bytes are left";
    case "list-below-header":
      return `a signature list says it is ${fault.listBytes} bytes long, less than its own header`;
    case "list-past-end":
      return `a signature list of ${fault.listBytes} bytes reaches past the end (${fault.left} are left)`;
    case "list-header-past-list":
      return "a signature list's header is longer than the list";
    case "entries-empty":
      return `entries of ${fault.entryBytes} bytes hold nothing`;
    case "entries-uneven":
      return `${fault.room} bytes of entries are no whole number of entries of ${fault.entryBytes} bytes`;
    case "entries-too-many":
      return `more than ${fault.most} entries`;
    case "update-signature-past-end":
      return `the signature of the update says it is ${fault.length} bytes long, but ${fault.left} are left`;
    case "update-signature-unreadable":
      return "the signature of the update is no PKCS #7 data";
  }
}
