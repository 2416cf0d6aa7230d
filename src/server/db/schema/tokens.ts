import { index, int, mysqlTable, text, uniqueIndex, varchar } from "drizzle-orm/mysql-core";
import type { TokenId } from "../ids";
import { at, createdAt, id } from "./columns";
import { computers, people, person, sites } from "./computers";

/** What machines come in with: a secret each, kept as its hash, for one thing, until a day. */
export const tokens = mysqlTable(
  "tokens",
  {
    id: id<TokenId>(),
    name: varchar("name", { length: 120 }).notNull(),
    /** SHA-256 of the secret, which has 256 random bits of its own. */
    hash: varchar("hash", { length: 64 }).notNull(),
    kind: varchar("kind", { length: 20 }).notNull(),
    /** Of this site alone; null: of all. */
    siteId: int("site_id").references(() => sites.id),
    /** Of this computer alone. */
    computerId: int("computer_id").references(() => computers.id),
    /** Of what this person has to do alone. */
    ofPersonId: int("of_person_id").references(() => people.id),
    expiresAt: at("expires_at"),
    lastUsedAt: at("last_used_at"),
    lastOrigin: varchar("last_origin", { length: 64 }),
    endedAt: at("ended_at"),
    createdById: person("created_by_id").notNull(),
    createdAt: createdAt(),
  },
  (table) => [uniqueIndex("tokens_hash").on(table.hash), index("tokens_created").on(table.createdAt)],
);

/** What was answered to a request that its sender may send again, for a day. */
export const answeredOnce = mysqlTable(
  "answered_once",
  {
    id: id(),
    tokenId: int("token_id")
      .$type<TokenId>()
      .notNull()
      .references(() => tokens.id),
    /** SHA-256 of the sender's key, and of what was sent. */
    keyHash: varchar("key_hash", { length: 64 }).notNull(),
    requestHash: varchar("request_hash", { length: 64 }).notNull(),
    /** Null: it is not answered yet. */
    status: int("status"),
    answer: text("answer"),
    createdAt: createdAt(),
  },
  (table) => [
    uniqueIndex("answered_once_key").on(table.tokenId, table.keyHash),
    index("answered_once_at").on(table.createdAt),
  ],
);
