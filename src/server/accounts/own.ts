import { and, desc, eq, gt } from "drizzle-orm";
import { act } from "../act";
import type { Context } from "../context";
import { affectedRows } from "../db/results";
import { sessions } from "../db/schema";
import { fail, ok, type Result } from "../problems";
import type { SignedIn } from "./sessions";

/** A session of somebody's own: where from, with what, and when it was last used. */
export interface OwnSession {
  id: string;
  from: string | null;
  agent: string | null;
  since: Date;
  lastSeen: Date;
  isThis: boolean;
}

/** The sessions of whoever asks that are not over, the latest first. */
export async function ownSessions(
  { db, now, account }: Context & { account: SignedIn },
  limit = 50,
): Promise<OwnSession[]> {
  const rows = await db
    .select()
    .from(sessions)
    .where(and(eq(sessions.userId, account.accountId), gt(sessions.expiresAt, now())))
    .orderBy(desc(sessions.updatedAt))
    .limit(limit);
  return rows.map(({ id, ipAddress, userAgent, createdAt, updatedAt }) => ({
    ...{ id, from: ipAddress || null, agent: userAgent || null, since: createdAt, lastSeen: updatedAt },
    isThis: id === account.sessionId,
  }));
}

/** Ends one of somebody's own sessions. */
export async function endOwnSession(
  context: Context & { account: SignedIn },
  sessionId: string,
): Promise<Result<null>> {
  return act(context, null, async ({ db: tx }) => {
    const ended = await tx
      .delete(sessions)
      .where(and(eq(sessions.id, sessionId), eq(sessions.userId, context.account.accountId)));
    return affectedRows(ended) === 1 ? ok(null) : fail({ code: "not-found", what: "session" });
  });
}
