import type { Context } from "../context";
import type { Database } from "../db/client";
import type { PersonId } from "../db/ids";
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
}

/** Who a request is from, by its cookie; null: nobody, or somebody whose session is over. */
export async function signedIn(db: Database, headers: Headers): Promise<SignedIn | null> {
  const found = await authOf(db).api.getSession({ headers });
  if (!found) return null;
  const { user, session } = found;
  const role = roleSchema.safeParse(user.role);
  // Closing an account ends its sessions; one that began just then is not looked at either.
  if (!role.success || user.closedAt) return null;
  return {
    ...{ accountId: user.id, sessionId: session.id, mail: user.email, role: role.data },
    person: { id: user.personId as PersonId, name: user.name },
    hasSecondFactor: user.twoFactorEnabled === true,
  };
}
