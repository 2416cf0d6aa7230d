import type { Metadata } from "next";
import Link from "next/link";
import { directoryRefusalText, roleMayText, roleText } from "@/core/words/accounts";
import { listAccounts } from "@/server/accounts/accounts";
import { isDemo } from "@/server/accounts/auth";
import { directory } from "@/server/accounts/directory";
import { passkeyHost } from "@/server/accounts/passkey-host";
import { isNew } from "@/server/accounts/set-up";
import { ownContext } from "@/server/context";
import { database } from "@/server/db/client";
import { Door } from "../_door/door";
import { nextPath } from "../_door/next-path";
import { one } from "../_lib/params";
import { DemoPeople } from "./demo-people";
import { DirectoryButton } from "./directory-button";
import { PasskeyButton } from "./passkey-button";
import { SignInForm } from "./sign-in-form";

export const metadata: Metadata = { title: "Sign in" };

interface Props {
  searchParams: Promise<{ next?: string | string[]; error?: string | string[] }>;
}

export default async function SignIn({ searchParams }: Props) {
  const { next: asked, error } = await searchParams;
  const next = nextPath(asked);
  const company = directory();
  const db = database();
  if (isDemo()) {
    const people = await listAccounts(ownContext(db, () => new Date()));
    return (
      <Door title="Sign in to the demo">
        <p className="mb-4">
          Skerry Line is invented, and so are its people. Sign in as one of them; none has a password. This page exists
          in the demo only.
        </p>
        <DemoPeople
          next={next}
          people={people.flatMap(({ id, name, job, account }) =>
            account && !account.isClosed
              ? [{ id, name, job, role: roleText(account.role), may: roleMayText(account.role) }]
              : [],
          )}
        />
      </Door>
    );
  }
  if (await isNew(db))
    return (
      <Door title="Not set up yet">
        <p>Open the setup link that Creel printed when it was started. Start it again for a new link.</p>
      </Door>
    );
  return (
    <Door title="Sign in">
      <SignInForm next={next} />
      {passkeyHost() && <PasskeyButton next={next} />}
      {company && (
        <DirectoryButton
          name={company.name}
          next={next}
          problem={error === undefined ? null : directoryRefusalText(one(error) ?? "")}
        />
      )}
      <p className="mt-5">
        <Link prefetch={false} className="link" href="/password">
          Forgot the password?
        </Link>
      </p>
    </Door>
  );
}
