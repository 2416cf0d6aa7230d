import { headers } from "next/headers";
import { notFound, redirect } from "next/navigation";
import { cache } from "react";
import { isEnough, type Role } from "@/server/accounts/roles";
import { type SignedIn, signedIn } from "@/server/accounts/sessions";
import type { Context } from "@/server/context";
import { database } from "@/server/db/client";
import { PATH_HEADER } from "./path-header";
import { ownRegional } from "./regional";

export interface RequestContext extends Context {
  account: SignedIn;
}

/** Who acts in this request, and with what; null: nobody signed in. */
export const requestContext = cache(async (): Promise<RequestContext | null> => {
  const db = database();
  const [account] = await Promise.all([signedIn(db, await headers()), ownRegional({ db })]);
  return account && { db, person: account.person, now: () => new Date(), sites: account.sites, account };
});

/** Pages for those who are not in yet. */
const DOORS = new Set(["/sign-in", "/password", "/set-up"]);

/** The same, for pages: whoever did not sign in is asked to, and comes back. */
export async function currentContext(): Promise<RequestContext> {
  return (await requestContext()) ?? askIn(await askedPath());
}

/** The same, for pages that need more than being read: to anybody else they are not there. */
export async function contextOf(role: Role): Promise<RequestContext> {
  const context = await currentContext();
  if (!isEnough(context.account.role, role)) notFound();
  return context;
}

/** The same, for what is around all pages; null on those for which nobody has to sign in. */
export async function shellContext(): Promise<RequestContext | null> {
  const context = await requestContext();
  if (context) return context;
  const path = await askedPath();
  return DOORS.has(path.split("?")[0] ?? "") ? null : askIn(path);
}

const askedPath = async () => (await headers()).get(PATH_HEADER) ?? "/";

function askIn(path: string): never {
  redirect(path === "/" ? "/sign-in" : `/sign-in?next=${encodeURIComponent(path)}`);
}
