import { createHash } from "node:crypto";
import { and, asc, eq, gt, isNull, or } from "drizzle-orm";
import ical, { ICalCalendarMethod, ICalEventStatus, ICalEventTransparency } from "ical-generator";
import { dayAfter, dayOf } from "@/core/kernel/days";
import { type DueItem, personOf } from "@/core/upkeep/due";
import { consequenceText, dueReasonText, dueTitle } from "@/core/words/upkeep";
import { act } from "../act";
import type { Context } from "../context";
import { feedEntries } from "../db/schema";
import type { JobKind, Round } from "../jobs/engine";
import { ok } from "../problems";
import { everythingDue } from "./due";
import { openSnoozes } from "./snoozes";

/** A called-off entry is told for so long: by then every calendar has asked. */
const CANCELLED_DAYS = 60;

type Entry = typeof feedEntries.$inferSelect;

/** The day of an entry: the last one on which it can be done in time; without a day, the one on which it came up. */
function dueDay(
  { breaksOn, reason }: DueItem,
  today: string,
  snoozedUntil: string | undefined,
  known: string | undefined,
) {
  if (snoozedUntil) return snoozedUntil;
  if (reason.code === "drill-planned") return reason.on;
  if (breaksOn !== null) return dayAfter(breaksOn, -1);
  return known ?? today;
}

/** Brings what calendars are told in line with what is due: new, changed with a higher number, called off. */
export async function refreshEntries(context: Context): Promise<void> {
  const today = dayOf(context.now());
  const [due, snoozed, known] = await Promise.all([
    everythingDue(context),
    openSnoozes(context, today),
    context.db.select().from(feedEntries),
  ]);
  const until = new Map(snoozed.map(({ dueKey, until: day }) => [dueKey, day]));
  const entries = new Map(known.map((entry) => [entry.dueKey, entry]));
  const updatedAt = context.now();
  const fresh: (typeof feedEntries.$inferInsert)[] = [];
  const changed: { id: number; set: Partial<Entry> }[] = [];
  for (const item of due) {
    const before = entries.get(item.key);
    entries.delete(item.key);
    const told = {
      on: dueDay(item, today, until.get(item.key), before?.cancelledAt ? undefined : before?.on),
      summary: dueTitle(item).slice(0, 300),
      description: [dueReasonText(item.reason), consequenceText(item, today)].filter(Boolean).join(" "),
      ...{ site: item.site, personName: personOf(item) },
    };
    if (!before) fresh.push({ dueKey: item.key, ...told, createdAt: updatedAt, updatedAt });
    else if (before.cancelledAt || isOther(before, told))
      changed.push({ id: before.id, set: { ...told, sequence: before.sequence + 1, cancelledAt: null, updatedAt } });
  }
  for (const gone of entries.values())
    if (!gone.cancelledAt)
      changed.push({ id: gone.id, set: { sequence: gone.sequence + 1, cancelledAt: updatedAt, updatedAt } });
  await act(context, null, async ({ db: tx }) => {
    for (let at = 0; at < fresh.length; at += 500)
      await tx
        .insert(feedEntries)
        .values(fresh.slice(at, at + 500))
        // Two that ask at once tell the same.
        .onDuplicateKeyUpdate({ set: { updatedAt } });
    for (const { id, set } of changed) await tx.update(feedEntries).set(set).where(eq(feedEntries.id, id));
    return ok(fresh.length + changed.length);
  });
}

function isOther(before: Entry, told: Pick<Entry, "on" | "summary" | "site" | "personName">): boolean {
  return (["on", "summary", "site", "personName"] as const).some((key) => before[key] !== told[key]);
}

const EVERY_MS = 5 * 60_000;

/** What calendars are told is brought in line every five minutes: whoever asks for it only reads. */
export const CALENDAR_ROUND: Round = {
  kind: "calendar",
  next: (now) => {
    const since = new Date(Math.floor(now.getTime() / EVERY_MS) * EVERY_MS);
    return { once: since.toISOString().slice(0, 16), dueAt: since };
  },
};

export const calendarWork: JobKind = {
  isRepeatable: true,
  slots: 1,
  run: async (work) => {
    await refreshEntries(work.context);
    return null;
  },
};

/**
 * What is due as a calendar (RFC 5545), for a place, a person, or all: whole days that stay on their date in every time
 * zone (VALUE=DATE). An entry keeps its UID; a change has a higher SEQUENCE, what is done or void STATUS:CANCELLED.
 */
export async function calendarFeed(
  context: Context,
  { site, person }: { site: string | null; person: string | null },
): Promise<string> {
  const since = new Date(context.now().getTime() - CANCELLED_DAYS * 86_400_000);
  const rows = await context.db
    .select()
    .from(feedEntries)
    .where(
      and(
        or(isNull(feedEntries.cancelledAt), gt(feedEntries.cancelledAt, since)),
        site === null ? undefined : eq(feedEntries.site, site),
        person === null ? undefined : eq(feedEntries.personName, person),
      ),
    )
    .orderBy(asc(feedEntries.on), asc(feedEntries.id));
  const calendar = ical({
    name: ["Upkeep", site, person].filter(Boolean).join(", "),
    prodId: { company: "Creel", product: "Upkeep", language: "EN" },
    method: ICalCalendarMethod.PUBLISH,
  });
  for (const entry of rows) {
    const day = (on: string) => new Date(`${on}T00:00:00Z`);
    calendar.createEvent({
      id: `${createHash("sha256").update(entry.dueKey).digest("hex").slice(0, 32)}@creel`,
      ...{ start: day(entry.on), end: day(dayAfter(entry.on, 1)), allDay: true },
      ...{ summary: entry.summary, description: entry.description, location: entry.site ?? "" },
      ...{ sequence: entry.sequence, stamp: entry.updatedAt, created: entry.createdAt, lastModified: entry.updatedAt },
      status: entry.cancelledAt ? ICalEventStatus.CANCELLED : ICalEventStatus.CONFIRMED,
      // It takes nobody's day.
      transparency: ICalEventTransparency.TRANSPARENT,
    });
  }
  return calendar.toString();
}
