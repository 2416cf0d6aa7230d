import Link from "next/link";
import type { ReactNode } from "react";
import { advantagesOver } from "@/core/callout/advantages";
import type { Happening } from "@/core/callout/happenings";
import { verdictNow } from "@/core/callout/offers";
import type { GuidedStep } from "@/core/callout/step";
import { type OutcomeKind, savesFilesOnly } from "@/core/judging/routes/outcome";
import { verdictsOf } from "@/core/judging/routes/routes";
import { advantageText, calloutOutcomeText, lostText, openFactsText } from "@/core/words/callout";
import { durationText } from "@/core/words/images";
import { changeText, linkTitle, reasonText } from "@/core/words/reasons";
import { stepText } from "@/core/words/steps";
import type { CalloutDetail, CalloutOffers } from "@/server/callouts/callouts";
import { Chain } from "@/ui/chain";
import { plural } from "@/ui/words";
import { ChooseButton } from "./acts";

type CalloutOffer = CalloutOffers["offers"][number];

const WHERE = ["is here", "is at another site", "has no recorded site", "is lent"];
/** Of those for which nothing speaks, where they are all that there is of a kind. */
const SHOWN = 3;
/** What is fetched, of all steps: what a technician takes along. */
const FETCHES = ["fetch", "fetch-store", "destination", "fit-disk"];

/** How the computer comes back: the best way large, the others by what comes back, folded where nothing speaks for them. */
export function Offers({
  detail: { row, computer },
  offers: { offers, passedOver, refused, bestSteps, healthy },
}: {
  detail: CalloutDetail;
  offers: CalloutOffers;
}) {
  const young = passedOver.filter(({ why }) => why === "after-the-fault");
  const unusable = passedOver.filter(({ why }) => why === "not-usable");
  const [best, ...others] = offers;
  return (
    <>
      {!offers.some(({ outcome }) => !savesFilesOnly(outcome)) && (
        <p className="mt-5 border-plum border-l-4 bg-plum-soft px-3 py-2">
          No route recovers it.{" "}
          <Link prefetch={false} className="link" href={`/bench/make?tags=${encodeURIComponent(computer.row.tag)}`}>
            Make a medium on the bench
          </Link>
          , or on a healthy computer{healthy.length > 0 && ` here: ${healthy.join(", ")}`}. Not on this one.
        </p>
      )}
      {best && <BestRoute calloutId={row.id} happening={row.happening} offer={best} steps={bestSteps} />}
      {young.length > 0 && (
        <p className="mt-3">
          {young.map(({ image }) => image).join(", ")} {young.length === 1 ? "was" : "were"} taken after the fault may
          have been there, and {young.length === 1 ? "is" : "are"} not offered.
        </p>
      )}
      {unusable.length > 0 && (
        <p className="mt-3 text-quiet">{unusable.map(({ image }) => image).join(", ")} cannot be restored.</p>
      )}
      {best && others.length > 0 && (
        <section className="mt-6">
          <h2>Other routes</h2>
          {groupsOf(others).map(({ outcome, own }) => (
            <Group key={outcome} calloutId={row.id} happening={row.happening} best={best} outcome={outcome} own={own} />
          ))}
        </section>
      )}
      {refused.length > 0 && (
        <details className="mt-3">
          <summary className="cursor-pointer font-semibold">{plural(refused.length, "route")} not possible</summary>
          <ul className="divide-y divide-line border-line border-y">
            {refused.map(({ route, outcome, image, link }) => (
              <li key={`${route.medium} ${outcome} ${image} ${route.release}`} className="py-1.5">
                {calloutOutcomeText(outcome)}
                {image && `, from ${image}`}, with <span className="code font-bold">{route.medium}</span>{" "}
                {route.release}
                <span className="block text-quiet">
                  {linkTitle(link)}: {route.links[link].reasons.slice(0, 2).map(reasonText).join(" ")}
                </span>
              </li>
            ))}
          </ul>
        </details>
      )}
    </>
  );
}

/** The best way, to be taken in at a glance: what comes back, how long it takes, what is lost, what to take along. */
function BestRoute({
  calloutId,
  happening,
  offer,
  steps,
}: {
  calloutId: number;
  happening: Happening;
  offer: CalloutOffer;
  steps: GuidedStep[];
}) {
  const { route, outcome, seconds, times, lost, image } = offer;
  const changes = changesOf(offer);
  const fetches = steps.flatMap(({ step }) => (FETCHES.includes(step.code) ? [stepText(step).act] : []));
  return (
    <section aria-label="Best route" className="mt-5 border border-rope bg-sheet px-5 py-4">
      <div className="flex flex-wrap items-start justify-between gap-x-6 gap-y-3">
        <div>
          <p className="caption">Best route</p>
          <h2 className="text-2xl first-letter:uppercase">
            {calloutOutcomeText(outcome)}
            {image && `, ${image}`}
          </h2>
          <p className="mt-1 flex flex-wrap items-center gap-x-3">
            <Chain links={verdictsOf(route.links)} height={15} />
            <span>
              with <span className="code font-bold">{route.medium}</span> {route.release}
            </span>
          </p>
        </div>
        <ChooseButton calloutId={calloutId} wanted={wantedOf(offer)} isFirst />
      </div>
      <dl className="mt-4 grid gap-x-8 gap-y-3 sm:grid-cols-[auto_auto_minmax(0,1fr)]">
        <Fact name="Time">
          <span className="text-xl">{durationText(seconds)}</span>
        </Fact>
        <Fact name="Loss">
          <span className="text-xl">{lostText(lost)}</span>
        </Fact>
        <Fact name="To fetch">
          <ul>
            {fetches.map((each) => (
              <li key={each}>{each}</li>
            ))}
            {fetches.length === 0 && <li>Nothing.</li>}
          </ul>
        </Fact>
      </dl>
      {(changes.length > 0 || verdictNow(route, happening) === "unknown" || openFactsText(times.openFacts)) && (
        <p className="mt-3 text-quiet">
          {changes.length > 0 && `${changes.map(changeText).join(". ")}. `}
          {verdictNow(route, happening) === "unknown" && "Unknown whether it works. "}
          {openFactsText(times.openFacts)}
        </p>
      )}
    </section>
  );
}

