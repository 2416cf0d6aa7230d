import { bigint, boolean, char, mysqlTable, smallint, varchar } from "drizzle-orm/mysql-core";
import { day, json, longBlob } from "./columns";

/** One row: a number that each act raises as its last write, and so in the order in which acts are kept. */
export const revisions = mysqlTable("revisions", {
  id: smallint("id").primaryKey(),
  revision: bigint("revision", { mode: "number" }).notNull(),
});

/** What an act changed of the fleet's chains, for whoever keeps them in memory. Older ones are dropped. */
export const revisionChanges = mysqlTable("revision_changes", {
  revision: bigint("revision", { mode: "number" }).primaryKey(),
  /** Everything is to be judged anew. */
  isWhole: boolean("is_whole").notNull(),
  /** Ids of computers and media that are otherwise than they were. */
  computers: json<number[]>("computers").notNull(),
  media: json<number[]>("media").notNull(),
});

/** What was answered about the whole fleet, so that a server that starts need not work it out before its first page. */
export const fleetAnswers = mysqlTable("fleet_answers", {
  /** SHA-256 of the question and all that was asked with it. */
  id: char("id", { length: 64 }).primaryKey(),
  question: varchar("question", { length: 60 }).notNull(),
  revision: bigint("revision", { mode: "number" }).notNull(),
  day: day("day").notNull(),
  /** Serialised by the structured clone algorithm, as Node writes it. */
  body: longBlob("body").notNull(),
});
