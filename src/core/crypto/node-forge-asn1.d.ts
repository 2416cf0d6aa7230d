/** The package's types cover its whole; only its ASN.1 part is loaded. */
declare module "node-forge/lib/asn1.js" {
  import { asn1 } from "node-forge";

  const part: typeof asn1 & {
    fromDer(bytes: string, options: { strict: boolean; parseAllBytes: boolean; decodeBitStrings: boolean }): asn1.Asn1;
    toDer(node: object): { getBytes(): string };
  };
  export default part;
}