function Fact({ name, children }: { name: string; children: ReactNode }) {
  return (
    <div>
      <dt className="caption">{name}</dt>
      <dd>{children}</dd>
    </div>
  );
}

/** Ways with one outcome: those for which something speaks, and the others folded. */
function Group({
  calloutId,
  happening,
  best,
  outcome,
  own,
}: {
  calloutId: number;
  happening: Happening;
  best: CalloutOffer;
  outcome: OutcomeKind;
  own: CalloutOffer[];
}) {
  const told = own.map((offer) => ({ offer, advantages: advantagesOver(best, offer, happening) }));
  const better = told.filter(({ advantages }) => advantages.length > 0).slice(0, SHOWN);
  const folded = told.filter((each) => !better.includes(each));
  const title = (
    <span className="inline-block font-semibold first-letter:uppercase">{calloutOutcomeText(outcome)}</span>
  );
  const list = (ways: typeof told) => (
    <ol className="divide-y divide-line border-line border-y">
      {ways.map(({ offer, advantages }) => (
        <OtherRoute
          key={`${offer.route.medium} ${offer.image} ${offer.route.release}`}
          calloutId={calloutId}
          happening={happening}
          offer={offer}
          advantages={advantages.map(advantageText)}
        />
      ))}
    </ol>
  );
  return (
    <section aria-label={calloutOutcomeText(outcome)} className="mt-3">
      {better.length > 0 && (
        <>
          <h3>{title}</h3>
          {list(better)}
        </>
      )}
      {folded.length > 0 && (
        <details>
          <summary className="cursor-pointer py-1">
            {better.length > 0 ? (
              <span className="link">{plural(folded.length, "more route", "more routes")}</span>
            ) : (
              <>
                <h3 className="inline-block">{title}</h3>{" "}
                <span className="text-quiet">{plural(folded.length, "route")}</span>
              </>
            )}
          </summary>
          {list(folded)}
        </details>
      )}
    </section>
  );
}

/** By what comes back, in the order of the best of each. */
function groupsOf(offers: CalloutOffer[]): { outcome: OutcomeKind; own: CalloutOffer[] }[] {
  const kinds = [...new Set(offers.map(({ outcome }) => outcome))];
  return kinds.map((outcome) => ({ outcome, own: offers.filter((offer) => offer.outcome === outcome) }));
}

const wantedOf = ({ route, outcome, image }: CalloutOffer) => ({
  ...{ medium: route.medium, outcome, image, release: route.release },
});

const changesOf = ({ route: { links } }: CalloutOffer) =>
  [links.starts, links.sees, links.restores].flatMap((link) => link.changes);

function OtherRoute({
  calloutId,
  happening,
  offer,
  advantages,
}: {
  calloutId: number;
  happening: Happening;
  offer: CalloutOffer;
  advantages: string[];
}) {
  const { route, seconds, times, lost, image } = offer;
  const changes = changesOf(offer);
  return (
    <li className="grid grid-cols-[minmax(0,1fr)_auto] gap-x-4 py-2.5">
      <div>
        <p>
          {image && <strong>{image}, </strong>}with <span className="code font-bold">{route.medium}</span>{" "}
          {route.release}
          {advantages.length > 0 && (
            <span className="ml-3 rounded-sm bg-sea-soft px-1.5 py-0.5 text-[0.85rem] text-sea">
              {advantages.join(", ")}
            </span>
          )}
        </p>
        <p className="flex flex-wrap items-center gap-x-4">
          <Chain links={verdictsOf(route.links)} height={13} />
          <span>{durationText(seconds)}</span>
          <span>{lostText(lost)}</span>
        </p>
        <p className="text-quiet">
          {route.medium} {WHERE[route.distance]}
          {route.siteName && route.distance > 0 && ` (${route.siteName})`}
          {changes.length > 0 && `. ${changes.map(changeText).join(". ")}`}
          {verdictNow(route, happening) === "unknown" && ". Unknown whether it works"}. {openFactsText(times.openFacts)}
        </p>
      </div>
      <ChooseButton calloutId={calloutId} wanted={wantedOf(offer)} isFirst={false} />
    </li>
  );
}
