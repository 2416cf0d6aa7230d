import type { WimFault } from "../formats/wim";

const PARTS = { contents: "list of contents", description: "description", integrity: "integrity table" };

/** What is wrong with an archive of system images, a sentence. */
export function wimFaultText(fault: WimFault): string {
  switch (fault.code) {
    case "ends-in-header":
      return "The file ends inside its header.";
    case "cut-short":
      return `Its ${PARTS[fault.part]} should be at byte ${fault.at}, but the file ends at ${fault.fileBytes}: it was cut short.`;
    case "image-counts-differ":
      return `Its header counts ${fault.header} images, its description ${fault.description}.`;
    case "description-too-long":
      return `Its description is ${fault.bytes} bytes long, which is not plausible.`;
    case "description-unreadable":
      return "Its description cannot be read: it is damaged or encrypted.";
    case "told-in-words":
      return fault.text;
  }
}
