import Link from "next/link";
import type { Verdict } from "@/core/chain/schema";
import { neededText } from "@/core/words/reasons";
import { type CoverState, latestEvents, type Overview, overview } from "@/server/services/overview";
import { ChainLink } from "@/ui/chain";
import { EventLine } from "@/ui/event-line";
import { firmwareText, plural } from "@/ui/words";
import { currentContext } from "./_lib/context";

const STATES: { state: CoverState; verdict: Verdict; title: string }[] = [
  { state: "holds", verdict: "holds", title: "a medium starts it" },
  { state: "holds-after-change", verdict: "holds-after-change", title: "after a change" },
  { state: "unknown", verdict: "unknown", title: "not known" },
  { state: "broken", verdict: "broken", title: "no medium starts it" },
];

export default async function Today() {
  const context = await currentContext();
  const [today, events] = await Promise.all([overview(context), latestEvents(context)]);
  if (today.computers === 0) return <Nothing media={today.media} />;
  const lacking = today.totals.broken + today.totals.none;
  return (
    <div className="grid gap-x-10 gap-y-6 xl:grid-cols-[minmax(0,1fr)_19rem]">
      <section>
        <h1>{headline(today, lacking)}</h1>
        <p className="mt-1 text-quiet">
          Whether a medium <em>starts</em> a computer is the second of five links. Whether it sees the disks, what it
          restores and whether it was proven is not judged yet.
        </p>
        <SiteTable today={today} />
        <Gaps today={today} />
      </section>
      <aside aria-label="Latest changes">
        <h2>Latest changes</h2>
        <ul className="mt-2 space-y-2">
          {events.map((event) => (
            <EventLine key={event.id} event={event} />
          ))}
        </ul>
      </aside>
    </div>
  );
}

function headline(today: Overview, lacking: number): string {
  if (today.media === today.mediaUnread)
    return `None of ${plural(today.computers, "computer")} has a medium that Creel has read.`;
  if (lacking > 0)
    return `${plural(lacking, "computer")} of ${today.computers} ${lacking === 1 ? "has" : "have"} no medium that starts ${lacking === 1 ? "it" : "them"}.`;
  if (today.totals.unknown > 0)
    return `Every computer may have a medium that starts it; for ${today.totals.unknown} it is not known.`;
  return `Each of ${plural(today.computers, "computer")} has a medium that starts it.`;
}

function SiteTable({ today }: { today: Overview }) {
  return (
    <table className="mt-4 w-full max-w-3xl border-collapse">
      <caption className="sr-only">Computers by place, and what their best medium comes to</caption>
      <thead>
        <tr className="border-line border-b text-left align-bottom">
          <th className="py-1.5 pr-3 font-semibold">Place</th>
          {STATES.map(({ state, verdict, title }) => (
            <th key={state} className="px-2 py-1.5 text-right font-normal">
              <ChainLink verdict={verdict} label={title} />
              <div className="caption">{title}</div>
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {today.bySite.map((site) => (
          <tr key={site.siteId ?? "none"} className="border-line border-b">
            <th scope="row" className="py-1.5 pr-3 text-left font-semibold">
              {site.siteId === null ? (
                "No place recorded"
              ) : (
                <Link prefetch={false} href={`/computers?site=${site.siteId}`}>
                  {site.siteName}
                </Link>
              )}
            </th>
            {STATES.map(({ state }) => {
              const count = site.counts[state] + (state === "broken" ? site.counts.none : 0);
              const best = state === "broken" && site.counts.none > 0 && site.counts.broken === 0 ? "none" : state;
              return (
                <td key={state} className="px-2 py-1.5 text-right tabular-nums">
                  {count === 0 ? (
                    <span className="text-quiet">–</span>
                  ) : (
                    <Link
                      className={state === "broken" ? "font-bold text-plum" : ""}
                      href={`/computers?best=${best}${site.siteId === null ? "" : `&site=${site.siteId}`}`}
                    >
                      {count}
                    </Link>
                  )}
                </td>
              );
            })}
          </tr>
        ))}
        <tr>
          <th scope="row" className="py-1.5 pr-3 text-left font-bold">
            Everywhere
          </th>
          {STATES.map(({ state }) => (
            <td key={state} className="px-2 py-1.5 text-right font-bold tabular-nums">
              {today.totals[state] + (state === "broken" ? today.totals.none : 0) || "–"}
            </td>
          ))}
        </tr>
      </tbody>
    </table>
  );
}

function Gaps({ today }: { today: Overview }) {
  if (today.gaps.length === 0) return null;
  return (
    <div className="mt-6 max-w-3xl">
      <h2>Why not</h2>
      <ul className="mt-2 divide-y divide-line border-line border-y">
        {today.gaps.map((gap, index) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: the list is made anew on every request
          <li key={index} className="grid grid-cols-[2.2rem_1fr] py-2.5">
            <ChainLink verdict={gap.state === "none" ? "broken" : gap.state} />
            <div>
              <p>
                <strong>{plural(gap.count, "computer")}</strong> with {firmwareText(gap.firmware)}: {gapText(gap)}
              </p>
              <p className="code mt-0.5 text-quiet">
                {gap.tags.map((tag, at) => (
                  <span key={tag}>
                    {at > 0 && ", "}
                    <Link prefetch={false} href={`/computers/${encodeURIComponent(tag)}`}>
                      {tag}
                    </Link>
                  </span>
                ))}
                {gap.count > gap.tags.length && ` and ${gap.count - gap.tags.length} more`}
              </p>
            </div>
          </li>
        ))}
      </ul>
    </div>
  );
}

function gapText(gap: Overview["gaps"][number]): string {
  const { firmware, state, mediaTried } = gap;
  switch (state) {
    case "broken":
      return `none of the ${plural(mediaTried, "medium", "media")} read so far starts ${gap.count === 1 ? "it" : "them"}. ${neededText(firmware)}`;
    case "none":
      return "no medium has been read yet. Register one by dropping its file.";
    case "holds-after-change":
      return "a medium starts after a setting is changed; the run sheet says which.";
    case "unknown":
      if (firmware.kind === null) return "whether the firmware is BIOS or UEFI is not known. Drop its facts.";
      if (firmware.secureBoot?.state === "on")
        return "Secure Boot is on, and whether its lists allow the loaders is not judged yet. The paths themselves are there.";
      if (firmware.kind === "uefi" && !firmware.secureBoot?.state)
        return "whether Secure Boot is on is not known. Drop its facts.";
      return "a fact that decides is missing.";
  }
}

function Nothing({ media }: { media: number }) {
  return (
    <section className="max-w-xl">
      <h1>Nothing here yet.</h1>
      <p className="mt-2">
        Creel compares what it knows of each computer with what is really on each medium. Begin with the computers: take
        in what the collector or tools say of one, or a table of many.{" "}
        {media === 0 ? "Then register a medium by dropping its file." : ""}
      </p>
      <p className="mt-4 flex gap-3">
        <Link prefetch={false} className="act-main" href="/computers/facts">
          Take in the facts of a computer
        </Link>
        <Link prefetch={false} className="act" href="/computers/import">
          Import a table of many
        </Link>
        <Link prefetch={false} className="act" href="/media/new">
          Register a medium
        </Link>
      </p>
    </section>
  );
}
