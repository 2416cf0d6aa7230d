import type { Metadata } from "next";
import { tokenKindText, tokenMayText } from "@/core/words/accounts";
import { listTokens, TOKEN_KINDS, type TokenRow } from "@/server/accounts/tokens";
import { listSites } from "@/server/inventory/sites";
import { dateText, timeText, zoneText } from "@/ui/words";
import { contextOf } from "../_lib/context";
import { ActButton } from "../_parts/act-button";
import { OfPeople } from "../people/nav";
import { endTokenAction } from "./actions";
import { TokenForm } from "./token-form";

export const metadata: Metadata = { title: "Tokens" };

const day = (at: Date) => dateText(at.toISOString().slice(0, 10));

/** "until 3 Mar 2027", "ended 3 Mar 2027". */
function stateText({ expiresAt, endedAt }: TokenRow, now: Date): string {
  if (endedAt) return `ended ${day(endedAt)}`;
  if (!expiresAt) return "until it is ended";
  return expiresAt <= now ? `expired ${day(expiresAt)}` : `until ${day(expiresAt)}`;
}

export default async function Tokens() {
  const context = await contextOf("administrator");
  const [tokens, sites] = await Promise.all([listTokens(context), listSites(context)]);
  const now = context.now();
  return (
    <>
      <OfPeople here="/tokens" />
      <div className="grid grid-cols-[minmax(0,1fr)] gap-8 xl:grid-cols-[minmax(0,1fr)_22rem]">
        <section>
          <h1>Tokens</h1>
          <p className="text-quiet">
            What machines come in with. Each is good for one thing, and can be ended at once.
          </p>
          {tokens.length === 0 ? (
            <p className="mt-4">No token yet.</p>
          ) : (
            <div className="overflow-x-auto">
              <table className="mt-3 w-full text-left">
                <thead className="caption">
                  <tr>
                    <th className="py-1 pr-4 font-normal">Token</th>
                    <th className="py-1 pr-4 font-normal">Good for</th>
                    <th className="py-1 pr-4 font-normal">Made by</th>
                    <th className="py-1 pr-4 font-normal">Last used, {zoneText()}</th>
                    <th />
                  </tr>
                </thead>
                <tbody className="divide-y divide-line border-line border-y">
                  {tokens.map((token) => (
                    <tr key={token.id} className="align-top">
                      <td className="py-2 pr-4">
                        <span className="font-semibold">{token.name}</span>
                        <p className="text-[0.85rem] text-quiet">{stateText(token, now)}</p>
                      </td>
                      <td className="py-2 pr-4">
                        {tokenKindText(token.kind)}
                        <p className="text-[0.85rem] text-quiet">
                          {token.computer ?? token.site ?? token.ofPerson ?? "all sites"}
                        </p>
                      </td>
                      <td className="py-2 pr-4">{token.createdBy}</td>
                      <td className="py-2 pr-4">
                        {token.lastUsedAt ? timeText(token.lastUsedAt) : "never"}
                        {token.lastOrigin && <p className="code text-[0.85rem]">{token.lastOrigin}</p>}
                      </td>
                      <td className="py-2 text-right">
                        {!token.endedAt && (
                          <ActButton text="End" label={`End ${token.name}`} act={endTokenAction.bind(null, token.id)} />
                        )}
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </div>
          )}
        </section>
        <TokenForm
          kinds={TOKEN_KINDS.map((kind) => ({ value: kind, text: tokenKindText(kind), may: tokenMayText(kind) }))}
          sites={sites.map(({ id, name }) => ({ id, name }))}
        />
      </div>
    </>
  );
}
