import type { Metadata } from "next";
import Link from "next/link";
import { AddForm } from "@/app/_parts/add-form";
import { listSites } from "@/server/inventory/sites";
import { openLoans } from "@/server/media/loans";
import { plural } from "@/ui/words";
import { currentContext } from "../_lib/context";
import { addSiteAction } from "./actions";
import { LoanList } from "./loan-list";

export const metadata: Metadata = { title: "Sites" };

export default async function Sites() {
  const context = await currentContext();
  const [sites, loans] = await Promise.all([listSites(context), openLoans(context)]);
  return (
    <div className="grid gap-8 xl:grid-cols-[minmax(0,1fr)_20rem]">
      <section>
        <h1>Sites</h1>
        {sites.length === 0 && (
          <p className="mt-2 text-quiet">No site yet. A site is where computers stand and media are kept.</p>
        )}
        <ul data-list className="mt-3 max-w-2xl divide-y divide-line border-line border-y">
          {sites.map((site) => (
            <li key={site.id} className="grid grid-cols-[1fr_9rem_7rem] items-baseline py-1.5">
              <div>
                <Link prefetch={false} className="font-semibold" href={`/sites/${site.id}`}>
                  {site.name}
                </Link>{" "}
                <span className="text-quiet">{site.place}</span>
              </div>
              <Link prefetch={false} data-item className="link" href={`/computers?site=${site.id}`}>
                {plural(site.computers, "computer")}
              </Link>
              <Link prefetch={false} className="link" href={`/media?site=${site.id}`}>
                {plural(site.media, "medium", "media")}
              </Link>
            </li>
          ))}
        </ul>
        {loans.length > 0 && (
          <section className="mt-6 max-w-3xl">
            <h2>Lent</h2>
            <LoanList loans={loans} />
          </section>
        )}
      </section>
      <aside>
        <AddForm
          title="Add site"
          fields={[
            { name: "name", label: "Name" },
            { name: "place", label: "Address" },
          ]}
          onAdd={addSiteAction}
        />
      </aside>
    </div>
  );
}
