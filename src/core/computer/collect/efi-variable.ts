import { isSignatureLists, readSignatureLists } from "../../formats/efi-signature-list";
import { readLoadOption } from "../../formats/load-option";
import { toBase64 } from "../../kernel/base64";
import { Fields, latin1 } from "../../kernel/fields";
import { itemAt } from "../../kernel/item-at";
import type { Document, DocumentProblem, Told } from "./document";

/**
 * Files of efivarfs: four bytes of attributes, then the variable's data; the file's name is the variable's name, a
 * dash and its vendor GUID. Sources: the kernel's Documentation/filesystems/efivarfs.rst; UEFI 2.10, 8.2.
 */
const VARIABLE_NAME = /^([A-Za-z0-9_]+)-([0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12})(?:\.\w+)?$/i;
/** NON_VOLATILE … TIME_BASED_AUTHENTICATED: what attributes can be made of. UEFI 2.10, 8.2.1. */
const ATTRIBUTES_MASK = 0xff;
const PREFIX = 4;

const LISTS: Record<string, "pk" | "kek" | "db" | "dbx"> = { pk: "pk", kek: "kek", db: "db", dbx: "dbx" };

export interface VariableFile {
  name: string;
  data: Uint8Array;
}

/** A variable's file, known by its name, or by four bytes of attributes before signature lists. */
export function asVariableFile({ name, bytes }: Document): VariableFile | null {
  const named = VARIABLE_NAME.exec(baseName(name));
  if (bytes.length < PREFIX) return null;
  const attributes = new Fields(bytes).u32le(0);
  const plausible = (attributes & ~ATTRIBUTES_MASK) === 0 && attributes !== 0;
  if (!plausible) return null;
  const data = bytes.subarray(PREFIX);
  if (named) return { name: itemAt(named, 1), data };
  return isSignatureLists(data) ? { name: listOfName(name) ?? "", data } : null;
}

function baseName(name: string): string {
  return name.split(/[\\/]/).at(-1) ?? name;
}

/** Which list a file's name says it is: "db.esl", "old-dbx.esl", "KEK". */
function listOfName(name: string): "pk" | "kek" | "db" | "dbx" | null {
  const words = baseName(name)
    .toLowerCase()
    .replace(/\.\w+$/, "")
    .split(/[^a-z]+/);
  return (
    (["dbx", "kek", "pk", "db"] as const).find((list) =>
      words.some(
        (word) =>
          word === list || (word.startsWith(list) && /^(update|default|list|var)/.test(word.slice(list.length))),
      ),
    ) ?? null
  );
}

/** Bytes of an EFI_SIGNATURE_LIST file as the tools of the firmware export it. UEFI 2.10, 32.4.1. */
export function readSignatureListFile(document: Document): Told | DocumentProblem {
  return tellList(document.name, document.bytes);
}

/** Signature lists as facts. A name that does not say which they are leaves only content: digests alone are dbx. */
function tellList(name: string, bytes: Uint8Array): Told | DocumentProblem {
  const lists = readSignatureLists(bytes);
  if (lists.fault) return { code: "list-damaged", fault: lists.fault };
  const named = listOfName(name) ?? LISTS[name.toLowerCase()];
  const digestsOnly = lists.entries.length > 0 && lists.entries.every((each) => each.kind !== "x509");
  const list = named ?? (digestsOnly ? "dbx" : null);
  if (!list) return { code: "list-unnamed" };
  return {
    facts: { firmware: { secureBoot: { [list]: toBase64(bytes) } } },
    notes: named ? [] : [{ code: "digests-only" }],
  };
}

/** A variable's data without its four attribute bytes. Names and contents: UEFI 2.10, 3.3. */
export function readEfiVariable({ name, data }: VariableFile): Told | DocumentProblem {
  const fields = new Fields(data);
  const list = LISTS[name.toLowerCase()];
  if (list || name === "") return tellList(name, data);
  if (name === "SecureBoot" || name === "SetupMode") {
    if (fields.length !== 1) return { code: "variable-length", name, bytes: fields.length };
    const on = fields.u8(0) === 1;
    if (name === "SecureBoot")
      return { facts: { firmware: { kind: "uefi", secureBoot: { state: on ? "on" : "off" } } } };
    return on
      ? { facts: { firmware: { kind: "uefi", secureBoot: { state: "setup" } } } }
      : { facts: { firmware: { kind: "uefi" } } };
  }
  if (name === "BootOrder") {
    if (fields.length % 2 !== 0) return { code: "start-order-odd" };
    const order = Array.from({ length: Math.min(64, fields.length / 2) }, (_, at) => hex4(fields.u16le(at * 2)));
    return { facts: { firmware: { kind: "uefi", startOrder: order } } };
  }
  const entry = /^Boot([0-9A-F]{4})$/i.exec(name)?.[1];
  if (entry) {
    const option = readLoadOption(data);
    if (!option) return { code: "start-entry-cut", entry };
    const { description, active, path } = option;
    return {
      facts: {
        firmware: {
          kind: "uefi",
          entries: [
            { id: entry.toUpperCase(), name: description.slice(0, 200), active, path: path?.slice(0, 400) ?? null },
          ],
        },
      },
    };
  }
  if (/^SbatLevel(RT)?$/.test(name))
    return { facts: { firmware: { secureBoot: { sbatLevel: latin1(data).replaceAll("\0", "").slice(0, 4000) } } } };
  return { facts: { firmware: { kind: "uefi" } }, notes: [{ code: "variable-not-kept", name }] };
}

function hex4(value: number): string {
  return value.toString(16).toUpperCase().padStart(4, "0");
}
