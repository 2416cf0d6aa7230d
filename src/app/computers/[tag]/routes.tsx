import Link from "next/link";
import { LINK_NAMES } from "@/core/chain/schema";
import type { StartFacts } from "@/core/facts/profile";
import { changeText, linkTitle, neededText, verdictText } from "@/core/words/reasons";
import type { Route } from "@/server/services/routes";
import { Chain, ChainHead, ChainLink, verdictsOf } from "@/ui/chain";
import { mediumKindText, plural } from "@/ui/words";

/** Routes that are opened, and listed, before the rest is only counted. */
const LISTED = 40;

export function Routes({
  routes,
  computerTag,
  firmware,
}: {
  routes: Route[];
  computerTag: string;
  firmware: StartFacts["firmware"];
}) {
  const [best] = routes;
  if (!best) {
    return (
      <section className="mt-5 border-line border-y py-4">
        <h2>No route yet</h2>
        <p className="mt-1">
          No medium has been read.{" "}
          <Link prefetch={false} className="link" href="/media/new">
            Register one by dropping its file
          </Link>
          , and this computer is judged at once.
        </p>
      </section>
    );
  }
  const starting = routes.filter((route) => route.links.starts.verdict !== "broken");
  return (
    <section className="mt-5">
      <p className="text-lg">{answer(routes, computerTag)}</p>
      {best.links.starts.verdict === "broken" && (
        <p>
          {neededText(firmware)}{" "}
          <Link className="link" href="/media/new">
            Register one
          </Link>
          . The nearest miss:
        </p>
      )}
      <div className="mt-3 border-line border-y py-3">
        <ChainHead links={verdictsOf(best.links)} />
        <RouteReasons route={best} computerTag={computerTag} />
      </div>
      <h2 className="mt-5">Routes, best first</h2>
      <ol className="mt-2 divide-y divide-line border-line border-y">
        {routes.slice(0, LISTED).map((route, index) => (
          <li key={route.mediumTag}>
            <details>
              <summary className="grid cursor-pointer grid-cols-[1.6rem_7.5rem_6.5rem_1fr] items-center gap-x-2 py-1.5">
                <span className="caption tabular-nums">{index + 1}</span>
                <Chain links={verdictsOf(route.links)} />
                <span className="code font-bold">{route.mediumTag}</span>
                <span className="truncate">
                  {[
                    mediumKindText(route.kind),
                    route.siteName,
                    ...route.loads.map((load) => `${load.kitName} ${load.releaseName}`),
                  ]
                    .filter(Boolean)
                    .join(" · ")}
                </span>
              </summary>
              <div className="pb-3 pl-8">
                <RouteReasons route={route} computerTag={computerTag} />
              </div>
            </details>
          </li>
        ))}
      </ol>
      {routes.length > LISTED && (
        <p className="caption mt-1">
          and {plural(routes.length - LISTED, "more route")}; {plural(starting.length, "of all has", "of all have")} a
          start that is not broken.
        </p>
      )}
    </section>
  );
}

function lowerFirst(text: string): string {
  return text.charAt(0).toLowerCase() + text.slice(1);
}

function answer(routes: Route[], tag: string): string {
  const holds = routes.filter((route) => route.links.starts.verdict === "holds");
  const [best] = routes as [Route, ...Route[]];
  if (holds.length > 0) {
    const near = holds.find((route) => route.links.atHand.verdict === "holds");
    const also = holds.length > 1 ? ` ${plural(holds.length - 1, "other does", "others do")} too.` : "";
    if (near) return `${near.mediumTag} starts ${tag} and is at the same place.${also}`;
    const [first] = holds as [Route, ...Route[]];
    const elsewhere = first.links.atHand.verdict === "holds-after-change";
    return `${first.mediumTag} starts ${tag}, but ${elsewhere ? `is at ${first.siteName}` : "it is not known to be at hand"}.${also}`;
  }
  if (best.links.starts.verdict === "holds-after-change")
    return `${best.mediumTag} starts ${tag} after a change: ${best.links.starts.changes.map((change) => lowerFirst(changeText(change))).join(", ")}.`;
  if (best.links.starts.verdict === "unknown") return `It is not known whether any medium starts ${tag}.`;
  return `No medium in stock starts ${tag}.`;
}

export function RouteReasons({ route, computerTag }: { route: Route; computerTag: string }) {
  return (
    <div className="mt-2">
      <dl className="space-y-1.5">
        {LINK_NAMES.map((name) => {
          const link = route.links[name];
          return (
            <div key={name} className="grid grid-cols-[2.4rem_5rem_1fr] items-baseline">
              <dt className="contents">
                <ChainLink
                  verdict={link.verdict}
                  height={13}
                  label={`${linkTitle(name)}: ${verdictText(link.verdict)}`}
                />
                <span className="font-semibold">{linkTitle(name)}</span>
              </dt>
              <dd>
                {link.reasons.map((reason) => (
                  <span key={reason.text}>{reason.text} </span>
                ))}
                {link.changes.length > 0 && <strong>{link.changes.map(changeText).join(". ")}.</strong>}
                {link.trace.length > 0 && (
                  <details className="caption">
                    <summary className="min-h-[24px] cursor-pointer py-1">what the firmware tries, in order</summary>
                    <ol className="mt-1 list-decimal pl-5">
                      {link.trace.map((line, index) => (
                        // biome-ignore lint/suspicious/noArrayIndexKey: lines may repeat, their order is their identity
                        <li key={index}>{line}</li>
                      ))}
                    </ol>
                  </details>
                )}
              </dd>
            </div>
          );
        })}
      </dl>
      <p className="mt-3 flex gap-3">
        {route.links.starts.verdict !== "broken" && (
          <Link
            prefetch={false}
            className="act-main"
            href={`/sheets/${encodeURIComponent(computerTag)}/${encodeURIComponent(route.mediumTag)}`}
          >
            Run sheet with {route.mediumTag}
          </Link>
        )}
        <Link prefetch={false} className="act" href={`/media/${encodeURIComponent(route.mediumTag)}`}>
          See {route.mediumTag}
        </Link>
      </p>
    </div>
  );
}
