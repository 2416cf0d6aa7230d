import { Fields, utf16 } from "../kernel/fields";

/** EFI_LOAD_OPTION, the content of Boot####. UEFI 2.10, 3.1.3. */
export interface LoadOption {
  active: boolean;
  description: string;
  /** The file of the last FILEPATH node, or null. */
  path: string | null;
}

const ACTIVE = 1;
const MEDIA_DEVICE_PATH = 4;
const FILE_PATH = 4;
const END = 0x7f;

/** Reads a load option; null where the bytes are none. */
export function readLoadOption(bytes: Uint8Array): LoadOption | null {
  const fields = new Fields(bytes);
  if (fields.length < 8) return null;
  const pathBytes = fields.u16le(4);
  let end = 6;
  while (end + 1 < fields.length && fields.u16le(end) !== 0) end += 2;
  if (end + 1 >= fields.length) return null;
  const description = utf16(fields.slice(6, end - 6));
  return {
    active: (fields.u32le(0) & ACTIVE) !== 0,
    description,
    path: filePath(fields, end + 2, Math.min(end + 2 + pathBytes, fields.length)),
  };
}

/** Device path nodes: type, subtype, length. UEFI 2.10, 10.3.1 and 10.3.5.4. */
function filePath(fields: Fields, from: number, end: number): string | null {
  let path: string | null = null;
  for (let at = from; at + 4 <= end; ) {
    const type = fields.u8(at);
    const length = fields.u16le(at + 2);
    if (type === END || length < 4 || at + length > end) break;
    if (type === MEDIA_DEVICE_PATH && fields.u8(at + 1) === FILE_PATH)
      path = utf16(fields.slice(at + 4, length - 4)).replace(/\0.*$/s, "");
    at += length;
  }
  return path;
}
