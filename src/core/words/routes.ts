import { LINK_NAMES } from "../chain/schema";
import type { Outcome, OutcomeKind } from "../routes/outcome";
import type { RankedRoute, Route } from "../routes/routes";
import { effortOf, weakLink } from "../routes/routes";
import { changeText, linkTitle, verdictText } from "./reasons";

const KINDS: Record<OutcomeKind, string> = {
  image: "as of an image",
  reinstall: "reinstalled",
  factory: "factory state",
  "start-up": "start-up repaired",
  files: "files rescued",
};

/** "As of 2026-03-01", "reinstalled": what a route gives back. */
export function outcomeText(outcome: Outcome | null): string {
  if (!outcome) return "not recorded";
  return outcome.image ? `as of ${outcome.image.takenAt.slice(0, 10)}` : KINDS[outcome.kind];
}

export function outcomeKindText(kind: OutcomeKind): string {
  return KINDS[kind];
}

const DISTANCES = ["where the computer is", "at another site", "at a place that is not recorded", "lent"];

/** Why a route comes behind the one before it: "second because …" without the number. */
export function behindText(before: Route, route: RankedRoute): string | null {
  switch (route.behind) {
    case null:
      return null;
    case "broken":
      return `because it is broken at ${linkTitle(weakLink(route.links))}.`;
    case "outcome":
      return route.outcome
        ? `because it gives back less: ${outcomeText(route.outcome)}, not ${outcomeText(before.outcome)}.`
        : "because it is not recorded what it gives back.";
    case "weakest":
      return `because its weakest link, ${linkTitle(weakLink(route.links))}, ${isOrHolds(route)}.`;
    case "links":
      return "because more of its links are unknown or want a change.";
    case "effort":
      return effortOf(route) > 0 ? "because its changes are more work on the day." : null;
    case "distance":
      return `because the medium is ${DISTANCES[route.distance]}.`;
    case "age":
      return route.madeOn === null
        ? "because how old it is is not recorded."
        : `because what it gives back is older (${route.madeOn}).`;
    case "name":
      return "as good as the one before it.";
  }
}

function isOrHolds({ weakest }: Route): string {
  return weakest === "unknown" || weakest === "broken" ? `is ${verdictText(weakest)}` : verdictText(weakest);
}

/** What the routes of a computer come to, in a sentence or two; `routes` best first. */
export function answerText(computer: string, routes: Route[]): string {
  const [best] = routes;
  if (!best) return `No medium is recorded that ${computer} could be brought back with.`;
  const holding = routes.filter((route) => route.weakest === "holds").length;
  const others =
    holding > 1 ? ` ${holding - 1 === 1 ? "One more route holds" : `${holding - 1} more routes hold`} too.` : "";
  switch (best.weakest) {
    case "holds":
      return `${best.medium} brings ${computer} back, ${outcomeText(best.outcome)}.${others}`;
    case "holds-after-change": {
      const changes = LINK_NAMES.flatMap((name) => best.links[name].changes).map(changeText);
      return `${best.medium} brings ${computer} back, ${outcomeText(best.outcome)}, after a change: ${changes.map(lowerFirst).join(", ")}.`;
    }
    case "unknown": {
      const link = weakLink(best.links);
      const why = best.links[link].reasons[0]?.text ?? "";
      return `It is not known whether anything in stock brings ${computer} back. Nearest is ${best.medium}, unknown at ${linkTitle(link)}. ${why}`;
    }
    case "broken": {
      const link = weakLink(best.links);
      const why = best.links[link].reasons[0]?.text ?? "";
      return `Nothing in stock brings ${computer} back. The nearest miss, ${best.medium}, breaks at ${linkTitle(link)}. ${why}`;
    }
  }
}

function lowerFirst(text: string): string {
  return text.charAt(0).toLowerCase() + text.slice(1);
}
