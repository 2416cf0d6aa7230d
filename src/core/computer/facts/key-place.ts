/**
 * Creel keeps where a recovery key is, never the key: whoever reads the inventory must not be able to open the
 * disk. What looks like a key is refused.
 */
export const KEY_REFUSED =
  "looks like a recovery key itself. Creel keeps only where the key is, such as “safe at head office, envelope 7”, so that its database opens no disk.";

/** Eight groups of six digits (the numerical recovery password that a BitLocker volume takes). */
const NUMERICAL_PASSWORD = /\d{6}(?:[\s-]+\d{6}){3,}/;
/** Eight groups of letters with dashes (what systemd-cryptenroll prints as a recovery key). */
const MODHEX_KEY = /\b[cbdefghijklnrtuv]{8}(?:-[cbdefghijklnrtuv]{8}){3,}\b/i;
const PEM = /-----BEGIN [A-Z ]+-----/;
/** A run that no place's name has: long, and of digits or of letters and digits without order. */
const LONG_RUN = /[A-Za-z0-9+/=_]{24,}/g;
const HEX_RUN = /[0-9a-f]{20,}/i;
/** Groups of at least four letters and digits, five of them or more, with a digit in most: as printed keys are. */
const GROUPED = /\b[A-Z0-9]{4,8}(?:-[A-Z0-9]{4,8}){4,}\b/i;
const DIGITS_MIN = 20;

/** Whether a text that should say where a key is kept is, or holds, a key. Common practice; errs towards refusing. */
export function looksLikeKey(text: string): boolean {
  if (NUMERICAL_PASSWORD.test(text) || MODHEX_KEY.test(text) || PEM.test(text) || HEX_RUN.test(text)) return true;
  if (isGuidOnly(text)) return false;
  if (GROUPED.test(text) && /\d/.test(text)) return true;
  if (text.replace(/\D/g, "").length >= DIGITS_MIN && /^[\d\s.-]+$/.test(text)) return true;
  return (text.match(LONG_RUN) ?? []).some((run) => /\d/.test(run) && /[A-Za-z]/.test(run));
}

/** A key's identifier is printed beside its place and opens nothing. */
function isGuidOnly(text: string): boolean {
  const guid = /\b[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}\b/gi;
  const rest = text.replace(guid, "");
  return rest !== text && !GROUPED.test(rest) && !NUMERICAL_PASSWORD.test(rest) && !HEX_RUN.test(rest);
}
