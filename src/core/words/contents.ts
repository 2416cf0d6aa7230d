import type { SignatureFault } from "../formats/signature-fault";
import type { ContainedSystem, Survey } from "../medium/contents/schema";
import { archText } from "./firmware";
import { visible } from "./visible";

const SIGNATURE_FAULTS: Record<SignatureFault, string> = {
  "not-pkcs7": "its data is damaged",
  "not-authenticode": "not a program signature",
  "signer-missing": "it does not carry its signer's certificate",
  "digest-differs": "it covers other content: the file was changed after signing",
  "attributes-differ": "signed attributes do not match",
  "signature-wrong": "it is not its signer's",
  "algorithm-unknown": "unsupported signature method",
};

/** What is wrong with a signature, within a sentence. */
export function signatureFaultText(fault: SignatureFault): string {
  return SIGNATURE_FAULTS[fault];
}

const ROLES: Record<NonNullable<ContainedSystem["role"]>, string> = {
  installs: "installable",
  runs: "runs from the medium",
  installed: "is installed on it",
};

/** A system on a medium in one line. */
export function systemText(system: ContainedSystem): string {
  const parts = [
    visible(system.name),
    system.version && !system.name.includes(system.version) ? visible(system.version) : null,
    system.edition ? `edition ${visible(system.edition)}` : null,
    system.arch ? archText(system.arch) : null,
    system.language ? visible(system.language) : null,
    system.role ? ROLES[system.role] : null,
  ];
  return parts.filter((part) => part !== null).join(", ");
}

const UNREAD: Record<Survey["unread"][number]["why"], string> = {
  later: "too much for a quick reading",
  damaged: "damaged, or its end is missing",
  "no-decoder": "unsupported compression",
  "too-large": "too large to read",
};

/** Why a part of a medium was not read, within a sentence. */
export function unreadWhyText(why: Survey["unread"][number]["why"]): string {
  return UNREAD[why];
}
