/**
 * Text from a medium or a file, safe to show in a terminal or a page: control characters, line breaks and marks
 * that change the direction of writing become their code points, and what is too long is cut in the middle.
 */
export function visible(text: string, maxLength = 200): string {
  const shown = text.replace(
    /[\p{Cc}\p{Cf}\p{Zl}\p{Zp}\p{Cs}]/gu,
    (char) => `\u2039${(char.codePointAt(0) as number).toString(16).padStart(4, "0")}\u203a`,
  );
  if (shown.length <= maxLength) return shown;
  const half = Math.floor((maxLength - 1) / 2);
  return `${shown.slice(0, half)}…${shown.slice(-half)}`;
}
