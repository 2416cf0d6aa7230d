import { type BaseBlock, fromBER, GeneralizedTime, ObjectIdentifier, UTCTime } from "asn1js";
import { latin1, utf16 } from "../kernel/fields";

/** An element of ASN.1 in DER (ITU-T X.690), with the very bytes that it was read from. */
export interface Der {
  /** The class of its tag, as it is encoded (X.690, 8.1.2.2): 0 universal, 0x80 context-specific. */
  tagClass: number;
  type: number;
  /** Null where it is primitive. */
  elements: Der[] | null;
  /** With tag and length. */
  bytes: Uint8Array;
  content: Uint8Array;
  block: BaseBlock;
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
/** Elements within elements: no certificate and no signature goes so deep. */
const DEEPEST = 40;

/** The first element of some bytes; null where they begin with none. What follows it is left alone. */
export function parseDer(bytes: Uint8Array): Der | null {
  try {
    const { offset, result } = fromBER(bytes);
    return offset > 0 && result.error === "" ? elementOf(result, DEEPEST) : null;
  } catch {
    return null;
  }
}

function elementOf(block: BaseBlock, left: number): Der | null {
  const { idBlock, lenBlock } = block;
  const bytes = block.valueBeforeDecodeView;
  const start = idBlock.blockLength + lenBlock.blockLength;
  // What the package counts from 1 stands in the two highest bits.
  const [tagClass, type] = [(idBlock.tagClass - 1) << 6, idBlock.tagNumber];
  const own = { tagClass, type, bytes, content: bytes.subarray(start), block };
  if (!idBlock.isConstructed) return { ...own, elements: null };
  const blocks = (block.valueBlock as { value?: unknown }).value;
  if (left === 0 || !Array.isArray(blocks)) return null;
  const elements: Der[] = [];
  for (const each of blocks as BaseBlock[]) {
    const element = elementOf(each, left - 1);
    if (!element) return null;
    elements.push(element);
  }
  return { ...own, elements };
}

/** The elements inside one; none where it is primitive or missing. */
export function inside(node: Der | undefined | null): Der[] {
  return node?.elements ?? [];
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
  return node.content;
}

/** An element with its tag and length. */
export function derOf(node: Der): Uint8Array {
  return node.bytes;
}

/** An element as a SET: attributes are signed so, though they stand under a tag of their own (RFC 5652, 5.4). */
export function derAsSet(node: Der): Uint8Array {
  const bytes = node.bytes.slice();
  bytes[0] = 0x20 | TAG.set;
  return bytes;
}

/** The bits of a BIT STRING as bytes; its first byte counts those that are not used. */
export function bitsOf(node: Der | undefined): Uint8Array {
  return node && node.elements === null ? node.content.subarray(1) : new Uint8Array(0);
}

/** Dotted numbers; "" where the element is no object identifier. */
export function oidOf(node: Der | undefined | null): string {
  return node && isTag(node, TAG.oid) && node.block instanceof ObjectIdentifier ? node.block.getValue() : "";
}

/** Any of the string types that names are written in. */
export function stringOf(node: Der | undefined): string {
  if (!node) return "";
  if (node.type === TAG.utf8) return new TextDecoder().decode(node.content);
  return node.type === TAG.bmpString ? utf16(node.content, true) : latin1(node.content);
}

/** ISO 8601, UTC; null where the element is no time. */
export function timeOf(node: Der | undefined): string | null {
  const block = node?.block;
  if (!(block instanceof UTCTime || block instanceof GeneralizedTime)) return null;
  const date = block.toDate();
  return Number.isFinite(date.getTime()) ? date.toISOString() : null;
}
