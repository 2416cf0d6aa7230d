import type { Database } from "./db/client";

/** Who acts, and with what. Every server function takes one. */
export interface Context {
  db: Database;
  person: { id: number; name: string };
  now: () => Date;
}
