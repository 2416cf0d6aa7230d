import { and, desc, getTableColumns, like, lt, or, type SQL, sql } from "drizzle-orm";
import type { Context } from "../context";
import type { AuditId } from "../db/ids";
import { nameOf } from "../db/results";
import { audits, people } from "../db/schema";

export interface Asked {
  /** The code of what was asked. */
  act: string;
  /** "done", or the code of what it was refused for. */
  outcome: string;
  /** The address that it came from. */
  origin: string | null;
  detail?: Record<string, unknown> | null;
}

/** Writes down what was asked, by whom and from where. `person`: null where nobody had signed in. */
export async function recordAudit(
  { db, now }: Pick<Context, "db" | "now">,
  person: Context["person"] | null,
  { act, outcome, origin, detail = null }: Asked,
): Promise<void> {
  const who = { personId: person?.id ?? null, origin: origin?.slice(0, 64) ?? null };
  await db.insert(audits).values({ at: now(), ...who, act: act.slice(0, 60), outcome: outcome.slice(0, 60), detail });
}

export type AuditRow = typeof audits.$inferSelect & { personName: string | null };

const auditColumns = { ...getTableColumns(audits), personName: sql<string | null>`${nameOf(audits.personId)}` };

/** What of the audit is asked for: words in who, what, where from; refused ones alone. */
export interface AuditFilter {
  text: string;
  isRefused: boolean;
}

function matching({ text, isRefused }: AuditFilter): SQL | undefined {
  // "%" and "_" are what they are, not wild cards.
  const words = text.trim().split(/\s+/).filter(Boolean).slice(0, 8);
  const holds = words.map((word) => {
    const pattern = `%${word.replace(/[\\%_]/g, "\\$&")}%`;
    return or(
      sql`${audits.personId} IN (SELECT ${people.id} FROM ${people} WHERE ${like(people.name, pattern)})`,
      like(audits.act, pattern),
      like(audits.outcome, pattern),
      like(audits.origin, pattern),
    );
  });
  return and(...holds, isRefused ? sql`${audits.outcome} <> 'done'` : undefined);
}

/** A page of the audit, the latest first, and how many there are in all. */
export async function listAudit(
  { db }: Context,
  filter: AuditFilter,
  { page, rows }: { page: number; rows: number },
): Promise<{ rows: AuditRow[]; total: number }> {
  const where = matching(filter);
  const [found, total] = await Promise.all([
    db
      .select(auditColumns)
      .from(audits)
      .where(where)
      .orderBy(desc(audits.id))
      .limit(rows)
      .offset((page - 1) * rows),
    db.$count(audits, where),
  ]);
  return { rows: found, total };
}

const EXPORTED_AT_ONCE = 1_000;

/** All of the audit that a filter leaves, the latest first. */
export async function* eachAudit({ db }: Context, filter: AuditFilter): AsyncGenerator<AuditRow[]> {
  for (let before: AuditId | null = null; ; ) {
    const rows: AuditRow[] = await db
      .select(auditColumns)
      .from(audits)
      .where(and(matching(filter), before === null ? undefined : lt(audits.id, before)))
      .orderBy(desc(audits.id))
      .limit(EXPORTED_AT_ONCE);
    if (rows.length > 0) yield rows;
    if (rows.length < EXPORTED_AT_ONCE) return;
    before = rows.at(-1)?.id ?? null;
  }
}
