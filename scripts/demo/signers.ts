import { createHash } from "node:crypto";
import { NORLIGHT } from "./norlight";

/** Certificates of invented signers (of two of them made once, EC P-256, the keys are gone), as DER in base64. */
const CERTIFICATES = {
  norlight2011: NORLIGHT[2011].authority,
  norlight2023: NORLIGHT[2023].authority,
  gannet2011:
    "MIIBlTCCATygAwIBAgICEAAwCgYIKoZIzj0EAwIwOjEnMCUGA1UEAwweR2FubmV0IERlc2sgUHJvZHVjdGlvbiBDQSAyMDExMQ8wDQYDVQQKDAZHYW5uZXQwHhcNMTExMDE5MTgwMDAwWhcNMjYxMDE5MTgwMDAwWjA6MScwJQYDVQQDDB5HYW5uZXQgRGVzayBQcm9kdWN0aW9uIENBIDIwMTExDzANBgNVBAoMBkdhbm5ldDBZMBMGByqGSM49AgEGCCqGSM49AwEHA0IABGVD6JktmF4RoIfkRTguobhyYBWUDEDXwd2DSW3KJxv4rM5oRpr2Q9lqfkaJO2v+DqgqGtEz2aYtzeeWf2qXOS+jMjAwMA8GA1UdEwEB/wQFMAMBAf8wHQYDVR0OBBYEFM/A4Hjq4NvvO3cCIqu21Dnh1OrfMAoGCCqGSM49BAMCA0cAMEQCICbxV5BmvlHphntDwrnEVI2BZf+Y8gPrT6y7WIOB7dKNAiBf55568obPiF2pJkgIxTxq8HEwb5L3vmxoSTRTekJ2gQ==",
  kittiwake:
    "MIIBkDCCATagAwIBAgICEAAwCgYIKoZIzj0EAwIwNzEhMB8GA1UEAwwYS2l0dGl3YWtlIFNlY3VyZSBCb290IENBMRIwEAYDVQQKDAlLaXR0aXdha2UwHhcNMjAwMTAxMDAwMDAwWhcNNDAwMTAxMDAwMDAwWjA3MSEwHwYDVQQDDBhLaXR0aXdha2UgU2VjdXJlIEJvb3QgQ0ExEjAQBgNVBAoMCUtpdHRpd2FrZTBZMBMGByqGSM49AgEGCCqGSM49AwEHA0IABLDKAEiFv+d+W4/pR7usMY56rUViVh8UIOQTQpUF7lH+rUOf+Phw895QgoAKxsaa3L1pd0nBEO+5BM6cHtGKKACjMjAwMA8GA1UdEwEB/wQFMAMBAf8wHQYDVR0OBBYEFKYMGcUNGP60vXSGKMCmEL3QcK0TMAoGCCqGSM49BAMCA0gAMEUCIGQdMhgE43ZjAoXK3C+zXW22DcIanaj4p2eqV04Zlp85AiEAtL+DKmYOhJd0r1fNugUuUV8HfrlBL/P9ZDsqxV6yVyI=",
} as const;
export type SignerName = keyof typeof CERTIFICATES;

const X509 = Buffer.from("a159c0a5e494a74a87b5ab155c2bf072", "hex");
const SHA256 = Buffer.from("2616c4c14c509240aca941f936934328", "hex");
const OWNER = Buffer.from("b3a6c2d1f04e4f7a9c11534b4c494e45", "hex");

/** One EFI_SIGNATURE_LIST (UEFI 2.10, 32.4.1): all entries are of one size. */
function list(type: Buffer, entries: Buffer[]): Buffer {
  const entryBytes = 16 + (entries[0]?.length ?? 0);
  const header = Buffer.alloc(28);
  type.copy(header, 0);
  header.writeUInt32LE(28 + entries.length * entryBytes, 16);
  header.writeUInt32LE(entryBytes, 24);
  return Buffer.concat([header, ...entries.flatMap((entry) => [OWNER, entry])]);
}

/** Lists that allow these signers, in base64. */
export function allowing(...names: SignerName[]): string {
  return Buffer.concat(names.map((name) => list(X509, [Buffer.from(CERTIFICATES[name], "base64")]))).toString("base64");
}

/** A list that revokes so many programs, and these signers, in base64. */
export function revoking(programs: number, ...names: SignerName[]): string {
  const digests = Array.from({ length: programs }, (_, index) =>
    createHash("sha256").update(`program ${index}`).digest(),
  );
  return Buffer.concat([
    ...(digests.length > 0 ? [list(SHA256, digests)] : []),
    ...names.map((name) => list(X509, [Buffer.from(CERTIFICATES[name], "base64")])),
  ]).toString("base64");
}
