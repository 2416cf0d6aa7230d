import clsx from "clsx";
import Link from "next/link";
import type { Context } from "@/server/context";
import { listKits, listReleases } from "@/server/media/releases";
import { dateText, plural } from "@/ui/words";

/** All kits with their releases, the newest first; those that were superseded stand back. */
export async function KitList({ context, chosen }: { context: Context; chosen: number | null }) {
  const [kits, releases] = await Promise.all([listKits(context), listReleases(context)]);
  if (kits.length === 0)
    return (
      <p className="text-quiet">
        No kit yet. A kit is a bootable environment with its tools; a release is one version of it.
      </p>
    );
  return (
    <div data-list>
      {kits.map((kit) => {
        const kitReleases = releases.filter((release) => release.kitId === kit.id);
        return (
          <section key={kit.id} className="mb-4">
            <h2>
              <Link prefetch={false} className="no-underline hover:underline" href={`/kits?kit=${kit.id}`}>
                {kit.name}
              </Link>{" "}
              {kit.family && <span className="caption font-normal">{kit.family}</span>}
            </h2>
            {kitReleases.length === 0 && <p className="text-quiet">No release yet.</p>}
            <ul className="border-line border-t">
              {kitReleases.map((release) => (
                <li key={release.id} className="border-line border-b">
                  <Link
                    prefetch={false}
                    data-item
                    href={`/releases/${release.id}`}
                    aria-current={release.id === chosen ? "true" : undefined}
                    className={clsx(
                      "grid grid-cols-[5rem_1fr_auto] gap-x-2 px-2 py-1 no-underline hover:bg-sunk",
                      release.id === chosen && "bg-rope-soft",
                    )}
                  >
                    <span className={clsx(release.supersededById === null ? "font-bold" : "text-quiet")}>
                      {release.name}
                    </span>
                    <span className="caption self-center">
                      {release.supersededById !== null
                        ? "superseded"
                        : release.madeOn
                          ? dateText(release.madeOn)
                          : "no date"}
                      {!release.read && " · never read"}
                    </span>
                    <span className="caption self-center">
                      {release.media === 0 ? "no medium" : plural(release.media, "medium", "media")}
                    </span>
                  </Link>
                </li>
              ))}
            </ul>
          </section>
        );
      })}
    </div>
  );
}
