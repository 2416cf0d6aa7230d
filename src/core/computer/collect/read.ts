import { isSignatureLists } from "../../formats/efi-signature-list";
import { isOsRelease } from "../../formats/os-release";
import { isRecord } from "../../kernel/stated-values";
import type { Observation } from "../facts/merge";
import { type FactValue, pathPart } from "../facts/paths";
import { readFacts } from "../facts/schema";
import { isCim, readCim } from "./cim";
import { isDmidecode, readDmidecode } from "./dmidecode";
import { type Document, type DocumentReading, type Told, told } from "./document";
import { asVariableFile, readEfiVariable, readSignatureListFile } from "./efi-variable";
import { isLsblk, readLsblk } from "./lsblk";
import { isLspci, readLspci } from "./lspci";
import { systemFacts } from "./os-release";
import { isSfdiskDump, isSfdiskJson, readSfdiskDump, readSfdiskJson } from "./sfdisk";

/** More than any of these outputs has; what is larger is something else. */
const DOCUMENT_BYTES_MAX = 16 * 2 ** 20;

/** Recognises a document by its content and reads it. Never throws. */
export function readDocument(document: Document): DocumentReading {
  const { bytes } = document;
  if (bytes.length === 0) return { ok: false, problem: { code: "empty" } };
  if (bytes.length > DOCUMENT_BYTES_MAX)
    return { ok: false, problem: { code: "too-large", mostBytes: DOCUMENT_BYTES_MAX } };
  const variable = asVariableFile(document);
  if (variable) {
    const reading = readEfiVariable(variable);
    return "code" in reading
      ? { ok: false, problem: reading }
      : told({ ...document, name: "" }, "efi-variable", reading, `EFI variable ${variable.name || document.name}`);
  }
  // By content before names: files are renamed on their way, and their bytes are not.
  if (isSignatureLists(bytes) || /\.esl$/i.test(document.name)) {
    const reading = readSignatureListFile(document);
    return "code" in reading
      ? { ok: false, problem: reading }
      : told(document, "signature-list", reading, "signature list");
  }
  const text = asText(bytes);
  if (text === null) return { ok: false, problem: { code: "not-text" } };
  return readText(document, text);
}

/** UTF-8, or UTF-16 with its mark as some shells write it. Null for what is no text. */
function asText(bytes: Uint8Array): string | null {
  const [first, second] = bytes;
  const label =
    first === 0xff && second === 0xfe ? "utf-16le" : first === 0xfe && second === 0xff ? "utf-16be" : "utf-8";
  const text = new TextDecoder(label).decode(bytes);
  return text.includes("\0") ? null : text;
}

function readText(document: Document, text: string): DocumentReading {
  // JSON tells itself; the order below is from the most to the least particular mark.
  const trimmed = text.trimStart();
  if (trimmed.startsWith("{") || trimmed.startsWith("[")) {
    let value: unknown;
    try {
      value = JSON.parse(trimmed);
    } catch (error) {
      return { ok: false, problem: { code: "begins-as-json", told: error instanceof Error ? error.message : "" } };
    }
    if (isLsblk(value)) return told(document, "lsblk", readLsblk(value), "lsblk");
    if (isSfdiskJson(value)) return told(document, "sfdisk-json", readSfdiskJson(value), "sfdisk");
    const cim = isCim(value) ? readCim(value) : null;
    if (cim) return told(document, "cim", cim, "creel-collect.ps1");
    if (isRecord(value) && "schema" in value) {
      const reading = readFacts(trimmed);
      if (!reading.ok) return { ok: false, problem: { code: "no-facts-file", problem: reading.problem } };
      const { facts } = reading;
      const complete = [
        ...(facts.disks ? ["disks", ...facts.disks.map((disk) => `disks/${pathPart(disk.name)}/partitions`)] : []),
      ];
      const made: Told = {
        facts,
        complete,
        at: facts.collected?.at ? new Date(facts.collected.at).toISOString() : null,
        by: facts.collected?.by ? "collector" : "file",
      };
      return told(document, "facts", made, facts.collected?.by ?? "facts file");
    }
    return { ok: false, problem: { code: "json-of-another-kind" } };
  }
  if (isSfdiskDump(text)) return told(document, "sfdisk-dump", readSfdiskDump(text), "sfdisk");
  if (isDmidecode(text)) return told(document, "dmidecode", readDmidecode(text), "dmidecode");
  if (isLspci(text)) return told(document, "lspci", readLspci(text), "lspci");
  if (isOsRelease(text)) return told(document, "os-release", systemFacts(text), "os-release");
  // mokutil says two lines; set-up mode is in the second one, and means that nothing is enforced.
  const mokutil = /^SecureBoot (enabled|disabled)\b/m.exec(text)?.[1];
  if (mokutil) {
    const state = /Platform is in Setup Mode/i.test(text) ? "setup" : mokutil === "enabled" ? "on" : "off";
    return told(document, "mokutil", { facts: { firmware: { kind: "uefi", secureBoot: { state } } } }, "mokutil");
  }
  return { ok: false, problem: { code: "not-recognised" } };
}

/**
 * What several documents say together: start entries come one a file and become one list; a computer in set-up
 * mode also says that Secure Boot is off, which is no contradiction.
 */
export function gather(observations: Observation[]): Observation[] {
  const path = "firmware/entries";
  const entries = new Map<string, FactValue>();
  let last: Observation | null = null;
  for (const observation of observations) {
    const value = observation.values.find(([each]) => each === path)?.[1];
    if (!Array.isArray(value)) continue;
    for (const entry of value) if (isRecord(entry)) entries.set(String(entry.id), entry as FactValue);
    last = observation;
  }
  const all: FactValue = [...entries].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, entry]) => entry);
  const inSetup = observations.some((each) => each.values.some(([at, value]) => at === STATE && value === "setup"));
  return observations.map((observation) => {
    const values = observation.values.filter(
      ([at, value]) => at !== path && !(at === STATE && value === "off" && inSetup),
    );
    return { ...observation, values: observation === last ? [...values, [path, all]] : values };
  });
}

const STATE = "firmware/secureBoot/state";
