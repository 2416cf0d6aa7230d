import { char, index, int, mysqlTable, primaryKey, uniqueIndex, varchar } from "drizzle-orm/mysql-core";
import type { Identity, IdentityKind } from "@/core/computer/facts/identity";
import type { ReportedChange } from "@/core/computer/facts/reported";
import type { ArrivalId, ComputerId, ReportedChangeId, SiteId } from "../ids";
import { at, id, json, longBlob } from "./columns";
import { computers, person, sites } from "./computers";
import { tokens } from "./tokens";

/** What computers are recognised by beside serials: numbers of boards, and addresses of built-in network devices. */
export const computerIdentities = mysqlTable(
  "computer_identities",
  {
    computerId: int("computer_id")
      .$type<ComputerId>()
      .notNull()
      .references(() => computers.id, { onDelete: "cascade" }),
    kind: varchar("kind", { length: 10 }).$type<"uuid" | "address">().notNull(),
    value: varchar("value", { length: 60 }).notNull(),
  },
  (table) => [
    primaryKey({ columns: [table.computerId, table.kind, table.value] }),
    index("computer_identities_value").on(table.kind, table.value),
  ],
);

/** Reports of computers that nobody has decided on yet, or has: one row a computer, by what it is known again by. */
export const arrivals = mysqlTable(
  "arrivals",
  {
    id: id<ArrivalId>(),
    /** SHA-256 of that. */
    key: char("arrival_key", { length: 64 }).notNull(),
    state: varchar("state", { length: 10 }).$type<"waiting" | "accepted" | "dismissed">().notNull(),
    /** Whose token it came with. */
    tokenId: int("token_id").references(() => tokens.id),
    /** Of the token's site; null where that is of all. */
    siteId: int("site_id")
      .$type<SiteId>()
      .references(() => sites.id),
    identity: json<Identity>("identity").notNull(),
    tag: varchar("tag", { length: 60 }),
    make: varchar("make", { length: 200 }),
    model: varchar("model", { length: 200 }),
    serial: varchar("serial", { length: 200 }),
    system: varchar("system_name", { length: 200 }),
    /** What was told, gzip-compressed JSON of an observation. */
    body: longBlob("body").notNull(),
    reports: int("reports").notNull().default(1),
    firstAt: at("first_at").notNull(),
    lastAt: at("last_at").notNull(),
    origin: varchar("origin", { length: 64 }),
    /** The computer that it was accepted as. */
    computerId: int("computer_id")
      .$type<ComputerId>()
      .references(() => computers.id),
    decidedById: person("decided_by_id"),
    decidedAt: at("decided_at"),
  },
  (table) => [uniqueIndex("arrivals_key").on(table.key), index("arrivals_state").on(table.state, table.lastAt)],
);

/** What each of them was ever told to be known by: a report that tells less, or more, is of the same one. */
export const arrivalMarks = mysqlTable(
  "arrival_marks",
  {
    arrivalId: int("arrival_id")
      .$type<ArrivalId>()
      .notNull()
      .references(() => arrivals.id, { onDelete: "cascade" }),
    kind: varchar("kind", { length: 10 }).$type<IdentityKind>().notNull(),
    value: varchar("value", { length: 190 }).notNull(),
  },
  (table) => [
    primaryKey({ columns: [table.arrivalId, table.kind, table.value] }),
    index("arrival_marks_value").on(table.kind, table.value),
  ],
);

/** A report that changed which media start a computer, until somebody has seen it. */
export const reportedChanges = mysqlTable(
  "reported_changes",
  {
    id: id<ReportedChangeId>(),
    computerId: int("computer_id")
      .$type<ComputerId>()
      .notNull()
      .references(() => computers.id),
    at: at("at").notNull(),
    told: json<ReportedChange>("told").notNull(),
    seenById: person("seen_by_id"),
    seenAt: at("seen_at"),
  },
  (table) => [index("reported_changes_open").on(table.seenAt, table.at)],
);
