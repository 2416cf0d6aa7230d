import type { SignatureFault } from "../formats/signature-fault";
import type { ContainedSystem, Survey } from "../medium/contents/schema";
import { archText } from "./firmware";
import { visible } from "./visible";

const SIGNATURE_FAULTS: Record<SignatureFault, string> = {
  "not-pkcs7": "its data is damaged",
  "not-authenticode": "it is not a signature of a program",
  "signer-missing": "it does not carry its signer's certificate",
  "digest-differs": "it speaks for other content: the file was changed after signing",
  "attributes-differ": "its signed attributes do not fit",
  "signature-wrong": "it is not its signer's",
  "algorithm-unknown": "made with a method that is not checked here",
};

/** What is wrong with a signature, within a sentence. */
export function signatureFaultText(fault: SignatureFault): string {
  return SIGNATURE_FAULTS[fault];
}

const ROLES: Record<NonNullable<ContainedSystem["role"]>, string> = {
  installs: "can be installed",
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
  later: "too much for a quick look",
  damaged: "damaged, or its end is missing",
  "no-decoder": "compressed in a way that is not read here",
  "too-large": "larger than what is read",
};

/** Why a part of a medium was not read, within a sentence. */
export function unreadWhyText(why: Survey["unread"][number]["why"]): string {
  return UNREAD[why];
}
