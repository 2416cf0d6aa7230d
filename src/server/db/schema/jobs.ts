import { index, int, mysqlTable, uniqueIndex, varchar } from "drizzle-orm/mysql-core";
import type { JobId } from "../ids";
import { at, createdAt, id, json } from "./columns";
import { person } from "./computers";

/** What a job is at, in its own units. */
export interface JobProgress {
  phase: string | null;
  done: number;
  total: number;
}

/** Why a job ended without its result: no room on a disk, a fault of ours, or its worker was gone and it cannot be repeated. */
export type JobFailure = "disk-full" | "fault" | "worker-gone";

/** Work that outlasts a request. One worker has it at a time, by a lease that runs on the clock of the database. */
export const jobs = mysqlTable(
  "jobs",
  {
    id: id<JobId>(),
    kind: varchar("kind", { length: 30 }).notNull(),
    /** An object. */
    payload: json<object>("payload").notNull(),
    state: varchar("state", {
      length: 12,
      enum: ["queued", "running", "paused", "interrupted", "done", "failed", "cancelled"],
    })
      .notNull()
      .default("queued"),
    /** The only server that may do it; null: any. */
    host: varchar("host", { length: 80 }),
    /** What it has to itself while it is open, such as a store; null: nothing. */
    holds: varchar("holds", { length: 120 }),
    /** What is done once and never again, such as the digests of a day; null: as often as it is asked for. */
    once: varchar("once_key", { length: 120 }),
    /** Not before. */
    dueAt: at("due_at").notNull(),
    /** pause or cancel, as somebody asked for. */
    wish: varchar("wish", { length: 10, enum: ["pause", "cancel"] }),
    progress: json<JobProgress | null>("progress"),
    /** Whoever has it, and until when. */
    token: varchar("token", { length: 60 }),
    leaseUntil: at("lease_until"),
    attempts: int("attempts").notNull().default(0),
    /** An object. */
    result: json<object | null>("result"),
    failure: varchar("failure", { length: 12, enum: ["disk-full", "fault", "worker-gone"] }),
    /** Who asked for it; null: Creel itself. */
    personId: person("person_id"),
    createdAt: createdAt(),
    startedAt: at("started_at"),
    endedAt: at("ended_at"),
  },
  (table) => [
    index("jobs_waiting").on(table.state, table.dueAt),
    index("jobs_ended").on(table.endedAt),
    uniqueIndex("jobs_holds").on(table.holds),
    uniqueIndex("jobs_once").on(table.once),
  ],
);

/** What a job says of itself, line by line. */
export const jobLines = mysqlTable(
  "job_lines",
  {
    id: id(),
    jobId: int("job_id")
      .$type<JobId>()
      .notNull()
      .references(() => jobs.id, { onDelete: "cascade" }),
    at: at("said_at").notNull(),
    line: json<{ code: string }>("line").notNull(),
  },
  (table) => [index("job_lines_job").on(table.jobId, table.id)],
);
