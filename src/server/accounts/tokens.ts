import { createHash, randomBytes } from "node:crypto";
import { and, desc, eq, getTableColumns, gt, isNull, or } from "drizzle-orm";
import { z } from "zod";
import { act } from "../act";
import type { Context } from "../context";
import type { Database } from "../db/client";
import type { TokenId } from "../db/ids";
import { affectedRows, insertedId, nameOf } from "../db/results";
import { computers, people, sites, tokens } from "../db/schema";
import { recordEvent } from "../inventory/events";
import { nameSchema } from "../inventory/named";
import { checked, fail, ok, type Result } from "../problems";

/** What a token is good for, and for nothing else. */
export const TOKEN_KINDS = ["calendar", "read", "facts", "metrics", "bench"] as const;
export type TokenKind = (typeof TOKEN_KINDS)[number];

/** Found by whoever looks for secrets in files that should have none. */
const PREFIX = "creel_";
const SECRET = /^creel_[A-Za-z0-9_-]{43}$/;
const DAYS_MOST = 1_830;
const DAY_MS = 86_400_000;
const ENDED_DAYS = 30;
/** When a token was used is told to the minute. */
const SEEN_EVERY_MS = 60_000;

const hashOf = (secret: string) => createHash("sha256").update(secret).digest("hex");

const tokenSchema = z.strictObject({
  name: nameSchema,
  kind: z.enum(TOKEN_KINDS),
  siteId: z.number().int().positive().nullable().default(null),
  computerId: z.number().int().positive().nullable().default(null),
  ofPersonId: z.number().int().positive().nullable().default(null),
  /** Null: until it is ended. */
  days: z.number().int().min(1, "At least one day.").max(DAYS_MOST, "At most five years.").nullable(),
});

/** Makes a token, and gives its secret, which nobody can be told again. */
export async function makeToken(context: Context, input: unknown): Promise<Result<{ id: TokenId; secret: string }>> {
  const parsed = checked(tokenSchema, input);
  if (!parsed.ok) return parsed;
  const { days, ...told } = parsed.value;
  const secret = PREFIX + randomBytes(32).toString("base64url");
  return act(context, { field: "site", value: "" }, async (acting) => {
    const now = acting.now();
    const expiresAt = days === null ? null : new Date(now.getTime() + days * DAY_MS);
    const row = { ...told, expiresAt, hash: hashOf(secret), createdById: acting.person.id, createdAt: now };
    const id = insertedId(await acting.db.insert(tokens).values(row).$returningId());
    await recordEvent(acting.db, acting, {
      ...{ entity: "token", entityId: id, entityTag: told.name, action: "added", version: 1, before: null },
      after: { kind: told.kind, until: expiresAt?.toISOString().slice(0, 10) ?? null },
    });
    return ok({ id, secret });
  });
}

/** Ends a token at once. */
export async function endToken(context: Context, id: TokenId): Promise<Result<null>> {
  return act(context, null, async (acting) => {
    const row = await acting.db.query.tokens.findFirst({ where: eq(tokens.id, id) });
    const ended = await acting.db
      .update(tokens)
      .set({ endedAt: acting.now() })
      .where(and(eq(tokens.id, id), isNull(tokens.endedAt)));
    if (!row || affectedRows(ended) === 0) return fail({ code: "not-found", what: "token" });
    await recordEvent(acting.db, acting, {
      ...{ entity: "token", entityId: id, entityTag: row.name, action: "ended", version: 2 },
      ...{ before: { ended: false }, after: { ended: true } },
    });
    return ok(null);
  });
}

export type TokenRow = Omit<typeof tokens.$inferSelect, "hash"> & {
  site: string | null;
  computer: string | null;
  ofPerson: string | null;
  createdBy: string;
};

/** All tokens, the latest first; those that were ended for `ENDED_DAYS` more. */
export async function listTokens({ db, now }: Context, kind: TokenKind | null = null): Promise<TokenRow[]> {
  const { hash: _, ...columns } = getTableColumns(tokens);
  const since = new Date(now().getTime() - ENDED_DAYS * DAY_MS);
  const rows = await db
    .select({
      ...{ row: columns, site: sites.name, computer: computers.tag, ofPerson: people.name },
      createdBy: nameOf(tokens.createdById),
    })
    .from(tokens)
    .leftJoin(sites, eq(sites.id, tokens.siteId))
    .leftJoin(computers, eq(computers.id, tokens.computerId))
    .leftJoin(people, eq(people.id, tokens.ofPersonId))
    .where(
      and(or(isNull(tokens.endedAt), gt(tokens.endedAt, since)), kind === null ? undefined : eq(tokens.kind, kind)),
    )
    .orderBy(desc(tokens.id))
    .limit(500);
  return rows.map(({ row, ...rest }) => ({ ...row, ...rest }));
}

/** Who comes with a token: what it is good for, and of what. */
export interface Bearer {
  id: TokenId;
  name: string;
  kind: TokenKind;
  site: { id: number; name: string } | null;
  /** The tag of the only computer that it is for. */
  computer: string | null;
  /** Where it comes from today. */
  origin: string | null;
  person: { id: number; name: string } | null;
  /** Who made it, by whom what it does is recorded. */
  madeBy: { id: number; name: string };
}

/** The token of a secret, where it is good for `kind` today; null for any other. Notes that it was used. */
export async function bearerOf(
  db: Database,
  { secret, kind, origin, now }: { secret: string; kind: TokenKind; origin: string | null; now: Date },
): Promise<Bearer | null> {
  if (!SECRET.test(secret)) return null;
  const [found] = await db
    .select({
      ...{ row: tokens, site: sites.name, computer: computers.tag, person: people.name },
      madeBy: nameOf(tokens.createdById),
    })
    .from(tokens)
    .leftJoin(sites, eq(sites.id, tokens.siteId))
    .leftJoin(computers, eq(computers.id, tokens.computerId))
    .leftJoin(people, eq(people.id, tokens.ofPersonId))
    .where(and(eq(tokens.hash, hashOf(secret)), isNull(tokens.endedAt)));
  if (!found || found.row.kind !== kind) return null;
  const { id, name, siteId, ofPersonId, expiresAt, lastUsedAt, createdById } = found.row;
  if (expiresAt && expiresAt <= now) return null;
  if (!lastUsedAt || now.getTime() - lastUsedAt.getTime() > SEEN_EVERY_MS)
    await db
      .update(tokens)
      .set({ lastUsedAt: now, lastOrigin: origin?.slice(0, 64) ?? null })
      .where(eq(tokens.id, id));
  return {
    ...{ id, name, kind },
    site: siteId === null ? null : { id: siteId, name: found.site ?? "" },
    ...{ computer: found.computer, origin },
    person: ofPersonId === null ? null : { id: ofPersonId, name: found.person ?? "" },
    madeBy: { id: createdById, name: found.madeBy },
  };
}
