/** One of each, so that a new code without a sentence fails the type check and one without sense fails its test. */
export type EachOf<T extends { code: string }> = { [code in T["code"]]: Extract<T, { code: code }> };

/** Begins like one, ends like one, and has no code, empty value or control character in it. */
export function isSentence(text: string): void {
  expect(text).toMatch(/^[A-Z0-9/“].*[.]$/s);
  expect(text).not.toMatch(/undefined|NaN|\bnull\b|\[object|Infinity/);
  // Names such as "no-table" are for programs.
  expect(text.replace(/write-protected/g, "")).not.toMatch(/\b(no|not|too|file|does)-[a-z]+-?[a-z]*\b/);
  expect([...text].filter((character) => (character.codePointAt(0) ?? 0) < 32)).toEqual([]);
}
