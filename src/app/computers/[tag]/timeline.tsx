import Link from "next/link";
import { actionText } from "@/core/words/events";
import { visible } from "@/core/words/visible";
import type { events } from "@/server/db/schema";
import { type FactDifference, factDifferences } from "@/ui/fact-differences";
import { plural, zonedTimeText } from "@/ui/words";

type Event = typeof events.$inferSelect;

const SHOWN = 6;

/** What happened to a computer, latest first, told fact by fact. */
export function Timeline({
  events: list,
  sites,
  more,
}: {
  events: Event[];
  sites: Map<number, string>;
  more: string | null;
}) {
  return (
    <section className="mt-5">
      <ol className="border-line border-l-2 pl-4">
        {list.map((event) => {
          const differences =
            event.before && event.after
              ? factDifferences(event.before, event.after, (id) => sites.get(Number(id)) ?? "a former site")
              : [];
          return (
            <li key={event.id} className="relative pb-4">
              <span aria-hidden className="absolute top-[0.45rem] -left-[1.35rem] size-2.5 rounded-full bg-rope" />
              <div>
                <strong>{event.personName}</strong> {actionText(event.action)} it
                {event.note && <span className="text-quiet"> ({visible(event.note, 200)})</span>}{" "}
                <span className="caption whitespace-nowrap">{zonedTimeText(event.at)}</span>
              </div>
              <ul className="mt-0.5 text-[0.92rem]">
                {differences.slice(0, SHOWN).map((difference) => (
                  <Difference key={difference.title} {...difference} />
                ))}
              </ul>
              {differences.length > SHOWN && (
                <details className="text-[0.92rem]">
                  <summary className="link min-h-[24px] cursor-pointer">
                    and {plural(differences.length - SHOWN, "more fact")}
                  </summary>
                  <ul>
                    {differences.slice(SHOWN, 300).map((difference) => (
                      <Difference key={difference.title} {...difference} />
                    ))}
                  </ul>
                </details>
              )}
            </li>
          );
        })}
      </ol>
      {more && (
        <Link prefetch={false} className="link" href={more}>
          Show previous values
        </Link>
      )}
    </section>
  );
}

function Difference({ title, before, after }: FactDifference) {
  return (
    <li className="break-words">
      <span className="text-quiet">{title}:</span> {before} → <strong className="font-semibold">{after}</strong>
    </li>
  );
}
