import { itemAt } from "./item-at";
/** Fields of a structure that is being written; byte order is in each name. */
export class Put {
  private readonly view: DataView;
  constructor(readonly bytes: Uint8Array) {
    this.view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  }
  u8(at: number, value: number): this {
    this.view.setUint8(at, value);
    return this;
  }
  u16le(at: number, value: number): this {
    this.view.setUint16(at, value, true);
    return this;
  }
  u32le(at: number, value: number): this {
    this.view.setUint32(at, value, true);
    return this;
  }
  u64le(at: number, value: number | bigint): this {
    this.view.setBigUint64(at, BigInt(value), true);
    return this;
  }
  /** One character a byte. */
  ascii(at: number, text: string): this {
    for (let i = 0; i < text.length; i++) this.bytes[at + i] = text.charCodeAt(i) & 0xff;
    return this;
  }
  utf16le(at: number, text: string): this {
    for (let i = 0; i < text.length; i++) this.view.setUint16(at + i * 2, text.charCodeAt(i), true);
    return this;
  }
  raw(at: number, bytes: Uint8Array): this {
    this.bytes.set(bytes, at);
    return this;
  }
}

/** The 16 bytes of a GUID as it is written on disk (UEFI 2.10, appendix A). */
export function guidBytes(text: string): Uint8Array {
  const hex = text.replaceAll("-", "");
  const raw = Uint8Array.from({ length: 16 }, (_, at) => Number.parseInt(hex.slice(at * 2, at * 2 + 2), 16));
  const order = [3, 2, 1, 0, 5, 4, 7, 6, 8, 9, 10, 11, 12, 13, 14, 15];
  return Uint8Array.from(order, (at) => itemAt(raw, at));
}
