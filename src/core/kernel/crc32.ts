import { crc32 as wasmCrc32 } from "hash-wasm";

/** CRC-32 of ISO 3309 (polynomial 0xEDB88320 reflected), as GPT uses it: UEFI 2.10, 5.3.2. */
export async function crc32(bytes: Uint8Array): Promise<number> {
  return Number.parseInt(await wasmCrc32(bytes), 16);
}
