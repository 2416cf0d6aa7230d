import type { Metadata } from "next";
import { isEnough } from "@/server/accounts/roles";
import { listTokens } from "@/server/accounts/tokens";
import { type HostItem, listHosts } from "@/server/bench/host-list";
import { dateText, zonedTimeText } from "@/ui/words";
import { currentContext } from "../../_lib/context";
import { ActButton } from "../../_parts/act-button";
import { KeepCurrent } from "../../_parts/keep-current";
import { BenchNav } from "../nav";
import { endBenchHostAction } from "./actions";
import { AddHost } from "./add-host";

export const metadata: Metadata = { title: "Bench hosts" };

export default async function Hosts() {
  const context = await currentContext();
  const [hosts, tokens] = await Promise.all([listHosts(context), listTokens(context, "bench")]);
  const now = context.now();
  const inUse = tokens.filter(({ endedAt, expiresAt }) => !endedAt && (!expiresAt || expiresAt > now));
  const mayAdd = isEnough(context.account.role, "technician");
  return (
    <>
      <BenchNav here="/bench/hosts" />
      <KeepCurrent mark="berths" />
      <section>
        <h1>Bench hosts</h1>
        <p className="mt-1 max-w-3xl text-quiet">
          Computers whose USB ports and card slots are berths of this bench. Media are chosen here, and written, read
          back and checked there.
        </p>
        {inUse.length === 0 ? (
          <p className="mt-4">No bench host yet. Add one to make media where the sticks are.</p>
        ) : (
          <ul data-list className="mt-3 max-w-3xl divide-y divide-line border-line border-y">
            {inUse.map((token) => (
              <li key={token.id} className="flex items-start justify-between gap-4 py-2">
                <div className="min-w-0">
                  <p>
                    <strong>{token.name}</strong>{" "}
                    <span className="text-quiet">
                      added by {token.createdBy}, valid{" "}
                      {token.expiresAt ? `until ${dateText(token.expiresAt)}` : "until it is ended"}
                    </span>
                  </p>
                  <HostLines hosts={hosts.filter(({ tokenId }) => tokenId === token.id)} />
                </div>
                {mayAdd && (
                  <ActButton text="End" label={`End ${token.name}`} act={endBenchHostAction.bind(null, token.id)} />
                )}
              </li>
            ))}
          </ul>
        )}
      </section>
      {mayAdd ? <AddHost /> : <p className="mt-6">Adding bench hosts needs the role technician.</p>}
    </>
  );
}

function HostLines({ hosts }: { hosts: HostItem[] }) {
  if (hosts.length === 0) return <p className="text-quiet">Not connected yet.</p>;
  return hosts.map(({ id, name, system, isThere, seenAt }) => (
    <p key={id}>
      <span className="code">{name}</span>, {system}:{" "}
      {isThere ? (
        <span className="text-sea">connected</span>
      ) : (
        <span className="text-plum">not connected since {zonedTimeText(seenAt)}</span>
      )}
    </p>
  ));
}
