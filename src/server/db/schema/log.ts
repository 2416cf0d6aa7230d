import { index, int, mysqlTable, varchar } from "drizzle-orm/mysql-core";
import type { BatchId, EventId, RehearsalId } from "../ids";
import { at, createdAt, id, json, updatedAt, version } from "./columns";
import { person } from "./computers";

/** Changes to the world that were rehearsed and are kept to be looked at again; nothing in the inventory follows them. */
export const rehearsals = mysqlTable("rehearsals", {
  id: id<RehearsalId>(),
  name: varchar("name", { length: 120 }).notNull(),
  body: json<unknown>("body").notNull(),
  personId: person("person_id").notNull(),
  version: version(),
  createdAt: createdAt(),
  updatedAt: updatedAt(),
});

/** Every change in the inventory: who, when, and what it was before. Never changed, never deleted. */
export const events = mysqlTable(
  "events",
  {
    id: id<EventId>(),
    at: at("at").notNull(),
    personId: person("person_id").notNull(),
    /** As it was then: the log is never changed. */
    personName: varchar("person_name", { length: 120 }).notNull(),
    entity: varchar("entity", { length: 20 }).notNull(),
    entityId: int("entity_id").notNull(),
    entityTag: varchar("entity_tag", { length: 120 }).notNull(),
    action: varchar("action", { length: 20 }).notNull(),
    /** The version of the row after the change. */
    entityVersion: int("entity_version").notNull(),
    before: json<Record<string, unknown> | null>("before"),
    after: json<Record<string, unknown> | null>("after"),
    /** Why or from what, in a few words: "from lsblk, dmidecode", "import of fleet.csv". */
    note: varchar("note", { length: 300 }),
    /** The act over many that it is part of. */
    batchId: int("batch_id").$type<BatchId>(),
  },
  (table) => [
    index("events_entity").on(table.entity, table.entityId, table.id),
    index("events_at").on(table.at),
    index("events_batch").on(table.batchId),
  ],
);
