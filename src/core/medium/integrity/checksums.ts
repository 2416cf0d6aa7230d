import { itemAt } from "../../kernel/item-at";
import { HASH_NAMES, type HashName } from "./hashing";

/** One line of a published checksum file. */
export interface Checksum {
  hash: HashName;
  /** Lower-case hex. */
  digest: string;
  /** As the line has it, a leading "./" left out. */
  name: string;
}

const BY_LENGTH: Record<number, HashName> = { 32: "md5", 40: "sha1", 64: "sha256", 96: "sha384", 128: "sha512" };
const LINES_MAX = 200_000;

/**
 * Reads the two forms that sums are published in: of GNU coreutils ("digest  name", with `*` for binary and a leading
 * backslash where the name is escaped) and of the BSDs ("SHA256 (name) = digest"). The lines of an OpenPGP cleartext
 * signature around them are passed over; the signature itself is not checked.
 */
export function readChecksums(text: string): Checksum[] {
  const found: Checksum[] = [];
  for (const raw of text.split(/\r?\n/).slice(0, LINES_MAX)) {
    const line = raw.replace(/^- /, "");
    const gnu = /^(\\?)([0-9a-f]{32,128}) [ *](.+)$/i.exec(line);
    const bsd = /^([A-Z0-9-]+) \((.+)\) = ([0-9a-f]{32,128})$/i.exec(line);
    if (gnu) {
      const [, escaped, digest, name] = gnu as unknown as [string, string, string, string];
      const hash = BY_LENGTH[digest.length];
      if (hash) found.push({ hash, digest: digest.toLowerCase(), name: clean(escaped ? unescaped(name) : name) });
    } else if (bsd) {
      const [, label, name, digest] = bsd as unknown as [string, string, string, string];
      const hash = HASH_NAMES.find((each) => each === label.toLowerCase().replace("-", ""));
      if (hash && BY_LENGTH[digest.length] === hash)
        found.push({ hash, digest: digest.toLowerCase(), name: clean(name) });
    }
  }
  return found;
}

function unescaped(name: string): string {
  return name.replace(/\\([\\nr])/g, (_, char: string) => (char === "n" ? "\n" : char === "r" ? "\r" : "\\"));
}

function clean(name: string): string {
  return name.replace(/^\.\//, "");
}

/** What a checksum file says of a file: the line that names it, else, where there is only one line, that one. */
export function checksumFor(sums: Checksum[], fileName: string): Checksum | null {
  const named = sums.filter((each) => each.name.split("/").at(-1) === fileName);
  // Of several methods the strongest counts.
  const strongest = named.sort((a, b) => b.digest.length - a.digest.length)[0];
  return strongest ?? (sums.length === 1 ? itemAt(sums, 0) : null);
}

/** Names under which discs carry sums of their own files (common practice of several distributions). */
export const INNER_SUM_FILES = [
  "/md5sum.txt",
  "/MD5SUMS",
  "/sha256sum.txt",
  "/SHA256SUMS",
  "/live/SHA256SUMS",
  "/.checksum.md5",
];
