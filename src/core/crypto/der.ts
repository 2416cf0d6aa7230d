import asn1 from "node-forge/lib/asn1.js";
import { latin1, utf16 } from "../kernel/fields";

/** An element of ASN.1 in DER (ITU-T X.690), as the parsing package has it: bytes are characters up to 255. */
export interface Der {
  tagClass: number;
  type: number;
  constructed: boolean;
  value: Der[] | string;
}

export const TAG = {
  boolean: 1,
  integer: 2,
  bitString: 3,
  octetString: 4,
  oid: 6,
  utf8: 12,
  sequence: 16,
  set: 17,
  utcTime: 23,
  generalizedTime: 24,
  bmpString: 30,
};
const CONTEXT = 0x80;

/** The first element of some bytes; null where they begin with none. What follows it is left alone. */
export function parseDer(bytes: Uint8Array): Der | null {
  try {
    return asn1.fromDer(latin1(bytes), { strict: false, parseAllBytes: false, decodeBitStrings: false }) as Der;
  } catch {
    return null;
  }
}

/** The elements inside one; none where it is primitive or missing. */
export function inside(node: Der | undefined | null): Der[] {
  return node && Array.isArray(node.value) ? node.value : [];
}

/** Whether an element is of a universal type (X.690, 8.1.2); a missing one is of none. */
export function isTag(node: Der | undefined | null, type: number): node is Der {
  return Boolean(node) && node?.tagClass === 0 && node.type === type;
}

/** The element with a context-specific tag. */
export function tagged(nodes: Der[], number: number): Der | undefined {
  return nodes.find((each) => each.tagClass === CONTEXT && each.type === number);
}

/** Content of a primitive element, or of a constructed one as it is encoded. */
export function contentOf(node: Der): Uint8Array {
  if (typeof node.value === "string") return toBytes(node.value);
  const pieces = node.value.map((each) => encode(each));
  return toBytes(pieces.join(""));
}

/** An element with its tag and length. */
export function derOf(node: Der): Uint8Array {
  return toBytes(encode(node));
}

/** The bits of a BIT STRING as bytes; its first byte counts those that are not used. */
export function bitsOf(node: Der | undefined): Uint8Array {
  return node && typeof node.value === "string" ? toBytes(node.value.slice(1)) : new Uint8Array(0);
}

function encode(node: Der): string {
  return asn1.toDer(node).getBytes();
}

function toBytes(text: string): Uint8Array {
  return Uint8Array.from(text, (char) => char.charCodeAt(0));
}

/** Dotted numbers; "" where the element is no object identifier. */
export function oidOf(node: Der | undefined | null): string {
  if (!isTag(node, TAG.oid) || typeof node.value !== "string" || node.value === "") return "";
  try {
    return asn1.derToOid(node.value);
  } catch {
    // Its numbers are larger than any that is in use.
    return "";
  }
}

/** Any of the string types that names are written in. */
export function stringOf(node: Der | undefined): string {
  if (!node) return "";
  const bytes = contentOf(node);
  if (node.type === TAG.utf8) return new TextDecoder().decode(bytes);
  return node.type === TAG.bmpString ? utf16(bytes, true) : latin1(bytes);
}

/** ISO 8601, UTC; null where the element is no time. */
export function timeOf(node: Der | undefined): string | null {
  if (!node || typeof node.value !== "string") return null;
  try {
    const date =
      node.type === TAG.utcTime
        ? asn1.utcTimeToDate(node.value)
        : node.type === TAG.generalizedTime
          ? asn1.generalizedTimeToDate(node.value)
          : null;
    return date && Number.isFinite(date.getTime()) ? date.toISOString() : null;
  } catch {
    return null;
  }
}
