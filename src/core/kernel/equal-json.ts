/** Whether two JSON values are the same, whatever the order of keys. A missing member counts as null. */
export function equalJson(a: unknown, b: unknown, sameText: (a: string, b: string) => boolean = Object.is): boolean {
  if (a === b) return true;
  if (typeof a === "string" && typeof b === "string") return sameText(a, b);
  if (typeof a !== "object" || typeof b !== "object" || a === null || b === null) return (a ?? null) === (b ?? null);
  if (Array.isArray(a) || Array.isArray(b)) {
    if (!Array.isArray(a) || !Array.isArray(b) || a.length !== b.length) return false;
    return a.every((each, index) => equalJson(each, b[index], sameText));
  }
  const [one, other] = [a as Record<string, unknown>, b as Record<string, unknown>];
  for (const key in one) if (!equalJson(one[key], other[key], sameText)) return false;
  for (const key in other) if (!(key in one) && (other[key] ?? null) !== null) return false;
  return true;
}
