import { itemAt } from "../../kernel/item-at";
/**
 * Whether a device's modalias fits a driver's pattern, as kmod decides it: fnmatch(3) of POSIX.1-2017, 2.13, without
 * flags, so that `*` takes any characters. Hyphens count as underscores outside brackets, as depmod writes them.
 */
export function fits(pattern: string, text: string): boolean {
  let p = 0;
  let t = 0;
  let starAt = -1;
  let starText = 0;
  while (t < text.length) {
    const next = p < pattern.length ? matchOne(pattern, p, itemAt(text, t)) : 0;
    if (pattern[p] === "*") {
      starAt = p++;
      starText = t;
    } else if (next > 0) {
      p = next;
      t++;
    } else if (starAt >= 0) {
      p = starAt + 1;
      t = ++starText;
    } else return false;
  }
  while (pattern[p] === "*") p++;
  return p === pattern.length;
}

/** Where the pattern goes on if its element at `p` takes `char`; 0 where it does not. */
function matchOne(pattern: string, p: number, char: string): number {
  const element = pattern[p];
  if (element === "?") return p + 1;
  if (element === "\\") return pattern[p + 1] === char ? p + 2 : 0;
  if (element === "[") {
    const end = pattern.indexOf("]", p + 2);
    if (end >= 0) return inSet(pattern.slice(p + 1, end), char) ? end + 1 : 0;
  }
  return element === char ? p + 1 : 0;
}

function inSet(set: string, char: string): boolean {
  const negated = set[0] === "!" || set[0] === "^";
  const body = negated ? set.slice(1) : set;
  let found = false;
  for (let i = 0; i < body.length; i++) {
    if (body[i + 1] === "-" && i + 2 < body.length) {
      if (char >= itemAt(body, i) && char <= itemAt(body, i + 2)) found = true;
      i += 2;
    } else if (body[i] === char) found = true;
  }
  return found !== negated;
}

/** Hyphens as underscores, brackets left as they are (kmod's `underscores`). */
export function normalised(alias: string): string {
  return alias.replace(/\[[^\]]*\]|-/g, (found) => (found === "-" ? "_" : found));
}
