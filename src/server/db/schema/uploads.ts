import { bigint, index, int, mysqlTable, uniqueIndex, varchar } from "drizzle-orm/mysql-core";
import type { ReleaseId, UploadId } from "../ids";
import { createdAt, id, updatedAt } from "./columns";
import { person } from "./computers";
import { releases } from "./media";

/** Files of releases on their way into the library. */
export const uploads = mysqlTable(
  "uploads",
  {
    id: id<UploadId>(),
    /** By which the upload protocol names it: a file of that name holds what has arrived. */
    key: varchar("upload_key", { length: 64 }).notNull(),
    releaseId: int("release_id")
      .$type<ReleaseId>()
      .notNull()
      .references(() => releases.id),
    name: varchar("name", { length: 255 }).notNull(),
    bytes: bigint("bytes", { mode: "number" }).notNull(),
    /** As the browser read it, before it sent it. */
    sha256: varchar("sha256", { length: 64 }).notNull(),
    state: varchar("state", { length: 12, enum: ["sending", "checking", "done", "failed", "cancelled"] }).notNull(),
    trouble: varchar("trouble", { length: 20, enum: ["differs", "unforeseen", "disk-full"] }),
    personId: person("person_id").notNull(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [uniqueIndex("uploads_key").on(table.key), index("uploads_state").on(table.state, table.id)],
);
