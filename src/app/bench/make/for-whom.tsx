import Link from "next/link";
import { servedBy } from "@/core/making/planning/propose";
import { alternativeText } from "@/core/words/bench";
import type { ProposalView } from "@/server/bench/proposals";
import type { Lacking } from "@/server/cover/lacking";
import { plural, tagsText } from "@/ui/words";
import { fieldsOf, type Making, makeHref } from "./wish";

/** So many tags go into an address. */
const TAGS_MOST = 100;

/** Who could do with a medium, by site and by release; or computers that are named. */
export function ForWhom({
  lacking: { sites, ids, total },
  wanted,
  making,
}: {
  lacking: Lacking;
  /** Releases for all who miss their policy, the best first. */
  wanted: ProposalView | null;
  making: Making;
}) {
  const { onto } = making;
  const releases = (wanted?.proposals ?? []).filter((each) => servedBy(each).length > 0).slice(0, 5);
  return (
    <div className="space-y-4 pb-2">
      {ids.length > 0 ? (
        <div className="grid gap-x-10 gap-y-4 md:grid-cols-2">
          <section aria-label="Computers that miss their policy, by site">
            <h3 className="font-semibold">Computers that miss their policy, by site</h3>
            <ul className="divide-y divide-line">
              {sites.map(({ site, total, tags }) => (
                <li key={site ?? ""} className="py-1.5">
                  <Link
                    prefetch={false}
                    className="link font-semibold"
                    href={makeHref({ onto, tags: tags.slice(0, TAGS_MOST) })}
                  >
                    {site ?? "No recorded site"}: {plural(total, "computer")}
                  </Link>
                  <span className="block text-quiet">{tagsText(tags)}</span>
                </li>
              ))}
            </ul>
          </section>
          <section aria-label="Releases that would recover them">
            <h3 className="font-semibold">Releases that would recover them</h3>
            {releases.length === 0 && (
              <p className="text-quiet">No release in the library gives any of them a route.</p>
            )}
            <ul className="divide-y divide-line">
              {releases.map((each) => (
                <li key={each.releaseId} className="py-1.5">
                  <Link
                    prefetch={false}
                    className="link font-semibold"
                    href={makeHref({
                      ...{ onto, tags: servedBy(each).slice(0, TAGS_MOST) },
                      ...{ releaseId: each.releaseId, ...each.way },
                    })}
                  >
                    {each.release}: {plural(servedBy(each).length, "computer")}
                  </Link>
                  <span className="block text-quiet">
                    {alternativeText(each.way)}, for {tagsText(servedBy(each))}
                  </span>
                </li>
              ))}
            </ul>
          </section>
        </div>
      ) : (
        <p className="text-quiet">
          {total > 0 ? (
            "Every computer meets its policy."
          ) : (
            <>
              No computer recorded yet.{" "}
              <Link prefetch={false} className="link" href="/computers/facts">
                Import facts
              </Link>
              , or make a medium for no computer in particular.
            </>
          )}
        </p>
      )}
      <form className="flex flex-wrap items-end gap-3" action="/bench/make">
        {fieldsOf({ onto }).map(([name, value]) => (
          <input key={name} type="hidden" name={name} value={value} />
        ))}
        <label className="grow">
          <span className="block font-semibold text-[0.9rem]">Other computers (tags)</span>
          <input className="field code max-w-xl" name="tags" autoComplete="off" required />
        </label>
        <button type="submit" className="act-main">
          Suggest a medium
        </button>
        <Link prefetch={false} className="act" href={makeHref({ onto, isForAny: true })}>
          No computer in particular
        </Link>
      </form>
    </div>
  );
}
