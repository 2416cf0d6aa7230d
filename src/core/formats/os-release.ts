import { itemAt } from "../kernel/item-at";
import { statedText } from "../kernel/stated-values";

/** os-release: shell-like assignments. Source: os-release(5) of systemd. */
export function isOsRelease(text: string): boolean {
  return /^(ID|NAME)=/m.test(text) && /^(PRETTY_NAME|VERSION_ID|VERSION|ID_LIKE|BUILD_ID)=/m.test(text);
}

function assignments(text: string): Map<string, string> {
  const values = new Map<string, string>();
  for (const line of text.split(/\r?\n/).slice(0, 1000)) {
    const match = /^([A-Z][A-Z0-9_]*)=(.*)$/.exec(line.trim());
    if (match) values.set(itemAt(match, 1), unquoted(itemAt(match, 2)));
  }
  return values;
}

/** Single quotes are literal; in double quotes a backslash keeps the next of " $ ` \. */
function unquoted(value: string): string {
  const text = value.trim();
  if (/^'.*'$/s.test(text)) return text.slice(1, -1);
  const inner = /^".*"$/s.test(text) ? text.slice(1, -1) : text;
  return inner.replace(/\\(["$`\\])/g, "$1");
}

/** What an os-release file says of its system; null where it names none. */
export interface OsRelease {
  name: string;
  version: string | null;
  edition: string | null;
}

/** Text of os-release(5); null where it names no system. */
export function readOsRelease(text: string): OsRelease | null {
  const values = assignments(text);
  const stated = (...keys: string[]) => keys.map((key) => statedText(values.get(key))).find((each) => each !== null);
  const name = stated("NAME", "ID", "PRETTY_NAME");
  if (!name) return null;
  return {
    name,
    version: statedText(values.get("VERSION_ID"), 80) ?? statedText(values.get("BUILD_ID"), 80),
    edition: statedText(values.get("VARIANT"), 80),
  };
}
