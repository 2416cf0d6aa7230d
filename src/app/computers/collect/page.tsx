import type { Metadata } from "next";
import { isEnough } from "@/server/accounts/roles";
import { listTokens } from "@/server/accounts/tokens";
import { listSites } from "@/server/inventory/sites";
import { dateText, timeText, zoneText } from "@/ui/words";
import { currentContext } from "../../_lib/context";
import { one, positive, type SearchParams } from "../../_lib/params";
import { ActButton } from "../../_parts/act-button";
import { ComputersNav } from "../nav";
import { endCollectLinkAction } from "./actions";
import { CollectForm } from "./collect-form";

export const metadata: Metadata = { title: "Collect facts" };

export default async function Collect({ searchParams }: { searchParams: SearchParams }) {
  const [context, query] = await Promise.all([currentContext(), searchParams]);
  const [sites, tokens] = await Promise.all([listSites(context), listTokens(context, "facts")]);
  const now = context.now();
  const mayMake = isEnough(context.account.role, "technician");
  const links = tokens.filter(({ endedAt, expiresAt }) => !endedAt && (!expiresAt || expiresAt > now));
  return (
    <>
      <ComputersNav here="/computers/collect" />
      <h1>Collect facts</h1>
      <p className="mt-1 max-w-3xl text-quiet">
        Computers report their firmware, disks, devices and systems themselves. A recorded computer is updated; a new
        one waits under Arrivals. The collector only reads.
      </p>
      {mayMake ? (
        <CollectForm
          sites={sites.map(({ id, name }) => ({ id, name }))}
          computer={one(query.computer)?.slice(0, 60) ?? ""}
          siteId={positive(query.site) ?? null}
        />
      ) : (
        <p className="mt-3">Making links needs the role technician.</p>
      )}
      <p className="mt-4 max-w-3xl text-[0.92rem]">
        Without a link:{" "}
        <a className="link" href="/computers/collect/creel-collect.sh" download>
          creel-collect.sh
        </a>{" "}
        and{" "}
        <a className="link" href="/computers/collect/creel-collect.ps1" download>
          creel-collect.ps1
        </a>{" "}
        write a file to drop under Import facts.
      </p>
      {links.length > 0 && (
        <section className="mt-6">
          <h2>Links in use</h2>
          <div className="overflow-x-auto">
            <table className="mt-1 w-full max-w-4xl text-left">
              <thead className="caption">
                <tr>
                  <th className="py-1 pr-4 font-normal">For</th>
                  <th className="py-1 pr-4 font-normal">Made by</th>
                  <th className="py-1 pr-4 font-normal">Valid until</th>
                  <th className="py-1 pr-4 font-normal">Last report, {zoneText()}</th>
                  <th />
                </tr>
              </thead>
              <tbody className="divide-y divide-line border-line border-y">
                {links.map((link) => (
                  <tr key={link.id}>
                    <td className="py-1.5 pr-4">
                      {link.computer ? <span className="code">{link.computer}</span> : (link.site ?? "all sites")}
                    </td>
                    <td className="py-1.5 pr-4">{link.createdBy}</td>
                    <td className="py-1.5 pr-4">
                      {link.expiresAt ? dateText(link.expiresAt.toISOString().slice(0, 10)) : "ended by hand"}
                    </td>
                    <td className="py-1.5 pr-4">{link.lastUsedAt ? timeText(link.lastUsedAt) : "none yet"}</td>
                    <td className="py-1.5 text-right">
                      {mayMake && (
                        <ActButton
                          text="End link"
                          label={`End the link for ${link.computer ?? link.site ?? "all sites"}`}
                          act={endCollectLinkAction.bind(null, link.id)}
                        />
                      )}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        </section>
      )}
    </>
  );
}
