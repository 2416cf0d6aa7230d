import { index, int, mysqlTable, text, uniqueIndex, varchar } from "drizzle-orm/mysql-core";
import { type PolicyValues, SCOPES } from "@/core/cover/policy";
import {
  type CoverResult,
  type CoverSettings,
  type CoverTask,
  type PlanProgress,
  readCoverResult,
} from "@/core/cover/result";
import type { CoverPlanId, CoverTaskId, SiteId, SnoozeId } from "../ids";
import { at, createdAt, day, id, json, updatedAt, version } from "./columns";
import { person, sites } from "./computers";

/** What computers and places must have: a rule for all, a place, a form, a model or one computer. */
export const policies = mysqlTable(
  "policies",
  {
    id: id(),
    scope: varchar("scope", { length: 12, enum: SCOPES }).notNull(),
    /** The id of a place or computer, a form, make and model; empty for everywhere. */
    target: varchar("target", { length: 200 }).notNull().default(""),
    values: json<Partial<PolicyValues>>("said").notNull(),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [uniqueIndex("policies_target").on(table.scope, table.target)],
);

/** How long the way between two places takes, either way: the smaller id comes first. */
export const travels = mysqlTable(
  "travels",
  {
    id: id(),
    fromId: int("from_id")
      .$type<SiteId>()
      .notNull()
      .references(() => sites.id),
    toId: int("to_id")
      .$type<SiteId>()
      .notNull()
      .references(() => sites.id),
    minutes: int("minutes").notNull(),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [uniqueIndex("travels_way").on(table.fromId, table.toId)],
);

/** Plans by which every computer would have what its policy asks for, at the least cost. */
export const coverPlans = mysqlTable(
  "cover_plans",
  {
    id: id<CoverPlanId>(),
    name: varchar("name", { length: 120 }).notNull(),
    state: varchar("state", { length: 12, enum: ["running", "done", "failed", "cancelled", "interrupted", "accepted"] })
      .notNull()
      .default("running"),
    settings: json<CoverSettings>("settings").notNull(),
    result: json<CoverResult | null>("result", readCoverResult),
    /** How far it is, or why it ended otherwise. */
    told: json<PlanProgress | null>("told"),
    personId: person("person_id").notNull(),
    acceptedAt: at("accepted_at"),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [index("cover_plans_state").on(table.state, table.id)],
);

/** What an accepted plan asks to be done. */
export const coverTasks = mysqlTable(
  "cover_tasks",
  {
    id: id<CoverTaskId>(),
    planId: int("plan_id")
      .$type<CoverPlanId>()
      .notNull()
      .references(() => coverPlans.id, { onDelete: "cascade" }),
    position: int("position").notNull(),
    body: json<CoverTask>("body").notNull(),
    doneAt: at("done_at"),
    doneById: person("done_by_id"),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [
    uniqueIndex("cover_tasks_place").on(table.planId, table.position),
    index("cover_tasks_open").on(table.doneAt),
  ],
);

/** What is due and was put off, with the reason; it comes back on its day. */
export const snoozes = mysqlTable(
  "snoozes",
  {
    id: id<SnoozeId>(),
    /** As the due item is known by. */
    dueKey: varchar("due_key", { length: 400 }).notNull(),
    /** ISO day. */
    until: day("until_day").notNull(),
    why: varchar("why", { length: 300 }).notNull(),
    personId: person("person_id").notNull(),
    createdAt: createdAt(),
    /** It was taken back before its day. */
    endedAt: at("ended_at"),
  },
  (table) => [index("snoozes_open").on(table.endedAt, table.until)],
);

/** How many computers had what was asked of them, by day and place: kept whenever a day is looked at first. */
export const coverDays = mysqlTable(
  "cover_days",
  {
    id: id(),
    /** ISO day. */
    on: day("on_day").notNull(),
    /** The place's name then; empty: none was recorded. */
    site: varchar("site", { length: 120 }).notNull(),
    total: int("total").notNull(),
    met: int("met").notNull(),
  },
  (table) => [uniqueIndex("cover_days_place").on(table.on, table.site)],
);

/** What calendars were told: an entry keeps its identity, and says with a higher number when it changed or was called off. */
export const feedEntries = mysqlTable(
  "feed_entries",
  {
    id: id(),
    dueKey: varchar("due_key", { length: 400 }).notNull(),
    /** ISO day. */
    on: day("on_day").notNull(),
    summary: varchar("summary", { length: 300 }).notNull(),
    description: text("description").notNull(),
    site: varchar("site", { length: 120 }),
    personName: varchar("person_name", { length: 120 }),
    sequence: int("sequence").notNull().default(0),
    cancelledAt: at("cancelled_at"),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [uniqueIndex("feed_entries_key").on(table.dueKey)],
);

/** Digests that were sent, by whom they were for: the next one tells only what changed since. */
export const digests = mysqlTable(
  "digests",
  {
    id: id(),
    /** A place's or a person's: "site Workshop", "person Runa Esk". */
    audience: varchar("audience", { length: 160 }).notNull(),
    /** Keys of what was due then. */
    due: json<string[]>("due_keys").notNull(),
    /** The file in the outbox; null: nothing had changed, and nothing was sent. */
    file: varchar("file_name", { length: 200 }),
    sentAt: at("sent_at").notNull(),
  },
  (table) => [index("digests_audience").on(table.audience, table.id)],
);
