import { and, asc, eq, isNull, sql } from "drizzle-orm";
import { z } from "zod";
import {
  type CalendarRelease,
  readCalendar,
  releaseOfVersion,
  type SupportState,
  supportOn,
} from "@/core/computer/calendars/calendar";
import { act } from "../act";
import type { Context } from "../context";
import { insertedId } from "../db/results";
import { calendars, computers } from "../db/schema";
import { checked, ok, type Result, refused } from "../problems";
import { recordEvent } from "./events";
import { saveVersioned } from "./versioned";

export type CalendarRow = typeof calendars.$inferSelect;

const importSchema = z.object({
  product: z.string().trim().min(1, "Name the product as computers call it, such as “Kittiwake”.").max(120),
  fileName: z.string().max(255).nullable(),
  text: z.string().max(2_000_000, "A calendar is a small file; this one is too large."),
});

/** Takes a calendar in, in place of the product's earlier one. All or nothing. */
export async function importCalendar(context: Context, input: unknown): Promise<Result<number>> {
  const parsed = checked(importSchema, input);
  if (!parsed.ok) return parsed;
  const { product, fileName, text } = parsed.value;
  const reading = readCalendar(text);
  if (!reading.ok) return refused({ code: "calendar-unreadable", problems: reading.problems }, "file");
  const { releases } = reading;
  const told = (list: CalendarRelease[]) => ({ releases: list.length, latest: list.at(-1)?.series ?? null });
  return act(context, { field: "calendar of", value: product }, async ({ db: tx }) => {
    const [current] = await tx.select().from(calendars).where(eq(calendars.product, product)).for("update");
    if (!current) {
      const row = await tx
        .insert(calendars)
        .values({ product, fileName, releases, createdAt: context.now(), updatedAt: context.now() })
        .$returningId();
      await recordEvent(tx, context, {
        entity: "calendar",
        entityId: insertedId(row),
        entityTag: product,
        action: "added",
        version: 1,
        before: null,
        after: told(releases),
      });
      return ok(releases.length);
    }
    if (JSON.stringify(current.releases) === JSON.stringify(releases)) return ok(releases.length);
    const saved = await saveVersioned(tx, context, calendars, {
      entity: "calendar",
      id: current.id,
      version: current.version,
      tag: product,
      action: "changed",
      set: { fileName, releases },
      before: told(current.releases),
      after: told(releases),
    });
    return saved.ok ? ok(releases.length) : saved;
  });
}

export function listCalendars(context: Context): Promise<CalendarRow[]> {
  return context.db.select().from(calendars).orderBy(asc(calendars.product));
}

/** What a calendar says of an installed system on a day. Null: no calendar of it, or not of this version. */
export interface SystemSupport {
  release: CalendarRelease;
  support: SupportState;
}

/** The calendar whose product the system's name is, or begins with. */
export function calendarOf(all: CalendarRow[], systemName: string): CalendarRow | null {
  const name = systemName.toLowerCase();
  const fits = all.filter(
    ({ product }) => name === product.toLowerCase() || name.startsWith(`${product.toLowerCase()} `),
  );
  return fits.sort((a, b) => b.product.length - a.product.length)[0] ?? null;
}

export function supportOf(
  all: CalendarRow[],
  system: { name: string; version: string | null },
  day: string,
): SystemSupport | null {
  const calendar = calendarOf(all, system.name);
  const release = calendar && releaseOfVersion(calendar.releases, system.version);
  return release ? { release, support: supportOn(release, day) } : null;
}

export interface SystemItem {
  name: string;
  version: string | null;
  computers: number;
  /** The calendar's product, or null where none is there for it. */
  calendar: string | null;
  support: SystemSupport | null;
}

const SYSTEMS_MAX = 500;

/** The systems in service, each with how it stands today; those that ended longest ago first. */
export async function listSystems(context: Context, day: string): Promise<SystemItem[]> {
  const [rows, all] = await Promise.all([
    context.db
      .select({ name: computers.systemName, version: computers.systemVersion, count: sql<number>`COUNT(*)` })
      .from(computers)
      .where(and(isNull(computers.retiredAt), sql`${computers.systemName} IS NOT NULL`))
      .groupBy(computers.systemName, computers.systemVersion)
      .limit(SYSTEMS_MAX),
    listCalendars(context),
  ]);
  const items = rows.map(({ name, version, count }): SystemItem => {
    const system = { name: name as string, version };
    return {
      ...system,
      computers: Number(count),
      calendar: calendarOf(all, system.name)?.product ?? null,
      support: supportOf(all, system, day),
    };
  });
  const rank = (item: SystemItem) => item.support?.support.end?.date ?? "9999";
  return items.sort((a, b) => (rank(a) < rank(b) ? -1 : rank(a) > rank(b) ? 1 : a.name.localeCompare(b.name)));
}
