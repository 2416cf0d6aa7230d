import type { Metadata } from "next";
import Link from "next/link";
import { roleMayText, roleText } from "@/core/words/accounts";
import { isDemo } from "@/server/accounts/auth";
import { ownSessions } from "@/server/accounts/own";
import { passkeyHost } from "@/server/accounts/passkey-host";
import { ownPasskeys } from "@/server/accounts/passkeys";
import { dateText, timeText, zoneText } from "@/ui/words";
import { currentContext } from "../_lib/context";
import { ActButton } from "../_parts/act-button";
import { endOwnSessionAction } from "./actions";
import { ChangePassword } from "./change-password";
import { Passkeys } from "./passkeys";
import { SecondFactor } from "./second-factor";
import { SignOut } from "./sign-out";

export const metadata: Metadata = { title: "Your account" };

/** "Firefox on Linux": enough to know one's own by. */
function agentText(agent: string | null): string {
  if (!agent) return "not told";
  const browser = /(Firefox|Edg|Chrome|Safari)/.exec(agent)?.[1] ?? "another browser";
  const system = /(Windows|Android|iPhone|iPad|Mac OS|Linux)/.exec(agent)?.[1];
  const name = browser === "Edg" ? "Edge" : browser;
  return system ? `${name} on ${system}` : name;
}

export default async function Account() {
  const context = await currentContext();
  const { account, person } = context;
  const hasPasskeys = passkeyHost() !== null;
  const [sessions, keys] = await Promise.all([ownSessions(context), ownPasskeys(context)]);
  return (
    <div className="max-w-3xl space-y-7">
      <header>
        <h1>{person.name}</h1>
        <p>
          {account.mail}. {roleText(account.role)}: {roleMayText(account.role)}
        </p>
        <div className="mt-3 flex flex-wrap gap-2">
          <SignOut />
          {account.role === "administrator" && (
            <Link prefetch={false} className="act" href="/people">
              People, tokens, audit
            </Link>
          )}
        </div>
      </header>
      <section aria-labelledby="sessions">
        <h2 id="sessions">Signed in at</h2>
        <div className="overflow-x-auto">
          <table className="mt-2 w-full text-left">
            <thead className="caption">
              <tr>
                <th className="py-1 pr-4 font-normal">With</th>
                <th className="py-1 pr-4 font-normal">From</th>
                <th className="py-1 pr-4 font-normal">Since, {zoneText()}</th>
                <th className="py-1 pr-4 font-normal">Last used, {zoneText()}</th>
                <th />
              </tr>
            </thead>
            <tbody className="divide-y divide-line border-line border-y">
              {sessions.map(({ id, agent, from, since, lastSeen, isThis }) => (
                <tr key={id}>
                  <td className="py-1.5 pr-4">{agentText(agent)}</td>
                  <td className="code py-1.5 pr-4">{from ?? "not told"}</td>
                  <td className="py-1.5 pr-4">{timeText(since)}</td>
                  <td className="py-1.5 pr-4">{timeText(lastSeen)}</td>
                  <td className="py-1.5 text-right">
                    {isThis ? (
                      "this one"
                    ) : (
                      <ActButton
                        text="End"
                        label={`End the session of ${agentText(agent)}, ${timeText(since)}`}
                        act={endOwnSessionAction.bind(null, id)}
                      />
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      </section>
      {hasPasskeys && (
        <Passkeys
          own={keys.map(({ id, name, since }) => ({
            id,
            name: name ?? "a device",
            since: dateText(since.toISOString()),
          }))}
        />
      )}
      {isDemo() ? (
        <p className="text-quiet">People of the demo have neither a password nor a second factor.</p>
      ) : (
        <>
          <ChangePassword />
          <SecondFactor isOn={account.hasSecondFactor} />
        </>
      )}
    </div>
  );
}
