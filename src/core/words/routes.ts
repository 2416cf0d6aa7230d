import { LINK_NAMES, type Link, type LinkName, type Verdict } from "../judging/model/schema";
import type { Outcome, OutcomeKind } from "../judging/routes/outcome";
import type { RankedRoute, Route } from "../judging/routes/routes";
import { answerOf, effortOf, firstDifference, weakLink } from "../judging/routes/routes";
import { dayText } from "./dates";
import { changeText, linkTitle, reasonText, verdictText } from "./reasons";

const KINDS: Record<OutcomeKind, string> = {
  copy: "disk copied",
  image: "image restored",
  system: "system partition restored",
  reinstall: "reinstalled",
  factory: "factory state",
  "start-up": "start-up repaired",
  partitions: "partitions repaired",
  files: "files rescued",
  "image-files": "files from an image",
};

/** "As of 2026-03-01", "reinstalled": what a route gives back. */
export function outcomeText(outcome: Outcome | null): string {
  if (!outcome) return "not recorded";
  if (!outcome.image) return KINDS[outcome.kind];
  const day = outcome.image.takenAt.slice(0, 10);
  return outcome.kind === "image" ? `as of ${dayText(day)}` : `${KINDS[outcome.kind]}, as of ${dayText(day)}`;
}

/** What a route gives back, in a few words. */
export function outcomeKindText(kind: OutcomeKind): string {
  return KINDS[kind];
}

/** "Proven unknown", "Starts holds after a change": a chain by the link that decides; null where all hold. */
export function weakText(at: LinkName | null, verdict: Verdict): string {
  return at === null ? "whole chain holds" : `${linkTitle(at)} ${verdictText(verdict)}`;
}

/** What the surest route of a computer comes to, as a short phrase; `none`: there is no medium. */
export function standingText(surest: Verdict | "none"): string {
  switch (surest) {
    case "holds":
      return "a route holds";
    case "holds-after-change":
      return "a route holds after a change";
    case "unknown":
      return "no confirmed route";
    case "broken":
      return "all routes broken";
    case "none":
      return "no medium recorded";
  }
}

/** "a route for 12": what a medium comes to over the computers in service; empty where it is not in service. */
export function servesText(counts: Record<Verdict, number> | null): string {
  if (!counts) return "";
  const sure = counts.holds + counts["holds-after-change"];
  if (sure > 0) return `a route for ${sure.toLocaleString("en-GB")}`;
  return counts.unknown > 0 ? `unknown for ${counts.unknown.toLocaleString("en-GB")}` : "no route";
}

/** Computers by the best that any medium comes to for them, as a heading. */
export function bestTitle(best: Verdict): string {
  return {
    holds: "A whole chain holds",
    "holds-after-change": "A chain holds after a change",
    unknown: "No chain is certain",
    broken: "Every chain is broken",
  }[best];
}

/** What a medium comes to over the computers in service, in a sentence. */
export function mediumAnswerText(medium: string, counts: Record<Verdict, number>): string {
  const of = (count: number) => `${count.toLocaleString("en-GB")} ${count === 1 ? "computer" : "computers"}`;
  const { holds, unknown } = counts;
  const changed = counts["holds-after-change"];
  if (holds + changed + unknown + counts.broken === 0) return "No computer recorded.";
  if (holds + changed > 0) {
    const after = changed > 0 ? `${holds > 0 ? `, and ${of(changed)}` : ""} after a change` : "";
    return `${medium} is a route for ${of(holds > 0 ? holds : changed)}${after}.`;
  }
  return unknown > 0
    ? `${medium} is not a confirmed route for any computer; deciding facts are missing for ${of(unknown)}.`
    : `${medium} is no route for any computer.`;
}

/** What one route comes to, and by which link, with the reason: for lines of a list. */
export function routeText(route: Route): string {
  const gives = route.outcome ? `${upperFirst(outcomeText(route.outcome))}.` : "";
  if (route.weakest === "holds") return gives;
  const changes = LINK_NAMES.flatMap((name) => route.links[name].changes).map(changeText);
  const link = weakLink(route.links);
  const why = firstReason(route.links[link]);
  if (route.weakest === "holds-after-change")
    return [gives, changes.length > 0 ? `${changes.map(upperFirst).join(". ")}.` : why].filter(Boolean).join(" ");
  return `${weakText(link, route.weakest)}. ${why}`.trim();
}

