import {
  bigint,
  boolean,
  index,
  int,
  mysqlTable,
  primaryKey,
  text,
  uniqueIndex,
  varchar,
} from "drizzle-orm/mysql-core";
import type { PersonId, SiteId } from "../ids";
import { at, createdAt, id, updatedAt, version } from "./columns";
import { person, sites } from "./computers";

// What signs people in. The names of the columns are those that the sign-in library asks for; ids are its own.

const ownId = () => varchar("id", { length: 36 }).primaryKey();
const ofAccount = () =>
  varchar("account_id", { length: 36 })
    .notNull()
    .references(() => accounts.id, { onDelete: "cascade" });

/** Who may sign in: a person's mail address, and what that person may do. */
export const accounts = mysqlTable(
  "accounts",
  {
    id: ownId(),
    name: varchar("name", { length: 120 }).notNull(),
    email: varchar("email", { length: 254 }).notNull(),
    emailVerified: boolean("email_verified").notNull().default(false),
    image: text("image"),
    twoFactorEnabled: boolean("two_factor_enabled").notNull().default(false),
    personId: person("person_id").$type<PersonId>().notNull(),
    role: varchar("role", { length: 20 }).notNull(),
    /** Since when nobody signs in with it; null: it is in use. */
    closedAt: at("closed_at"),
    /** Wrong passwords in a row, and until when no further one is looked at. */
    failures: int("failures").notNull().default(0),
    waitsUntil: at("waits_until"),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [uniqueIndex("accounts_email").on(table.email), uniqueIndex("accounts_person").on(table.personId)],
);

/** The sites to which an account is held; none: it is held to none. */
export const accountSites = mysqlTable(
  "account_sites",
  {
    accountId: ofAccount(),
    siteId: int("site_id")
      .$type<SiteId>()
      .notNull()
      .references(() => sites.id, { onDelete: "cascade" }),
  },
  (table) => [primaryKey({ columns: [table.accountId, table.siteId] })],
);

export const sessions = mysqlTable(
  "sessions",
  {
    id: ownId(),
    userId: ofAccount(),
    token: varchar("token", { length: 100 }).notNull(),
    expiresAt: at("expires_at").notNull(),
    ipAddress: varchar("ip_address", { length: 64 }),
    userAgent: varchar("user_agent", { length: 400 }),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [uniqueIndex("sessions_token").on(table.token), index("sessions_account").on(table.userId)],
);

/** By what an account is proved: its password's hash, or what a directory says of it. */
export const credentials = mysqlTable(
  "credentials",
  {
    id: ownId(),
    userId: ofAccount(),
    accountId: varchar("subject", { length: 255 }).notNull(),
    providerId: varchar("provider", { length: 100 }).notNull(),
    accessToken: text("access_token"),
    refreshToken: text("refresh_token"),
    idToken: text("id_token"),
    accessTokenExpiresAt: at("access_token_expires_at"),
    refreshTokenExpiresAt: at("refresh_token_expires_at"),
    scope: text("scope"),
    password: varchar("password", { length: 255 }),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [
    uniqueIndex("credentials_subject").on(table.providerId, table.accountId),
    index("credentials_account").on(table.userId),
  ],
);

/** Secrets that were sent somewhere and are waited for: links of mails, states of a sign-in under way. */
export const verifications = mysqlTable(
  "verifications",
  {
    id: ownId(),
    identifier: varchar("identifier", { length: 255 }).notNull(),
    value: text("value").notNull(),
    expiresAt: at("expires_at").notNull(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [index("verifications_identifier").on(table.identifier)],
);

export const secondFactors = mysqlTable(
  "second_factors",
  {
    id: ownId(),
    userId: ofAccount(),
    secret: text("secret").notNull(),
    backupCodes: text("backup_codes").notNull(),
    verified: boolean("verified").default(true),
    failedVerificationCount: int("failures").default(0),
    lockedUntil: at("locked_until"),
  },
  (table) => [index("second_factors_account").on(table.userId)],
);

export const passkeys = mysqlTable(
  "passkeys",
  {
    id: ownId(),
    userId: ofAccount(),
    name: varchar("name", { length: 120 }),
    publicKey: text("public_key").notNull(),
    credentialID: varchar("credential", { length: 400 }).notNull(),
    counter: bigint("counter", { mode: "number" }).notNull(),
    deviceType: varchar("device_type", { length: 32 }).notNull(),
    backedUp: boolean("backed_up").notNull(),
    transports: varchar("transports", { length: 200 }),
    aaguid: varchar("aaguid", { length: 64 }),
    createdAt: createdAt(),
  },
  (table) => [index("passkeys_account").on(table.userId), index("passkeys_credential").on(table.credentialID)],
);

/** How often something was tried from somewhere, for throttling. */
export const attempts = mysqlTable(
  "attempts",
  {
    id: ownId(),
    key: varchar("key", { length: 255 }).notNull(),
    count: int("count").notNull(),
    lastRequest: bigint("last_request", { mode: "number" }).notNull(),
  },
  (table) => [uniqueIndex("attempts_key").on(table.key)],
);

/** Whose Creel this is: one row. */
export const organisations = mysqlTable("organisations", {
  id: id(),
  name: varchar("name", { length: 120 }).notNull(),
  /** As the IANA time zone database names it. */
  timeZone: varchar("time_zone", { length: 64 }).notNull(),
  /** ISO 4217. */
  currency: varchar("currency", { length: 3 }).notNull(),
  version: version(),
});

/** The link with which the first administrator is made: its hash, until it was used or is too old. */
export const setUpLinks = mysqlTable("set_up_links", {
  id: id(),
  hash: varchar("hash", { length: 64 }).notNull(),
  expiresAt: at("expires_at").notNull(),
});
