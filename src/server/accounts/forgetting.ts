import { and, eq, isNull, ne } from "drizzle-orm";
import { formerMemberText } from "@/core/words/accounts";
import { act } from "../act";
import type { Context } from "../context";
import type { PersonId } from "../db/ids";
import { accounts, digests, events, feedEntries, people, tokens } from "../db/schema";
import { recordEvent } from "../inventory/events";
import { fail, ok, type Result, refused } from "../problems";

/**
 * Takes away what says who somebody was, who has left: their name, their mail addresses, their account and all that it was
 * proved by. What they did stays, under a number. What others wrote of them in notes stays too. Problems: `own-account`,
 * `account-open`, `not-found`.
 */
export async function forgetPerson(context: Context, personId: PersonId): Promise<Result<null>> {
  if (personId === context.person.id) return refused({ code: "own-account" });
  return act(context, null, async (acting) => {
    const { db: tx, now } = acting;
    const [person] = await tx.select().from(people).where(eq(people.id, personId)).for("update");
    if (!person) return fail({ code: "not-found", what: "person" });
    const open = await tx
      .select({ id: accounts.id })
      .from(accounts)
      .where(and(eq(accounts.personId, personId), isNull(accounts.closedAt)));
    if (open.length > 0) return refused({ code: "account-open", name: person.name });
    const name = formerMemberText(personId);
    // Sessions, passkeys, second factors and sites go with the account.
    await tx.delete(accounts).where(eq(accounts.personId, personId));
    await tx
      .update(tokens)
      .set({ endedAt: now() })
      .where(and(eq(tokens.ofPersonId, personId), isNull(tokens.endedAt)));
    await tx
      .update(people)
      .set({ name, role: null, mail: null, version: person.version + 1 })
      .where(eq(people.id, personId));
    const own = { personName: name };
    await tx
      .update(events)
      .set(own)
      .where(and(eq(events.personId, personId), ne(events.personName, name)));
    await tx.update(feedEntries).set(own).where(eq(feedEntries.personName, person.name));
    await tx.delete(digests).where(eq(digests.audience, `person ${person.name}`));
    // What the log says of the person themself.
    const told = { entityTag: name, before: null, after: null };
    await tx
      .update(events)
      .set(told)
      .where(and(eq(events.entity, "person"), eq(events.entityId, personId)));
    await recordEvent(tx, acting, {
      ...{ entity: "person", entityId: personId, entityTag: name, action: "removed", version: person.version + 1 },
      ...{ before: null, after: null },
    });
    return ok(null);
  });
}
