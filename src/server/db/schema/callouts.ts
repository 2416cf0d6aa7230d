import { char, index, int, mysqlTable, text, varchar } from "drizzle-orm/mysql-core";
import { HAPPENINGS } from "@/core/callout/happenings";
import { type CalloutOutcome, type ChosenRoute, chosenRouteSchema } from "@/core/callout/record";
import type { NewDisk } from "@/core/computer/needs/system-disk";
import type { CalloutId, ComputerId } from "../ids";
import { at, createdAt, day, id, json, longBlob, updatedAt, version } from "./columns";
import { computers, person } from "./computers";

/** The work on one failed computer, from report to handed back. */
export const callouts = mysqlTable(
  "callouts",
  {
    id: id<CalloutId>(),
    computerId: int("computer_id")
      .$type<ComputerId>()
      .notNull()
      .references(() => computers.id),
    happening: varchar("happening", { length: 20, enum: HAPPENINGS }).notNull(),
    /** ISO day from which on the fault may have been there. */
    since: day("since"),
    /** A disk that takes the place of the old one. */
    newDisk: json<NewDisk | null>("new_disk"),
    /** A computer that takes the place of the old one. */
    newComputerId: int("new_computer_id")
      .$type<ComputerId>()
      .references(() => computers.id),
    /** The way that was chosen, as it was judged then. */
    chosen: json<ChosenRoute | null>("chosen", (kept) => chosenRouteSchema.nullable().parse(kept)),
    outcome: json<CalloutOutcome | null>("outcome"),
    openedById: person("opened_by_id").notNull(),
    openedAt: at("opened_at").notNull(),
    closedAt: at("closed_at"),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [
    index("callouts_computer").on(table.computerId, table.openedAt),
    index("callouts_open").on(table.closedAt, table.openedAt),
  ],
);

/** What was done on a call-out, in the order that it was told; a mark is never changed, another one takes it back. */
export const calloutMarks = mysqlTable(
  "callout_marks",
  {
    /** Made where the mark was made, so that it can be sent twice. */
    id: char("id", { length: 36 }).primaryKey(),
    calloutId: int("callout_id")
      .$type<CalloutId>()
      .notNull()
      .references(() => callouts.id, { onDelete: "cascade" }),
    step: varchar("step", { length: 40 }).notNull(),
    kind: varchar("kind", { length: 8, enum: ["done", "undone", "failed", "note", "photo"] }).notNull(),
    /** When it was made, by the clock of whoever made it. */
    at: at("made_at").notNull(),
    text: text("text"),
    photo: longBlob("photo"),
    photoType: varchar("photo_type", { length: 40 }),
    personId: person("person_id").notNull(),
    createdAt: createdAt(),
  },
  (table) => [index("callout_marks_callout").on(table.calloutId, table.at)],
);
