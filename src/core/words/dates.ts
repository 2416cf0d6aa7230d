/** Made once: a list of due things formats some hundreds of days, and making a formatter costs more than using it. */
const DAY = { day: "numeric", month: "short", year: "numeric", timeZone: "UTC" } as const;
const days = new Intl.DateTimeFormat("en-GB", DAY);
const times = new Intl.DateTimeFormat("en-GB", { ...DAY, hour: "2-digit", minute: "2-digit" });

/** "1 Jan 2027": a day as people read it. What is no ISO day stays as it is. */
export function dayText(day: string): string {
  return /^\d{4}-\d{2}-\d{2}/.test(day) ? formatted(days, `${day.slice(0, 10)}T00:00:00Z`) : day;
}

/** The day of a moment, in UTC. */
export function dayOfMomentText(moment: Date | string): string {
  return formatted(days, moment);
}

/** "1 Jan 2027, 08:30", in UTC. */
export function momentText(moment: Date | string): string {
  return formatted(times, moment);
}

/** What is no moment stays as it is. */
function formatted(format: Intl.DateTimeFormat, moment: Date | string): string {
  const time = new Date(moment);
  return Number.isNaN(time.getTime()) ? String(moment) : format.format(time);
}
