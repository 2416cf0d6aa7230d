import { createHash, randomUUID, timingSafeEqual } from "node:crypto";
import { and, eq, gt } from "drizzle-orm";
import { z } from "zod";
import { act } from "../act";
import { type Context, ownContext } from "../context";
import type { Database } from "../db/client";
import type { PersonId } from "../db/ids";
import { affectedRows, insertedId } from "../db/results";
import { accounts, credentials, organisations, people, setUpLinks, sites } from "../db/schema";
import { recordEvent } from "../inventory/events";
import { nameSchema } from "../inventory/named";
import { checked, ok, type Result, refused } from "../problems";
import { REGIONAL } from "./organisation";
import { hashPassword, PASSWORD_LENGTH } from "./passwords";

const VALID_HOURS = 48;
const hashOf = (code: string) => createHash("sha256").update(code).digest("hex");

/** Whether nobody has an account yet, so that somebody has to make the first. */
export async function isNew(db: Database): Promise<boolean> {
  return (await db.$count(accounts)) === 0;
}

/** Lets whoever knows `code` set Creel up, within two days; a link of before is of no use any more. */
export async function allowSetUp(db: Database, code: string, now: Date): Promise<void> {
  const expiresAt = new Date(now.getTime() + VALID_HOURS * 3_600_000);
  await act(
    ownContext(db, () => now),
    null,
    async ({ db: tx }) => {
      await tx.delete(setUpLinks);
      await tx.insert(setUpLinks).values({ hash: hashOf(code), expiresAt });
      return ok(null);
    },
  );
}

/** Whether a code is that of the link that was printed, not used yet and not too old. */
export async function isSetUpCode(db: Database, code: string, now: Date): Promise<boolean> {
  const [link] = await db.select().from(setUpLinks).where(gt(setUpLinks.expiresAt, now)).limit(1);
  return link !== undefined && timingSafeEqual(Buffer.from(link.hash), Buffer.from(hashOf(code)));
}

const passwordSchema = z
  .string()
  .min(PASSWORD_LENGTH.least, `A password has at least ${PASSWORD_LENGTH.least} characters.`)
  .max(PASSWORD_LENGTH.most, `A password has at most ${PASSWORD_LENGTH.most} characters.`);

export const mailAddressSchema = z
  .email("A mail address is needed, such as ina@example.org.")
  .max(254, "A mail address has at most 254 characters.")
  .transform((address) => address.toLowerCase());

const setUpSchema = z.strictObject({
  code: z.string().max(100),
  organisation: nameSchema,
  ...REGIONAL,
  site: nameSchema,
  name: nameSchema,
  mail: mailAddressSchema,
  password: passwordSchema,
});

/**
 * Makes the organisation, its first site and the first administrator, all or nothing, and uses the link up. Gives the mail
 * address to sign in with. Problems: `set-up-over` where somebody has an account, or the link is another one.
 */
export async function setUp(db: Database, now: () => Date, input: unknown): Promise<Result<string>> {
  const parsed = checked(setUpSchema, input);
  if (!parsed.ok) return parsed;
  const { code, organisation, timeZone, currency, site, name, mail, password } = parsed.value;
  const hash = await hashPassword(password);
  return act(ownContext(db, now), { field: "site", value: site }, async (own) => {
    const { db: tx } = own;
    // Two who come with one link: the row is gone for the second.
    const used = await tx
      .delete(setUpLinks)
      .where(and(eq(setUpLinks.hash, hashOf(code)), gt(setUpLinks.expiresAt, now())));
    if (affectedRows(used) !== 1 || !(await isNew(tx))) return refused({ code: "set-up-over" });
    await tx.insert(organisations).values({ id: 1, name: organisation, timeZone, currency });
    const personId = await personCalled(own, name);
    const context = { ...own, person: { id: personId, name } };
    const known = await tx.query.sites.findFirst({ where: eq(sites.name, site) });
    if (!known) {
      const siteId = insertedId(await tx.insert(sites).values({ name: site }).$returningId());
      await recordEvent(tx, context, {
        ...{ entity: "site", entityId: siteId, entityTag: site, action: "added", version: 1 },
        ...{ before: null, after: { name: site } },
      });
    }
    await insertAccount(context, { personId, name, mail, role: "administrator", hash });
    return ok(mail);
  });
}

/** The person of that name, who may be in the records already; added where there is none. */
async function personCalled(context: Context, name: string): Promise<PersonId> {
  const { db: tx } = context;
  const known = await tx.query.people.findFirst({ where: eq(people.name, name) });
  if (known) return known.id;
  const id = insertedId(await tx.insert(people).values({ name }).$returningId());
  await recordEvent(
    tx,
    { ...context, person: { id, name } },
    {
      ...{ entity: "person", entityId: id, entityTag: name, action: "added", version: 1 },
      ...{ before: null, after: { name } },
    },
  );
  return id;
}

interface NewAccount {
  personId: PersonId;
  name: string;
  mail: string;
  role: string;
  /** Of its password; null: it is chosen by a link. */
  hash: string | null;
}

/** Adds an account within an act, and gives its id. */
export async function insertAccount(
  { db: tx }: Context,
  { personId, name, mail, role, hash }: NewAccount,
): Promise<string> {
  const id = randomUUID();
  await tx.insert(accounts).values({ id, name, email: mail, emailVerified: hash === null, personId, role });
  if (hash !== null)
    await tx
      .insert(credentials)
      .values({ id: randomUUID(), userId: id, accountId: id, providerId: "credential", password: hash });
  return id;
}
