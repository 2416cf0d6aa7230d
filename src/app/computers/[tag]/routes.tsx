import Link from "next/link";
import { type KeyCard, startKeys } from "@/core/computer/facts/key-cards";
import type { Facts } from "@/core/computer/facts/schema";
import { LINK_NAMES } from "@/core/judging/model/schema";
import { answerOf, verdictsOf } from "@/core/judging/routes/routes";
import { changeWithKeyText, linkTitle, neededText, reasonText, verdictText } from "@/core/words/reasons";
import { answerText, behindText, outcomeText } from "@/core/words/routes";
import { traceText } from "@/core/words/trace";
import type { Route } from "@/server/fleet/routes";
import { Chain, ChainHead, ChainLink } from "@/ui/chain";
import { mediumKindText, plural } from "@/ui/words";

/** Routes that are opened, and listed, before the rest is only counted. */
const LISTED = 40;

/** The keys that open set-up and the start menu, where they are known or usual. */
export interface RouteKeys {
  setup: string;
  startMenu: string;
}

export function keysOf(facts: Facts, card: KeyCard | null): RouteKeys {
  const { setup, startMenu } = startKeys(facts.firmware.keys, card, facts.computer.form);
  return { setup: setup.key, startMenu: startMenu.key };
}

export function Routes({
  routes,
  computerTag,
  facts,
  card,
}: {
  routes: Route[];
  computerTag: string;
  facts: Facts;
  card: KeyCard | null;
}) {
  const best = answerOf(routes);
  if (!best) {
    return (
      <section className="mt-5 border-line border-y py-4">
        <h2>No route yet</h2>
        <p className="mt-1">
          No medium is recorded.{" "}
          <Link prefetch={false} className="link" href="/media/new">
            Register one by dropping its file
          </Link>
          , and this computer is judged at once.
        </p>
      </section>
    );
  }
  const keys = keysOf(facts, card);
  const usable = routes.filter((route) => route.weakest !== "broken").length;
  return (
    <section className="mt-5">
      <p className="text-lg">{answerText(computerTag, routes)}</p>
      {best.weakest !== "holds" && (
        <p>
          <Link prefetch={false} className="link" href={`/bench/make?tags=${encodeURIComponent(computerTag)}`}>
            Suggest a medium
          </Link>
        </p>
      )}
      {best.links.starts.verdict === "broken" && (
        <p>
          {neededText(facts.firmware)}{" "}
          <Link prefetch={false} className="link" href="/media/new">
            Register one
          </Link>
          .
        </p>
      )}
      <div className="mt-3 border-line border-y py-3">
        <ChainHead links={verdictsOf(best.links)} />
        <RouteReasons route={best} computerTag={computerTag} keys={keys} />
      </div>
      <h2 className="mt-5">Routes, best first</h2>
      <ol className="mt-2 divide-y divide-line border-line border-y">
        {routes.slice(0, LISTED).map((route, index) => {
          const before = routes[index - 1];
          const behind = before && behindText(before, route);
          return (
            <li key={[route.medium, route.release, route.outcome?.kind, route.outcome?.image?.id].join(" ")}>
              <details>
                <summary className="grid cursor-pointer grid-cols-[1.6rem_7.5rem_6.5rem_1fr] items-center gap-x-2 py-1.5">
                  <span className="caption tabular-nums">{index + 1}</span>
                  <Chain links={verdictsOf(route.links)} />
                  <span className="code font-bold">{route.medium}</span>
                  <span className="truncate">
                    {[outcomeText(route.outcome), route.release, mediumKindText(route.kind), route.siteName]
                      .filter(Boolean)
                      .join(" · ")}
                  </span>
                </summary>
                <div className="pb-3 pl-8">
                  {behind && (
                    <p className="text-quiet">
                      Ranked next {before.medium}, {behind}
                    </p>
                  )}
                  <RouteReasons route={route} computerTag={computerTag} keys={keys} />
                </div>
              </details>
            </li>
          );
        })}
      </ol>
      {routes.length > LISTED && (
        <p className="caption mt-1">
          and {plural(routes.length - LISTED, "more route")}; {plural(usable, "of all is", "of all are")} not broken.
        </p>
      )}
    </section>
  );
}

export function RouteReasons({
  route,
  computerTag,
  keys,
}: {
  route: Pick<Route, "links" | "medium">;
  computerTag: string;
  keys: RouteKeys;
}) {
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
                  <span key={JSON.stringify(reason)}>{reasonText(reason)} </span>
                ))}
                {link.changes.length > 0 && (
                  <strong>{link.changes.map((change) => changeWithKeyText(change, keys)).join(". ")}.</strong>
                )}
                {link.trace.length > 0 && (
                  <details className="caption">
                    <summary className="min-h-[24px] cursor-pointer py-1">What the firmware tries, in order</summary>
                    <ol className="mt-1 list-decimal pl-5">
                      {link.trace.map((line, index) => (
                        // biome-ignore lint/suspicious/noArrayIndexKey: lines may repeat, their order is their identity
                        <li key={index}>{traceText(line)}</li>
                      ))}
                    </ol>
                  </details>
                )}
              </dd>
            </div>
          );
        })}
      </dl>
      <p className="mt-3 flex flex-wrap gap-3">
        {route.links.starts.verdict !== "broken" && (
          <Link
            prefetch={false}
            className="act-main"
            href={`/run-sheets/${encodeURIComponent(computerTag)}/${encodeURIComponent(route.medium)}`}
          >
            Run sheet with {route.medium}
          </Link>
        )}
        <Link prefetch={false} className="act" href={`/media/${encodeURIComponent(route.medium)}`}>
          See {route.medium}
        </Link>
        <Link
          prefetch={false}
          className="act"
          href={`/drills/new?medium=${encodeURIComponent(route.medium)}&computer=${encodeURIComponent(computerTag)}`}
        >
          Record a drill
        </Link>
        <Link
          prefetch={false}
          className="act"
          href={`/drills?medium=${encodeURIComponent(route.medium)}&computer=${encodeURIComponent(computerTag)}`}
        >
          Plan a drill
        </Link>
      </p>
    </div>
  );
}
