/** "1 Jan 2027": a day as people read it. What is no ISO day stays as it is. */
export function dayText(day: string): string {
  if (!/^\d{4}-\d{2}-\d{2}/.test(day)) return day;
  return new Date(`${day.slice(0, 10)}T00:00:00Z`).toLocaleDateString("en-GB", {
    ...({ day: "numeric", month: "short", year: "numeric" } as const),
    timeZone: "UTC",
  });
}
