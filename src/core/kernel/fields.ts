/**
 * Fixed-place fields of a structure that has been read whole. Byte order is in each name. Asking past the end is
 * a programmer's slip and throws; lengths from untrusted bytes are compared with `length` first.
 */
export class Fields {
  readonly length: number;
  private readonly view: DataView;
  constructor(readonly bytes: Uint8Array) {
    this.length = bytes.byteLength;
    this.view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  }
  u8(at: number): number {
    return this.view.getUint8(at);
  }
  u16le(at: number): number {
    return this.view.getUint16(at, true);
  }
  u16be(at: number): number {
    return this.view.getUint16(at, false);
  }
  u32le(at: number): number {
    return this.view.getUint32(at, true);
  }
  u32be(at: number): number {
    return this.view.getUint32(at, false);
  }
  u64le(at: number): bigint {
    return this.view.getBigUint64(at, true);
  }
  slice(at: number, length: number): Uint8Array {
    return this.bytes.subarray(at, at + length);
  }
  /** Bytes as text, one character a byte (ISO 8859-1). */
  ascii(at: number, length: number): string {
    return latin1(this.slice(at, length));
  }
}

/** A 64-bit value as a number, or null where it exceeds what a number holds exactly. */
export function toSafeNumber(value: bigint): number | null {
  return value <= BigInt(Number.MAX_SAFE_INTEGER) ? Number(value) : null;
}

const LATIN1_PIECE = 8192;

/** One character a byte (ISO 8859-1), so that nothing is lost and positions stay. */
export function latin1(bytes: Uint8Array): string {
  // In pieces, since a call takes a bounded count of arguments: six times as fast as letter by letter.
  if (bytes.length <= LATIN1_PIECE) return Reflect.apply(String.fromCharCode, null, bytes);
  let text = "";
  for (let at = 0; at < bytes.length; at += LATIN1_PIECE) text += latin1(bytes.subarray(at, at + LATIN1_PIECE));
  return text;
}

const HEX = Array.from({ length: 256 }, (_, byte) => byte.toString(16).padStart(2, "0"));

/** Lower-case hex, two digits a byte. */
export function hex(bytes: Uint8Array): string {
  let text = "";
  for (const byte of bytes) text += HEX[byte];
  return text;
}

/** Text up to the first NUL, without trailing blanks. */
export function trimmed(text: string): string {
  const end = text.indexOf("\0");
  return (end < 0 ? text : text.slice(0, end)).trimEnd();
}

/** UTF-16, little endian by default; lone surrogates are kept as they are. */
export function utf16(bytes: Uint8Array, bigEndian = false): string {
  let text = "";
  for (let i = 0; i + 1 < bytes.length; i += 2) {
    const low = bytes[bigEndian ? i + 1 : i] as number;
    const high = bytes[bigEndian ? i : i + 1] as number;
    text += String.fromCharCode((high << 8) | low);
  }
  return text;
}

/** Whether every byte is zero; true of no bytes. */
export function isZero(bytes: Uint8Array): boolean {
  if (bytes.byteOffset & 3) return bytes.every((byte) => byte === 0);
  // Four bytes at a time: it is asked of whole blocks of media.
  const words = bytes.length >> 2;
  const wide = new Uint32Array(bytes.buffer, bytes.byteOffset, words);
  for (let at = 0; at < words; at++) if (wide[at] !== 0) return false;
  for (let at = words << 2; at < bytes.length; at++) if (bytes[at] !== 0) return false;
  return true;
}

/** Whether `bytes` has `text` (one character a byte) at `at`. */
export function hasText(bytes: Uint8Array, at: number, text: string): boolean {
  if (at + text.length > bytes.length) return false;
  for (let i = 0; i < text.length; i++) if (bytes[at + i] !== text.charCodeAt(i)) return false;
  return true;
}

/** A GUID stored in the mixed byte order of UEFI 2.10 Appendix A, as lower-case text. */
export function guid(fields: Fields, at: number): string {
  const hex = (value: number, digits: number) => value.toString(16).padStart(digits, "0");
  const tail = [...fields.slice(at + 8, 8)].map((byte) => hex(byte, 2)).join("");
  return `${hex(fields.u32le(at), 8)}-${hex(fields.u16le(at + 4), 4)}-${hex(fields.u16le(at + 6), 4)}-${tail.slice(0, 4)}-${tail.slice(4)}`;
}
