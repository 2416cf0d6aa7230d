import { sha256 } from "@noble/hashes/sha2.js";

/** Numbers that look random and are the same for the same seed, so that a medium can be made twice, byte for byte. */
export class Seed {
  constructor(private readonly text: string) {}

  bytes(use: string, length: number): Uint8Array {
    return sha256(new TextEncoder().encode(`${this.text}\n${use}`)).slice(0, length);
  }

  /** For a part of a medium that is made on its own. */
  with(use: string): Seed {
    return new Seed(`${this.text}\n${use}`);
  }

  u32(use: string): number {
    return new DataView(this.bytes(use, 4).buffer).getUint32(0, true);
  }

  /** A GUID of version 4 (RFC 9562, 5.4) as its 16 bytes on disk: the first three fields little-endian (UEFI 2.10, appendix A). */
  guid(use: string): Uint8Array {
    const bytes = this.bytes(use, 16);
    bytes[7] = ((bytes[7] ?? 0) & 0x0f) | 0x40;
    bytes[8] = ((bytes[8] ?? 0) & 0x3f) | 0x80;
    return bytes;
  }
}
