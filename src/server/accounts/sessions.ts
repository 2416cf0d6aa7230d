import { eq } from "drizzle-orm";
import type { Context } from "../context";
import type { Database } from "../db/client";
import type { PersonId, SiteId } from "../db/ids";
import { accountSites } from "../db/schema";
import { authOf } from "./auth";
import { type Role, roleSchema } from "./roles";

/** Who sent a request. */
export interface SignedIn {
  accountId: string;
  sessionId: string;
  person: Context["person"];
  mail: string;
  role: Role;
  hasSecondFactor: boolean;
  /** The sites to which the account is held; null: to none. */
  sites: SiteId[] | null;
}

/** Who a request is from, by its cookie; null: nobody, or somebody whose session is over. */
export async function signedIn(db: Database, headers: Headers): Promise<SignedIn | null> {
  const found = await authOf(db).api.getSession({ headers });
  if (!found) return null;
  const { user, session } = found;
  const role = roleSchema.safeParse(user.role);
  // Closing an account ends its sessions; one that began just then is not looked at either.
  if (!role.success || user.closedAt) return null;
  const held = await db
    .select({ siteId: accountSites.siteId })
    .from(accountSites)
    .where(eq(accountSites.accountId, user.id));
  return {
    sites: held.length > 0 ? held.map(({ siteId }) => siteId) : null,
    ...{ accountId: user.id, sessionId: session.id, mail: user.email, role: role.data },
    person: { id: user.personId as PersonId, name: user.name },
    hasSecondFactor: user.twoFactorEnabled === true,
  };
}
