import type { Metadata } from "next";
import Link from "next/link";
import { notFound } from "next/navigation";
import { openLoans, shelfOf } from "@/server/media/loans";
import { dateText, mediumKindText, plural } from "@/ui/words";
import { currentContext } from "../../_lib/context";
import { LoanList } from "../loan-list";
import { PatternForm } from "../pattern-form";
import { Stock } from "../stock";

interface Props {
  params: Promise<{ id: string }>;
}

export async function generateMetadata({ params }: Props): Promise<Metadata> {
  const shelf = await shelfOf(await currentContext(), Number((await params).id) || 0);
  return { title: shelf?.site.name ?? "Site" };
}

/** The shelf of a place: what is kept there, who has what of it, and what the last stock-taking missed. */
export default async function Site({ params }: Props) {
  const [context, { id }] = await Promise.all([currentContext(), params]);
  const [shelf, loans] = await Promise.all([shelfOf(context, Number(id) || 0), openLoans(context, Number(id) || 0)]);
  if (!shelf) notFound();
  const { site, media, lastTaken } = shelf;
  const here = media.filter(({ lentTo }) => lentTo === null);
  const missing = new Set(lastTaken?.missing ?? []);
  return (
    <article>
      <header className="flex flex-wrap items-start justify-between gap-3">
        <div>
          <h1>{site.name}</h1>
          <p className="text-quiet">{site.place}</p>
        </div>
        <div className="flex gap-2 print:hidden">
          <Link prefetch={false} className="act" href={`/computers?site=${site.id}`}>
            Computers
          </Link>
          <Link prefetch={false} className="act" href="/sites">
            All sites
          </Link>
        </div>
      </header>
      <div className="print:hidden">
        <Stock siteId={site.id} siteName={site.name} />
      </div>
      <section className="mt-6">
        <h2>Media here</h2>
        <p className="text-quiet">
          {plural(here.length, "medium", "media")}.{" "}
          {lastTaken
            ? `Stock taken ${dateText(lastTaken.on)} by ${lastTaken.personName}${lastTaken.missing.length > 0 ? `: ${lastTaken.missing.length} ${lastTaken.missing.length === 1 ? "was" : "were"} missing` : ", nothing was missing"}.`
            : "No stock-taking recorded."}
        </p>
        <ul data-list className="mt-1 divide-y divide-line border-line border-y">
          {here.map(({ tag, name, kind }) => (
            <li
              key={tag}
              className="grid grid-cols-[7rem_minmax(0,1fr)_9rem_10rem] max-sm:grid-cols-[7rem_minmax(0,1fr)] items-baseline gap-x-3 py-1.5"
            >
              <Link prefetch={false} data-item className="code font-bold" href={`/media/${encodeURIComponent(tag)}`}>
                {tag}
              </Link>
              <span>{name}</span>
              <span className="text-quiet">{mediumKindText(kind)}</span>
              <span className="text-plum">{missing.has(tag) && "missing last time"}</span>
            </li>
          ))}
        </ul>
      </section>
      {loans.length > 0 && (
        <section className="mt-6">
          <h2>Lent from here</h2>
          <LoanList loans={loans} />
        </section>
      )}
      <section className="mt-6 print:hidden">
        <PatternForm key={site.version} siteId={site.id} version={site.version} pattern={site.namePattern} />
      </section>
    </article>
  );
}
