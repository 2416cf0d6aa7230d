import { and, asc, eq } from "drizzle-orm";
import { act } from "../act";
import type { Context } from "../context";
import { affectedRows } from "../db/results";
import { passkeys } from "../db/schema";
import { recordEvent } from "../inventory/events";
import { fail, ok, type Result } from "../problems";
import type { SignedIn } from "./sessions";

interface OwnPasskey {
  id: string;
  name: string | null;
  since: Date;
}

/** The passkeys of whoever asks, the oldest first. */
export async function ownPasskeys({ db, account }: Context & { account: SignedIn }): Promise<OwnPasskey[]> {
  const rows = await db
    .select({ id: passkeys.id, name: passkeys.name, since: passkeys.createdAt })
    .from(passkeys)
    .where(eq(passkeys.userId, account.accountId))
    .orderBy(asc(passkeys.createdAt));
  return rows;
}

/** Removes one of somebody's own passkeys: nobody signs in with it any more. */
export async function removePasskey(
  context: Context & { account: SignedIn },
  passkeyId: string,
): Promise<Result<null>> {
  return act(context, null, async (acting) => {
    const { db: tx, person } = acting;
    const isOwn = and(eq(passkeys.id, passkeyId), eq(passkeys.userId, context.account.accountId));
    const [row] = await tx.select({ name: passkeys.name }).from(passkeys).where(isOwn);
    const removed = await tx.delete(passkeys).where(isOwn);
    if (!row || affectedRows(removed) === 0) return fail({ code: "not-found", what: "passkey" });
    await recordEvent(tx, acting, {
      ...{ entity: "person", entityId: person.id, entityTag: person.name, action: "changed", version: 1 },
      ...{ before: { passkey: row.name }, after: { passkey: null } },
    });
    return ok(null);
  });
}
