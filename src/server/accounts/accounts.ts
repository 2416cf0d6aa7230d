import { randomBytes, randomUUID } from "node:crypto";
import { and, asc, eq, inArray, isNull, ne, sql } from "drizzle-orm";
import { z } from "zod";
import { invitationMailText } from "@/core/words/accounts";
import { act } from "../act";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import type { PersonId, SiteId } from "../db/ids";
import { affectedRows, insertedId } from "../db/results";
import {
  accountSites,
  accounts,
  credentials,
  people,
  secondFactors,
  sessions,
  sites,
  verifications,
} from "../db/schema";
import { ownOrigins } from "../host/addresses";
import { hasMailServer, mailer } from "../host/mailer";
import { changesSince, difference, recordEvent } from "../inventory/events";
import { nameSchema } from "../inventory/named";
import { checked, fail, ok, type Result, refused } from "../problems";
import { type Role, roleSchema } from "./roles";
import { insertAccount, mailAddressSchema } from "./set-up";

const INVITED_DAYS = 7;

/** A person, and what they sign in with; `account`: null where they have none. */
export interface PersonRow {
  id: PersonId;
  name: string;
  job: string | null;
  account: {
    id: string;
    mail: string;
    role: Role;
    /** The sites whose things they may change; none: all. */
    sites: SiteId[];
    version: number;
    isClosed: boolean;
    /** They have chosen a password. */
    isAccepted: boolean;
    hasSecondFactor: boolean;
    sessions: number;
    lastSeen: Date | null;
  } | null;
}

/** Everybody, with their accounts, by name. */
export async function listAccounts({ db, now }: Context): Promise<PersonRow[]> {
  const rows = await db
    .select({
      person: people,
      account: accounts,
      isAccepted: sql<number>`EXISTS (SELECT 1 FROM ${credentials} WHERE ${credentials.userId} = ${accounts.id})`,
      sessions: sql<number>`(SELECT COUNT(*) FROM ${sessions} WHERE ${sessions.userId} = ${accounts.id} AND ${sessions.expiresAt} > ${now()})`,
      lastSeen: sql<
        string | null
      >`(SELECT MAX(${sessions.updatedAt}) FROM ${sessions} WHERE ${sessions.userId} = ${accounts.id})`,
    })
    .from(people)
    .leftJoin(accounts, eq(accounts.personId, people.id))
    .orderBy(asc(people.name));
  const held = await db.select().from(accountSites);
  return rows.map(({ person, account, ...rest }) => ({
    id: person.id,
    name: person.name,
    job: person.role,
    account: account && {
      ...{ id: account.id, mail: account.email, role: roleSchema.catch("reader").parse(account.role) },
      sites: held.flatMap(({ accountId, siteId }) => (accountId === account.id ? [siteId] : [])),
      ...{ version: account.version, isClosed: account.closedAt !== null, hasSecondFactor: account.twoFactorEnabled },
      ...{ isAccepted: Number(rest.isAccepted) === 1, sessions: Number(rest.sessions) },
      lastSeen: rest.lastSeen === null ? null : new Date(`${rest.lastSeen.replace(" ", "T")}Z`),
    },
  }));
}

const invitationSchema = z.strictObject({
  /** Of whom there is a record; null: of somebody new. */
  personId: z.number().int().positive().nullable(),
  name: nameSchema,
  mail: mailAddressSchema,
  role: roleSchema,
});

/** How somebody who is invited comes in: by a link that was sent, and is shown once to whoever invites. */
export interface Invited {
  name: string;
  link: string;
  /** It was not sent: there is no mail server, or it did not take it. */
  isUnsent: boolean;
}

/** Gives somebody an account, and sends the link by which they choose a password. */
export async function invite(context: Context, input: unknown): Promise<Result<Invited>> {
  const parsed = checked(invitationSchema, input);
  if (!parsed.ok) return parsed;
  const { personId, name, mail, role } = parsed.value;
  const made = await act(context, { field: "mail address", value: mail }, async (acting) => {
    const { db: tx } = acting;
    const known = personId === null ? null : await tx.query.people.findFirst({ where: eq(people.id, personId) });
    if (personId !== null && !known) return fail({ code: "not-found", what: "person" });
    const id = known?.id ?? insertedId(await tx.insert(people).values({ name }).$returningId());
    const called = known?.name ?? name;
    await recordEvent(tx, acting, {
      ...{ entity: "person", entityId: id, entityTag: called, action: known ? "changed" : "added", version: 1 },
      ...{ before: null, after: { account: mail, access: role } },
    });
    const account = await insertAccount(acting, { personId: id, name: called, mail, role, hash: null });
    return ok({ account, name: called, link: await passwordLink(acting, account) });
  });
  if (!made.ok) return made;
  return ok(await sendLink(context, { ...made.value, mail }));
}

/** A new link for somebody who has an account: the one of before may be lost or too old. */
export async function inviteAgain(context: Context, accountId: string): Promise<Result<Invited>> {
  const account = await context.db.query.accounts.findFirst({ where: eq(accounts.id, accountId) });
  if (!account || account.closedAt) return fail({ code: "not-found", what: "account" });
  const link = await act(context, null, async (acting) => ok(await passwordLink(acting, account.id)));
  if (!link.ok) return link;
  return ok(await sendLink(context, { name: account.name, link: link.value, mail: account.email }));
}

