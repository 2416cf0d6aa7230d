/** Values in documents that nobody vouches for: tools' outputs, files that were dropped. */

/** An object with fields, as JSON has them: no list, and not null. */
export function isRecord(value: unknown): value is Record<string, unknown> {
  return typeof value === "object" && value !== null && !Array.isArray(value);
}

/** A text that says something: blanks and the usual fillers of firmware tables say nothing. */
export function statedText(value: unknown, max = 200): string | null {
  if (typeof value !== "string" && typeof value !== "number") return null;
  const text = String(value).trim().replace(/\s+/g, " ");
  return text === "" || FILLERS.test(text) ? null : text.slice(0, max);
}

/** What makers leave in firmware tables instead of a value (common practice). */
const FILLERS =
  /^(to be filled by o\.?e\.?m\.?|default string|system (manufacturer|product name|serial number|version)|not (specified|available|applicable|present)|none|n\/a|unknown|o\.?e\.?m\.?|invalid|empty|x+|0+|123456789|chassis serial number|base board serial number)$/i;

/** A whole, not negative number of bytes from a number or digits, or null. */
export function wholeNumber(value: unknown): number | null {
  const number = typeof value === "string" && /^\d+$/.test(value.trim()) ? Number(value) : value;
  return typeof number === "number" && Number.isSafeInteger(number) && number >= 0 ? number : null;
}

/** A flag that tools write as a boolean, a digit or a word. */
export function flag(value: unknown): boolean | null {
  if (typeof value === "boolean") return value;
  if (value === 1 || value === "1" || value === "true") return true;
  if (value === 0 || value === "0" || value === "false") return false;
  return null;
}
