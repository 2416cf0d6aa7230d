import { itemAt } from "./item-at";

/** Sizes as people and spreadsheets write them. */
const POWERS: Record<string, number> = {
  b: 1,
  byte: 1,
  bytes: 1,
  kb: 1e3,
  mb: 1e6,
  gb: 1e9,
  tb: 1e12,
  pb: 1e15,
  kib: 2 ** 10,
  mib: 2 ** 20,
  gib: 2 ** 30,
  tib: 2 ** 40,
  pib: 2 ** 50,
};

/** The unit that a heading names, as in "Memory (GiB)" or "disk_gb". */
export function unitOfHeading(heading: string): string | null {
  const words = heading.toLowerCase().split(/[^a-z]+/);
  return words.find((word) => word.length > 1 && word in POWERS) ?? null;
}

/** Bytes of "512 GB", "476.9 GiB", "1,5 TB", "8589934592". Null where it is no size, or its unit is not known. */
export function parseSize(text: string, unit: string | null = null): number | null {
  const match = /^([\d][\d.,\u00a0 ']*)\s*([a-z]*)$/i.exec(text.trim());
  if (!match) return null;
  const number = parseNumber(itemAt(match, 1));
  const named = itemAt(match, 2).toLowerCase();
  if (number === null) return null;
  const factor = named ? POWERS[named] : unit ? POWERS[unit] : number >= 1e6 ? 1 : undefined;
  if (factor === undefined) return null;
  const bytes = Math.round(number * factor);
  return Number.isSafeInteger(bytes) ? bytes : null;
}

/** A number with points or commas: groups of three digits after each of them are thousands, else it is the decimal mark. */
export function parseNumber(text: string): number | null {
  const bare = text.replace(/[\s\u00a0']/g, "");
  if (/^\d+$/.test(bare)) return Number(bare);
  if (/^\d{1,3}(,\d{3})+(\.\d+)?$/.test(bare)) return Number(bare.replaceAll(",", ""));
  if (/^\d{1,3}(\.\d{3}){2,}$/.test(bare) || /^\d{1,3}(\.\d{3})+,\d+$/.test(bare))
    return Number(bare.replaceAll(".", "").replace(",", "."));
  if (/^\d+[.,]\d+$/.test(bare)) return Number(bare.replace(",", "."));
  return null;
}
