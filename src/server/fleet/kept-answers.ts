import { createHash } from "node:crypto";
import { deserialize, serialize } from "node:v8";
import { and, eq, lt } from "drizzle-orm";
import type { Database } from "../db/client";
import { fleetAnswers } from "../db/schema";

/** A question of which the answer may be kept, with the ISO day for which it is asked. */
interface KeptQuestion {
  question: string;
  asked: readonly unknown[];
  day: string;
}

/** Larger answers are worked out again. */
const BYTES_MOST = 2_000_000;
/** Answers of older revisions are nobody's. */
const REVISIONS_KEPT = 50;

function idOf({ question, asked }: Pick<KeptQuestion, "question" | "asked">): string {
  return createHash("sha256")
    .update(JSON.stringify([question, asked]))
    .digest("hex");
}

/** Keeps an answer for the next start, in place of an older one. */
export async function keepAnswer(
  db: Database,
  { question, asked, day }: KeptQuestion,
  { value, revision }: { value: unknown; revision: number },
): Promise<void> {
  const body = new Uint8Array(serialize(value));
  if (body.length > BYTES_MOST) return;
  const set = { revision, day, body };
  await db
    .insert(fleetAnswers)
    .values({ id: idOf({ question, asked }), question, ...set })
    .onDuplicateKeyUpdate({ set });
  await db.delete(fleetAnswers).where(lt(fleetAnswers.revision, revision - REVISIONS_KEPT));
}

/** What was answered last, and of which revision; null where nothing of this day is kept. */
export async function keptAnswer(
  db: Database,
  { question, asked, day }: KeptQuestion,
): Promise<{ value: unknown; revision: number } | null> {
  const [row] = await db
    .select({ revision: fleetAnswers.revision, body: fleetAnswers.body })
    .from(fleetAnswers)
    .where(and(eq(fleetAnswers.id, idOf({ question, asked })), eq(fleetAnswers.day, day)))
    .limit(1);
  if (!row) return null;
  try {
    return { value: deserialize(row.body), revision: row.revision };
  } catch {
    // Another version of Creel wrote it.
    return null;
  }
}
