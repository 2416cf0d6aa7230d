/** Days as ISO dates: they are counted by the calendar, whatever the clocks do. */
const DAY_MS = 86_400_000;

/** Whole days from one ISO day to another. */
export function daysBetween(from: string, to: string): number {
  return Math.round((Date.parse(to.slice(0, 10)) - Date.parse(from.slice(0, 10))) / DAY_MS);
}

/** An ISO day some days later; before it where they are negative. */
export function dayAfter(day: string, days: number): string {
  return new Date(Date.parse(`${day}T00:00:00Z`) + days * DAY_MS).toISOString().slice(0, 10);
}

/** The ISO day of a moment, in UTC: "2026-11-30". */
export function dayOf(at: Date): string {
  return at.toISOString().slice(0, 10);
}
