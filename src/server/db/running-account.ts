import { type RowDataPacket, raw } from "mysql2";
import { createConnection } from "mysql2/promise";
import type { Database } from "./client";

/** Tables that the running application reads and adds to, and never changes. */
const ONLY_ADDED_TO: ReadonlySet<string> = new Set(["audits"]);
/** What only the migrations write. */
const ONLY_READ: ReadonlySet<string> = new Set(["__drizzle_migrations"]);

function rightsOn(table: string): string {
  if (ONLY_READ.has(table)) return "SELECT";
  return ONLY_ADDED_TO.has(table) ? "SELECT, INSERT" : "SELECT, INSERT, UPDATE, DELETE";
}

/**
 * Gives the account that the application runs by (`runningUrl`) what it needs in the database of its owner, table by
 * table, and takes nothing away. `owner` must be allowed to grant it. Throws what the database says where it is not.
 */
export async function grantRunningAccount(owner: Database, runningUrl: string): Promise<void> {
  const url = new URL(runningUrl);
  // It may have no right to the database yet.
  url.pathname = "/";
  const running = await createConnection({ uri: url.toString() });
  const [who] = await running.query<RowDataPacket[]>("SELECT CURRENT_USER() AS account").finally(() => running.end());
  const [user, host] = String(who[0]?.account).split(/@(?=[^@]*$)/);
  const [tables] = await owner.$client.query<RowDataPacket[]>(
    "SELECT table_name AS name FROM information_schema.tables WHERE table_schema = DATABASE()",
  );
  for (const { name } of tables)
    await owner.$client.query("GRANT ? ON ?? TO ?@?", [raw(rightsOn(name)), name, user, host]);
}
