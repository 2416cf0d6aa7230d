import type { Context } from "./context";
import type { Database } from "./db/client";
import { raiseRevision, Written, watched } from "./db/revision";
import { fail, type Problem, type Result } from "./problems";

/** MySQL's and MariaDB's error numbers ("Server error message reference"). */
const DUPLICATE_ENTRY = 1062;
const NO_REFERENCED_ROW = 1452;
/**
 * The transaction was taken back whole and may be run again: a deadlock, which is also how Galera tells that another
 * node was first; a lock that was waited for too long; a row that changed under a snapshot; and a savepoint that is gone
 * with its transaction, where that happened in an act within another.
 */
const CONFLICTS: readonly number[] = [1213, 1205, 1020, 1305];
const ATTEMPTS = 8;
const PAUSE_MS = 20;

/** The number of an error of the database, through whatever wraps the driver's error; null for any other. */
export function errorNumber(error: unknown): number | null {
  for (let cause = error; cause instanceof Error; cause = cause.cause) {
    if ("errno" in cause && typeof cause.errno === "number") return cause.errno;
  }
  return null;
}

/** The server ends, or cut the connection; a node of Galera that is not one of the cluster now. */
const GONE: readonly number[] = [1053, 1927, 1047];

/** Whether it is the database that could not be reached, and not what was asked of it that failed. */
export function isDatabaseGone(error: unknown): boolean {
  // The driver's word for a connection that is of no use any more, or never came about.
  for (let cause = error; cause instanceof Error; cause = cause.cause)
    if ("fatal" in cause && cause.fatal === true) return true;
  return GONE.includes(errorNumber(error) ?? 0);
}

/** Carries a refusal out of a transaction, which is taken back by it. */
class TakenBack extends Error {
  constructor(readonly problem: Problem) {
    super(problem.code);
  }
}

/** Takes the act under way back, for a reason that is found where nothing can be returned. */
export function takeBack(problem: Problem): never {
  throw new TakenBack(problem);
}

/** Connections on which an act is under way, with what it has written. */
const underWay = new WeakMap<Database, Written>();

/**
 * One act of a person or of Creel itself: all of it is kept, or nothing. `run` gets a context on the act's own
 * connection; a refusal takes back what it wrote, and an act within another is a part of that one (a savepoint).
 * Conflicts with other acts are run again, so that `run` does nothing but read and write the database. What it wrote
 * raises the revision (`db/revision.ts`), by which everybody else hears of it.
 *
 * `unique` names what a duplicate key is told of, and has a reference to what is gone told as such. Problems: `taken`,
 * `not-found`, and those of `run`; anything else that the database refuses is thrown.
 */
export async function act<T>(
  context: Context,
  unique: { field: string; value: string } | null,
  run: (acting: Context) => Promise<Result<T>>,
): Promise<Result<T>> {
  try {
    return await (underWay.has(context.db) ? once(context, run) : untilDecided(() => once(context, run)));
  } catch (error) {
    if (error instanceof TakenBack) return fail(error.problem);
    const number = errorNumber(error);
    if (number === DUPLICATE_ENTRY && unique) return fail({ code: "taken", ...unique });
    if (number === NO_REFERENCED_ROW && unique) return fail({ code: "not-found", what: "site or release" });
    throw error;
  }
}

function once<T>(context: Context, run: (acting: Context) => Promise<Result<T>>): Promise<Result<T>> {
  const outer = underWay.get(context.db);
  return context.db.transaction(async (tx) => {
    const written = outer ?? new Written();
    // A transaction does all that a database does, but for having a pool.
    const db = watched(tx as unknown as Database, written);
    underWay.set(db, written);
    const result = await run({ ...context, db });
    if (!result.ok) throw new TakenBack(result.problem);
    if (!outer) await raiseRevision(db, written);
    return result;
  });
}

async function untilDecided<T>(run: () => Promise<T>): Promise<T> {
  for (let attempt = 1; ; attempt++) {
    try {
      return await run();
    } catch (error) {
      if (!CONFLICTS.includes(errorNumber(error) ?? 0) || attempt === ATTEMPTS) throw error;
      await new Promise((resolve) => setTimeout(resolve, Math.random() * PAUSE_MS * attempt));
    }
  }
}
