import { desc, eq } from "drizzle-orm";
import { changedSince, digestText } from "@/core/upkeep/digest";
import { type DueItem, personOf } from "@/core/upkeep/due";
import type { Context } from "../context";
import { digests, people, sites } from "../db/schema";
import { everythingDue } from "./due";
import { type Mailer, mailer } from "./mailer";
import { openSnoozes } from "./snoozes";

interface Audience {
  key: string;
  name: string;
  concerns: (item: DueItem) => boolean;
}

/** Every place and every person with whom something that is due has to do. */
async function audiences(context: Context): Promise<Audience[]> {
  const [places, staff] = await Promise.all([
    context.db.select({ name: sites.name }).from(sites).orderBy(sites.name),
    context.db.select({ name: people.name }).from(people).orderBy(people.name),
  ]);
  return [
    ...places.map(({ name }) => ({ key: `site ${name}`, name, concerns: ({ site }: DueItem) => site === name })),
    ...staff.map(({ name }) => ({
      key: `person ${name}`,
      name,
      concerns: (item: DueItem) => personOf(item) === name,
    })),
  ];
}

/** An address that leads nowhere, where none is recorded (RFC 2606, 2). */
function addressOf(name: string): string {
  const local = name
    .toLowerCase()
    .normalize("NFKD")
    .replace(/[^a-z0-9]+/g, ".")
    .replace(/^\.+|\.+$/g, "");
  return `${local || "somebody"}@creel.invalid`;
}

/**
 * Writes to every place and person what changed since their last digest; whoever has nothing new gets none. Gives how
 * many were sent.
 */
export async function sendDigests(
  context: Context,
  through: Mailer = mailer(),
): Promise<{ sent: number; quiet: number }> {
  const now = context.now();
  const today = now.toISOString().slice(0, 10);
  const [due, snoozed, all] = await Promise.all([
    everythingDue(context),
    openSnoozes(context, today),
    audiences(context),
  ]);
  const putOff = new Set(snoozed.map(({ dueKey }) => dueKey));
  const counts = { sent: 0, quiet: 0 };
  for (const { key, name, concerns } of all) {
    const own = due.filter((item) => concerns(item) && !putOff.has(item.key));
    const [last] = await context.db
      .select({ due: digests.due })
      .from(digests)
      .where(eq(digests.audience, key))
      .orderBy(desc(digests.id))
      .limit(1);
    const digest = digestText(name, changedSince(own, last?.due ?? []), today);
    if (!digest) {
      counts.quiet++;
      continue;
    }
    const file = await through.send({ to: { name, address: addressOf(name) }, ...digest }, now);
    await context.db
      .insert(digests)
      .values({ audience: key, due: own.map((item) => item.key), file: file.slice(0, 200), sentAt: now });
    counts.sent++;
  }
  return counts;
}

/** When digests were written last; null: never. */
export async function lastDigest(context: Context): Promise<Date | null> {
  const [row] = await context.db.select({ at: digests.sentAt }).from(digests).orderBy(desc(digests.id)).limit(1);
  return row?.at ?? null;
}

const HOUR_MS = 3_600_000;
/** Once a day, from this hour on (UTC). */
const FROM_HOUR = 5;

/** Writes the day's digests, if none were written on that day yet. Gives whether it did. */
export async function sendIfDue(context: Context): Promise<boolean> {
  const now = context.now();
  const last = await lastDigest(context);
  const isDone = last !== null && last.toISOString().slice(0, 10) === now.toISOString().slice(0, 10);
  if (isDone || now.getUTCHours() < FROM_HOUR) return false;
  await sendDigests(context);
  return true;
}

/** Looks every hour whether the day's digests are due. */
export function startDigests(context: Context, failed: (error: unknown) => void): void {
  const timer = setInterval(() => void sendIfDue(context).catch(failed), HOUR_MS);
  timer.unref();
}