const DISTANCES = ["where the computer is", "at another site", "at an unrecorded site", "lent"];

/** Why a route comes behind the one before it: "second because …" without the number. */
export function behindText(before: Route, route: RankedRoute): string | null {
  switch (route.behind) {
    case null:
      return null;
    case "broken":
      return `because it is broken at ${linkTitle(weakLink(route.links))}.`;
    case "outcome":
      return route.outcome
        ? `because it recovers less: ${outcomeText(route.outcome)}, not ${outcomeText(before.outcome)}.`
        : "because its outcome is not recorded.";
    case "weakest":
      return `because its weakest link, ${linkTitle(weakLink(route.links))}, ${isOrHolds(route.weakest)}.`;
    case "links":
      return "because more of its links are unknown or need a change.";
    case "sooner": {
      const link = firstDifference(before, route);
      return link && `because ${linkTitle(link)}, needed earlier, ${isOrHolds(route.links[link].verdict)}.`;
    }
    case "effort":
      return effortOf(route) > 0 ? "because its changes take more work." : null;
    case "distance":
      return `because the medium is ${DISTANCES[route.distance]}.`;
    case "age":
      return route.madeOn === null
        ? "because its age is not recorded."
        : `because it is older (${dayText(route.madeOn)}).`;
    case "name":
      return "as good as the one before it.";
  }
}

function isOrHolds(verdict: Verdict): string {
  return verdict === "unknown" || verdict === "broken" ? `is ${verdictText(verdict)}` : verdictText(verdict);
}

/** What the routes of a computer come to, in a sentence or two; `routes` best first. */
export function answerText(computer: string, routes: Route[]): string {
  const best = answerOf(routes);
  if (!best) return `No medium recorded that recovers ${computer}.`;
  const holding = routes.filter((route) => route.weakest === "holds").length;
  const [first] = routes;
  const more =
    first && first.weakest === "unknown" && best.weakest !== "unknown"
      ? ` ${first.medium} would recover more, ${outcomeText(first.outcome)}, but is unknown at ${linkTitle(weakLink(first.links))}.`
      : "";
  const others =
    holding > 1 ? ` ${holding - 1 === 1 ? "One more route holds" : `${holding - 1} more routes hold`} too.` : "";
  switch (best.weakest) {
    case "holds":
      return `${deedText(computer, best)}.${others}${more}`;
    case "holds-after-change": {
      const changes = LINK_NAMES.flatMap((name) => best.links[name].changes).map(changeText);
      return `${deedText(computer, best)}, after a change: ${changes.map(lowerFirst).join(", ")}.${more}`;
    }
    case "unknown": {
      const link = weakLink(best.links);
      const why = firstReason(best.links[link]);
      return `No confirmed route for ${computer}. Nearest is ${best.medium}, unknown at ${linkTitle(link)}. ${why}`;
    }
    case "broken": {
      const link = weakLink(best.links);
      const why = firstReason(best.links[link]);
      return `No route for ${computer}. Nearest is ${best.medium}, breaks at ${linkTitle(link)}. ${why}`;
    }
  }
}

/** "SP-01 brings HO-001 back, as of 2026-03-01": what a route does for a computer. */
function deedText(computer: string, { medium, outcome }: Route): string {
  switch (outcome?.kind) {
    case "start-up":
      return `${medium} repairs the start-up of ${computer}`;
    case "files":
      return `${medium} rescues the files of ${computer}`;
    case "partitions":
      return `${medium} repairs the partitions of ${computer}`;
    case "factory":
      return `${medium} restores the factory state of ${computer}`;
    default:
      return `${medium} recovers ${computer}: ${outcomeText(outcome)}`;
  }
}

function upperFirst(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1);
}

function lowerFirst(text: string): string {
  return text.charAt(0).toLowerCase() + text.slice(1);
}

function firstReason({ reasons: [reason] }: Link): string {
  return reason ? reasonText(reason) : "";
}
