import { LRUCache } from "lru-cache";

/** Versions as people and systems write them: "12", "11.4", "10.0.22621.1". */

const NUMBERS = /\d+/g;

/** Negative where `a` is the older; numbers are compared as numbers, missing ones are zero. */
export function compareVersions(a: string, b: string): number {
  const [left, right] = [a, b].map((text) => (text.match(NUMBERS) ?? []).map(Number)) as [number[], number[]];
  for (let at = 0; at < Math.max(left.length, right.length); at++) {
    const difference = (left[at] ?? 0) - (right[at] ?? 0);
    if (difference !== 0) return difference;
  }
  return 0;
}

/** Whether two versions name the same release: one may tell more of it than the other ("12" and "12.5"). */
export function sameRelease(a: string, b: string): boolean {
  const [left, right] = [a, b].map((text) =>
    text
      .trim()
      .toLowerCase()
      .split(/[.\s]+/),
  ) as [string[], string[]];
  const shorter = Math.min(left.length, right.length);
  return left.slice(0, shorter).join(".") === right.slice(0, shorter).join(".");
}

/** Text by its code units: the same order everywhere. */
export function compareText(a: string, b: string): number {
  return a < b ? -1 : a > b ? 1 : 0;
}

/** Names without regard to case, marks and spacing. */
export function sameName(a: string, b: string): boolean {
  return plainName(a) === plainName(b);
}

/** A name as names are compared; kept, since a fleet's names are few and are compared often. */
export function plainName(text: string): string {
  const keptName = plain.get(text);
  if (keptName !== undefined) return keptName;
  const name = text
    .normalize("NFKD")
    .replace(/\p{M}/gu, "")
    .toLowerCase()
    .replace(/[\s\-_]+/g, " ")
    .trim();
  plain.set(text, name);
  return name;
}

/** The same few names are compared again and again. */
const plain = new LRUCache<string, string>({ max: 5000 });
