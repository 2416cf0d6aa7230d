import { createHash } from "node:crypto";
import { and, eq, lt } from "drizzle-orm";
import type { Bearer } from "../accounts/tokens";
import { errorNumber } from "../act";
import type { Context } from "../context";
import { answeredOnce } from "../db/schema";
import { ok, type Result, refused } from "../problems";

const DUPLICATE_ENTRY = 1062;
const KEPT_MS = 86_400_000;
const KEY = /^[\x21-\x7e]{1,200}$/;

export interface Answered {
  status: number;
  text: string;
}

const hashOf = (...parts: (string | Uint8Array)[]) => {
  const hash = createHash("sha256");
  for (const part of parts) hash.update(part);
  return hash.digest("hex");
};

/**
 * Does what a request asks for once, however often it is sent with the same key within a day: whoever sends it again is
 * answered as the first time (draft-ietf-httpapi-idempotency-key-header). Without a key it is done each time. Problems:
 * `key-used-otherwise` where the key came with something else, or is being worked on.
 */
export async function once(
  { db, now }: Context,
  bearer: Bearer,
  { key, path, body }: { key: string | null; path: string; body: Uint8Array },
  run: () => Promise<Answered>,
): Promise<Result<Answered>> {
  if (key === null) return ok(await run());
  if (!KEY.test(key)) return refused({ code: "malformed" });
  await db.delete(answeredOnce).where(lt(answeredOnce.createdAt, new Date(now().getTime() - KEPT_MS)));
  const [keyHash, requestHash] = [hashOf(key), hashOf(path, "\n", body)];
  const own = and(eq(answeredOnce.tokenId, bearer.id), eq(answeredOnce.keyHash, keyHash));
  try {
    await db.insert(answeredOnce).values({ tokenId: bearer.id, keyHash, requestHash, createdAt: now() });
  } catch (error) {
    if (errorNumber(error) !== DUPLICATE_ENTRY) throw error;
    const [known] = await db.select().from(answeredOnce).where(own);
    if (!known || known.requestHash !== requestHash || known.status === null)
      return refused({ code: "key-used-otherwise" });
    return ok({ status: known.status, text: known.answer ?? "" });
  }
  try {
    const answered = await run();
    await db.update(answeredOnce).set({ status: answered.status, answer: answered.text }).where(own);
    return ok(answered);
  } catch (error) {
    // What broke off is tried again by whoever sends it again.
    await db.delete(answeredOnce).where(own);
    throw error;
  }
}
