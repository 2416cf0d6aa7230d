/** The day on which the demo's dates were written; they are told as of the day on which it is loaded. */
const WRITTEN_ON = Date.UTC(2026, 10, 30);
const DAY_MS = 86_400_000;
const shiftDays = Math.round((new Date().setUTCHours(0, 0, 0, 0) - WRITTEN_ON) / DAY_MS);

const shifted = (day: string) =>
  new Date(Date.parse(`${day}T00:00:00Z`) + shiftDays * DAY_MS).toISOString().slice(0, 10);

/** The same with every day in its texts ("2026-10-30") as long ago as it was when the demo was written: it never grows stale. */
export function dated<T>(value: T): T {
  if (typeof value === "string") return value.replace(/\b\d{4}-\d{2}-\d{2}/g, shifted) as T;
  if (Array.isArray(value)) return value.map(dated) as T;
  if (value !== null && typeof value === "object" && Object.getPrototypeOf(value) === Object.prototype)
    return Object.fromEntries(Object.entries(value).map(([key, own]) => [key, dated(own)])) as T;
  return value;
}