/** A link for choosing a password, as the sign-in library reads it. */
async function passwordLink({ db: tx, now }: Context, accountId: string): Promise<string> {
  const token = randomBytes(24).toString("base64url");
  const expiresAt = new Date(now().getTime() + INVITED_DAYS * 86_400_000);
  await tx
    .insert(verifications)
    .values({ id: randomUUID(), identifier: `reset-password:${token}`, value: accountId, expiresAt });
  return `${ownOrigins()[0] ?? ""}/password?token=${token}`;
}

async function sendLink(
  { person, now }: Context,
  { name, link, mail }: { name: string; link: string; mail: string },
): Promise<Invited> {
  const told = invitationMailText(name, { link, by: person.name, days: INVITED_DAYS });
  const isUnsent = await mailer()
    .send({ to: { name, address: mail }, ...told, isPersonal: true }, now())
    .then(() => !hasMailServer())
    .catch(() => true);
  return { name, link, isUnsent };
}

const changeSchema = z.strictObject({
  ...{ role: roleSchema, isClosed: z.boolean() },
  /** Not given: as they are. Administrators are held to none. */
  sites: z.array(z.number().int().positive()).max(500).optional(),
});

/**
 * Sets what somebody may do and where, or closes their account, which ends their sessions. Problems: `last-administrator` where
 * nobody would be left who could do this; `stale`.
 */
export async function changeAccount(
  context: Context,
  id: string,
  version: number,
  input: unknown,
): Promise<Result<number>> {
  const parsed = checked(changeSchema, input);
  if (!parsed.ok) return parsed;
  const { role, isClosed } = parsed.value;
  return act(context, { field: "site", value: "" }, async (acting) => {
    const { db: tx, now } = acting;
    const account = await tx.query.accounts.findFirst({ where: eq(accounts.id, id) });
    if (!account) return fail({ code: "not-found", what: "account" });
    // Two administrators who close each other's accounts: the rows that are counted are written, too.
    await tx.update(accounts).set({ updatedAt: now() }).where(eq(accounts.role, "administrator"));
    // Read as it is now, not as it was when this act began.
    const others = await tx
      .select({ id: accounts.id })
      .from(accounts)
      .where(and(eq(accounts.role, "administrator"), isNull(accounts.closedAt), ne(accounts.id, id)))
      .for("update");
    if (others.length === 0 && (role !== "administrator" || isClosed)) return refused({ code: "last-administrator" });
    const closedAt = isClosed ? (account.closedAt ?? now()) : null;
    const written = await tx
      .update(accounts)
      .set({ role, closedAt, version: version + 1 })
      .where(and(eq(accounts.id, id), eq(accounts.version, version)));
    if (affectedRows(written) === 0)
      return fail({
        code: "stale",
        changes: await changesSince(tx, "person", account.personId, version),
        version: account.version,
      });
    if (isClosed) await endAll(acting, [id]);
    const was = (await tx.select().from(accountSites).where(eq(accountSites.accountId, id))).map((each) => each.siteId);
    const is = role === "administrator" ? [] : [...new Set(parsed.value.sites ?? was)];
    await tx.delete(accountSites).where(eq(accountSites.accountId, id));
    if (is.length > 0) await tx.insert(accountSites).values(is.map((siteId) => ({ accountId: id, siteId })));
    const names = await siteNames(tx, [...was, ...is]);
    const changed = difference(
      { access: account.role, closed: account.closedAt !== null, sites: was.map(names) },
      { access: role, closed: isClosed, sites: is.map(names) },
    );
    if (changed)
      await recordEvent(tx, acting, {
        ...{ entity: "person", entityId: account.personId, entityTag: account.name, action: "changed" },
        ...{ version: version + 1, ...changed },
      });
    return ok(version + 1);
  });
}

/** What sites are called, as the log tells them. */
async function siteNames(tx: Queries, ids: SiteId[]): Promise<(id: SiteId) => string> {
  if (ids.length === 0) return String;
  const rows = await tx.select({ id: sites.id, name: sites.name }).from(sites).where(inArray(sites.id, ids));
  const names = new Map(rows.map(({ id, name }) => [id, name]));
  return (id) => names.get(id) ?? String(id);
}

/** Ends every session of some accounts. */
async function endAll({ db: tx }: Context, ids: string[]): Promise<void> {
  await tx.delete(sessions).where(inArray(sessions.userId, ids));
}

/** Ends all of somebody's sessions, wherever they are. */
export async function endSessions(context: Context, accountId: string): Promise<Result<null>> {
  return act(context, null, async (acting) => {
    await endAll(acting, [accountId]);
    return ok(null);
  });
}

/** Takes somebody's second factor away, who lost it. */
export async function removeSecondFactor(context: Context, accountId: string): Promise<Result<null>> {
  return act(context, null, async (acting) => {
    const { db: tx } = acting;
    const account = await tx.query.accounts.findFirst({ where: eq(accounts.id, accountId) });
    if (!account) return fail({ code: "not-found", what: "account" });
    await tx.delete(secondFactors).where(eq(secondFactors.userId, accountId));
    await tx.update(accounts).set({ twoFactorEnabled: false }).where(eq(accounts.id, accountId));
    await endAll(acting, [accountId]);
    await recordEvent(tx, acting, {
      ...{ entity: "person", entityId: account.personId, entityTag: account.name, action: "changed" },
      version: account.version,
      before: { "second factor": true },
      after: { "second factor": false },
    });
    return ok(null);
  });
}
