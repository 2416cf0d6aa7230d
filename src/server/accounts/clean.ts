import { lt } from "drizzle-orm";
import type { Context } from "../context";
import { answeredOnce, attempts, sessions, setUpLinks, verifications } from "../db/schema";

const DAY_MS = 86_400_000;

/** Removes what let somebody in once and lets nobody in any more: sessions and links that are over, what was counted. */
export async function removeWhatIsOver({ db, now }: Context): Promise<void> {
  const today = now();
  const yesterday = new Date(today.getTime() - DAY_MS);
  await db.delete(sessions).where(lt(sessions.expiresAt, today));
  await db.delete(verifications).where(lt(verifications.expiresAt, today));
  await db.delete(setUpLinks).where(lt(setUpLinks.expiresAt, today));
  await db.delete(attempts).where(lt(attempts.lastRequest, yesterday.getTime()));
  await db.delete(answeredOnce).where(lt(answeredOnce.createdAt, yesterday));
}
