/** Made once: a list of due things formats some hundreds of days, and making a formatter costs more than using it. */
const DAY = { day: "numeric", month: "short", year: "numeric", timeZone: "UTC" } as const;
const days = new Intl.DateTimeFormat("en-GB", DAY);
const TIME = { ...DAY, hour: "2-digit", minute: "2-digit" } as const;
const timesByZone = new Map<string, Intl.DateTimeFormat>();

/** "1 Jan 2027": a day as people read it. What is no ISO day stays as it is. */
export function dayText(day: string): string {
  return /^\d{4}-\d{2}-\d{2}/.test(day) ? formatted(days, `${day.slice(0, 10)}T00:00:00Z`) : day;
}

/** The day of a moment, in UTC. */
export function dayOfMomentText(moment: Date | string): string {
  return formatted(days, moment);
}

/** "1 Jul 2027, 09:30 BST": a moment in a zone of the IANA time zone database, with what the zone is called then. */
export function zonedMomentText(moment: Date | string, timeZone: string, withName: boolean): string {
  const key = [timeZone, withName].join(" ");
  let format = timesByZone.get(key);
  if (!format) {
    format = new Intl.DateTimeFormat("en-GB", { ...TIME, timeZone, ...(withName ? { timeZoneName: "short" } : {}) });
    timesByZone.set(key, format);
  }
  return formatted(format, moment);
}

/** What is no moment stays as it is. */
function formatted(format: Intl.DateTimeFormat, moment: Date | string): string {
  const time = new Date(moment);
  return Number.isNaN(time.getTime()) ? String(moment) : format.format(time);
}
