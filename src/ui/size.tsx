import { binaryText, bytesText } from "@/core/words/sizes";

/** A size as it is sold, with what systems show for it: never a bare number that could be either. */
export function Size({ bytes, both = false }: { bytes: number; both?: boolean }) {
  return (
    <span title={`${bytes.toLocaleString("en-GB")} bytes`} className="whitespace-nowrap">
      {bytesText(bytes)}
      {both && <span className="caption"> ({binaryText(bytes)})</span>}
    </span>
  );
}
