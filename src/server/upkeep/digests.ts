import { desc, eq } from "drizzle-orm";
import { dayOf } from "@/core/kernel/days";
import { changedSince } from "@/core/upkeep/digest";
import { type DueItem, personOf } from "@/core/upkeep/due";
import { digestText } from "@/core/words/digest";
import { reportedText } from "@/core/words/reports";
import { act } from "../act";
import { openReports } from "../arrivals/arrivals";
import type { Context } from "../context";
import { digests } from "../db/schema";
import { type Mailer, mailer, Outbox } from "../host/mailer";
import { Again, type JobKind, type Round } from "../jobs/engine";
import { log } from "../log";
import { ok } from "../problems";
import { type Audience, listAudiences } from "./addresses";
import { everythingDue } from "./due";
import { openSnoozes } from "./snoozes";

function keyOf({ kind, name }: Audience): string {
  return `${kind} ${name}`;
}

/** Whether something that is due has to do with a place or a person. */
function concerns({ kind, name }: Audience, item: DueItem): boolean {
  return kind === "site" ? item.site === name : personOf(item) === name;
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

const DAY_MS = 86_400_000;
const REPORTS_MOST = 1_000;

/** What became of a round of digests. What could not be sent comes again with the next. */
export interface DigestRound {
  sent: number;
  quiet: number;
  /** Names of those to whom it could not be sent. */
  failed: string[];
}

/**
 * Writes to every place and person what changed since their last digest; whoever has nothing new gets none. Of whom no
 * address is recorded, theirs is laid into the outbox.
 */
export async function sendDigests(
  context: Context,
  through: Mailer = mailer(),
  check: () => void = () => {},
): Promise<DigestRound> {
  const now = context.now();
  const today = dayOf(now);
  const [due, snoozed, all, reports] = await Promise.all([
    everythingDue(context),
    openSnoozes(context, today),
    listAudiences(context),
    openReports(context, REPORTS_MOST),
  ]);
  const putOff = new Set(snoozed.map(({ dueKey }) => dueKey));
  const outbox = new Outbox();
  const round: DigestRound = { sent: 0, quiet: 0, failed: [] };
  for (const audience of all) {
    check();
    const { name, mail } = audience;
    const concerning = due.filter((item) => concerns(audience, item) && !putOff.has(item.key));
    const [last] = await context.db
      .select({ due: digests.due, sentAt: digests.sentAt })
      .from(digests)
      .where(eq(digests.audience, keyOf(audience)))
      .orderBy(desc(digests.id))
      .limit(1);
    const since = last?.sentAt ?? new Date(now.getTime() - DAY_MS);
    const reported = reports
      .filter(({ at, site }) => audience.kind === "site" && site === name && at > since)
      .map((report) => reportedText(report.computer, report));
    const digest = digestText(name, changedSince(concerning, last?.due ?? []), today, reported);
    if (!digest) {
      round.quiet++;
      continue;
    }
    try {
      const to = { name, address: mail ?? addressOf(name) };
      const file = await (mail === null ? outbox : through).send({ to, ...digest }, now);
      await act(context, null, async ({ db }) => {
        await db.insert(digests).values({
          audience: keyOf(audience),
          due: concerning.map((item) => item.key),
          file: file.slice(0, 200),
          sentAt: now,
        });
        return ok(file);
      });
      round.sent++;
    } catch (error) {
      log.error({ err: error, audience: keyOf(audience) }, "a digest could not be sent");
      round.failed.push(name);
    }
  }
  return round;
}

/** When digests were written last; null: never. */
export async function lastDigest(context: Context): Promise<Date | null> {
  const [row] = await context.db.select({ at: digests.sentAt }).from(digests).orderBy(desc(digests.id)).limit(1);
  return row?.at ?? null;
}

const HOUR_MS = 3_600_000;
/** Once a day, from this hour on (UTC). */
const FROM_HOUR = "05:00:00";

/** The digests of a day, written once by whichever process comes to it. */
export const DIGEST_ROUND: Round = {
  kind: "digests",
  next: (now) => ({ once: dayOf(now), dueAt: new Date(`${dayOf(now)}T${FROM_HOUR}Z`) }),
};

/** Whoever got theirs gets none again; where somebody could not be written to, it is tried again after an hour. */
export const digestWork: JobKind = {
  isRepeatable: true,
  run: async (work) => {
    const round = await sendDigests(work.context, mailer(), () => work.check());
    if (round.failed.length > 0) throw new Again(HOUR_MS);
    return round;
  },
};
