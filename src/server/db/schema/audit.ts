import { index, int, mysqlTable, varchar } from "drizzle-orm/mysql-core";
import type { AuditId, PersonId } from "../ids";
import { at, id, json } from "./columns";

/**
 * What was asked of Creel, by whom and from where, and what came of it: sign-ins, acts, what was refused. Rows are only
 * ever added (`db/running-account.ts`); they name no other table's rows, so that nothing goes with those.
 */
export const audits = mysqlTable(
  "audits",
  {
    id: id<AuditId>(),
    at: at("at").notNull(),
    /** Who is called what is kept in one table, so that nobody has to change a row of this one. */
    personId: int("person_id").$type<PersonId>(),
    /** The address that it came from, as the server saw it. */
    origin: varchar("origin", { length: 64 }),
    /** The code of what was asked: "retireComputer", "sign-in". */
    act: varchar("act", { length: 60 }).notNull(),
    /** "done", or the code of the problem. */
    outcome: varchar("outcome", { length: 60 }).notNull(),
    detail: json<Record<string, unknown> | null>("detail"),
  },
  (table) => [index("audits_at").on(table.at), index("audits_person").on(table.personId, table.id)],
);
