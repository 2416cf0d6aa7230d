import type { Metadata } from "next";
import { roleMayText, roleText } from "@/core/words/accounts";
import { listAccounts } from "@/server/accounts/accounts";
import { ROLES } from "@/server/accounts/roles";
import { listSites } from "@/server/inventory/sites";
import { timeText, zoneText } from "@/ui/words";
import { contextOf } from "../_lib/context";
import { AccountActs } from "./account-acts";
import { InviteForm } from "./invite-form";
import { OfPeople } from "./nav";

export const metadata: Metadata = { title: "People" };

const CHOICES = ROLES.map((role) => ({ value: role, text: roleText(role) }));

export default async function People() {
  const context = await contextOf("administrator");
  const [people, places] = await Promise.all([listAccounts(context), listSites(context)]);
  const sites = places.map(({ id, name }) => ({ id, name }));
  const heldText = (held: number[]) =>
    `only ${sites.flatMap(({ id, name }) => (held.includes(id) ? [name] : [])).join(", ")}`;
  return (
    <>
      <OfPeople here="/people" />
      <div className="grid grid-cols-[minmax(0,1fr)] gap-8 xl:grid-cols-[minmax(0,1fr)_22rem]">
        <section>
          <h1>People</h1>
          <div className="overflow-x-auto">
            <table className="mt-3 w-full text-left">
              <thead className="caption">
                <tr>
                  <th className="py-1 pr-4 font-normal">Person</th>
                  <th className="py-1 pr-4 font-normal">Signs in with</th>
                  <th className="py-1 pr-4 font-normal max-sm:hidden">Last used, {zoneText()}</th>
                  <th className="py-1 font-normal">Role</th>
                </tr>
              </thead>
              <tbody className="divide-y divide-line border-line border-y">
                {people.map(({ id, name, job, account }) => (
                  <tr key={id} className="align-top">
                    <td className="py-2 pr-4">
                      <span className="font-semibold">{name}</span>
                      {job && <p className="text-[0.85rem] text-quiet">{job}</p>}
                    </td>
                    <td className="py-2 pr-4">
                      {account ? (
                        <>
                          {account.mail}
                          <p className="text-[0.85rem] text-quiet">{stateText(account)}</p>
                          {account.sites.length > 0 && <p className="text-[0.85rem]">{heldText(account.sites)}</p>}
                        </>
                      ) : (
                        <span className="text-quiet">no account</span>
                      )}
                    </td>
                    <td className="py-2 pr-4 max-sm:hidden">{account?.lastSeen ? timeText(account.lastSeen) : "–"}</td>
                    <td className="py-2">
                      {account && (
                        <AccountActs
                          personId={id}
                          name={name}
                          account={account}
                          choices={CHOICES}
                          sites={sites}
                          isOwn={account.id === context.account.accountId}
                        />
                      )}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
          <h2 className="mt-7">Roles</h2>
          <dl className="mt-2 grid max-w-3xl grid-cols-[auto_minmax(0,1fr)] gap-x-5 gap-y-1.5">
            {ROLES.map((role) => (
              <div key={role} className="contents">
                <dt className="font-semibold">{roleText(role)}</dt>
                <dd>{roleMayText(role)}</dd>
              </div>
            ))}
          </dl>
        </section>
        <InviteForm
          choices={CHOICES}
          known={people.filter(({ account }) => account === null).map(({ id, name }) => ({ id, name }))}
        />
      </div>
    </>
  );
}

function stateText({
  isClosed,
  isAccepted,
  hasSecondFactor,
  sessions,
}: {
  isClosed: boolean;
  isAccepted: boolean;
  hasSecondFactor: boolean;
  sessions: number;
}): string {
  if (isClosed) return "closed";
  const told = [
    isAccepted ? null : "no password chosen",
    hasSecondFactor ? "second factor" : null,
    sessions === 0 ? null : sessions === 1 ? "one session" : `${sessions} sessions`,
  ].filter(Boolean);
  return told.join(", ") || "not signed in";
}
