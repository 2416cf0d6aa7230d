import { problemText } from "@/core/words/problems";
import type { Context } from "@/server/context";
import { connect } from "@/server/db/client";
import { migrateDatabase } from "@/server/db/migrate";
import { addPerson, listPeople } from "@/server/inventory/people";
import { UsageError } from "../problems";

/**
 * Opens the inventory that `DATABASE_URL` names, brought to this version's schema, for `use`, and closes it. `as`: who
 * acts; the first person recorded where it is left out.
 */
export async function withInventory<T>(as: string | undefined, use: (context: Context) => Promise<T>): Promise<T> {
  const db = connect(databaseUrl());
  try {
    await migrateDatabase(db, process.env.CREEL_MIGRATIONS).catch((error: unknown) => {
      throw new UsageError(`the database cannot be used: ${reasonOf(error)}`);
    });
    return await use({ db, person: await personFor(db, as), now: () => new Date() });
  } finally {
    await db.$client.end();
  }
}

/** The address of the inventory that is meant. */
export function databaseUrl(): string {
  const url = process.env.DATABASE_URL;
  if (!url)
    throw new UsageError(
      "DATABASE_URL does not say which inventory is meant, and no demo was started here (npm run demo)",
    );
  return url;
}

/** What the driver says, without the address, which has a password in it. */
function reasonOf(error: unknown): string {
  let cause = error;
  while (cause instanceof Error && cause.cause instanceof Error) cause = cause.cause;
  const code = cause instanceof Error && "code" in cause ? String(cause.code) : "";
  return code === "ECONNREFUSED" ? "nothing answers at its address" : code || "it did not answer as a database does";
}

async function personFor(db: Context["db"], as: string | undefined): Promise<Context["person"]> {
  const people = await listPeople(db);
  const named = as?.trim().toLowerCase();
  const person = named ? people.find(({ name }) => name.toLowerCase() === named) : people[0];
  if (person) return person;
  if (people.length > 0)
    throw new UsageError(
      `--as ${as}: nobody of that name is recorded; known are ${people.map(({ name }) => name).join(", ")}`,
    );
  if (!as) throw new UsageError("nobody is recorded in this inventory yet: say with --as NAME who you are");
  const added = await addPerson({ db, person: { id: 0, name: as }, now: () => new Date() }, { name: as, role: null });
  if (!added.ok) throw new UsageError(`--as ${as}: ${problemText(added.problem)}`);
  return { id: added.value, name: as };
}
