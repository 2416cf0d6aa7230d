import type { Database } from "./db/client";
import type { PersonId, SiteId } from "./db/ids";

/** Creel itself, for what nobody asked for. */
export function ownContext(db: Database, now: () => Date): Context {
  return { db, person: { id: 0, name: "Creel" }, now };
}

/** Who acts, and with what. Every server function takes one. */
export interface Context {
  db: Database;
  person: { id: PersonId; name: string };
  now: () => Date;
  /** The sites whose things whoever acts may change; null or not given: all. */
  sites?: readonly SiteId[] | null;
}
