import { compareVerdicts } from "../judging/model/order";
import { savesFilesOnly } from "../judging/routes/outcome";
import type { Route } from "../judging/routes/routes";
import type { Happening } from "./happenings";
import { type Offer, verdictNow } from "./offers";

/** What speaks for an offer over the best one. */
const ADVANTAGES = ["loses-less", "saves-files", "sooner", "nearer", "surer"] as const;
export type Advantage = (typeof ADVANTAGES)[number];

/** An offer is sooner where it takes at most so much of the time of the best one; less is within what is guessed. */
const SOONER_SHARE = 0.8;

/** Days that are lost, as they compare: all that is on the computer is the most. */
const lossOf = ({ lostDays }: Offer) => lostDays ?? Number.POSITIVE_INFINITY;

/**
 * What speaks for an offer over the best one, the weightiest first; nothing where it is no better in anything. What only
 * saves files is no other way to recover a computer: it has something for it where the best one loses some.
 */
export function advantagesOver(best: Offer, offer: Offer, happening: Happening): Advantage[] {
  if (savesFilesOnly(offer.outcome) && !savesFilesOnly(best.outcome)) {
    const savesMore = offer.outcome === "files" || lossOf(best) === Number.POSITIVE_INFINITY;
    return savesMore && lossOf(best) > 0 ? ["saves-files"] : [];
  }
  const tests: Record<Exclude<Advantage, "saves-files">, boolean> = {
    "loses-less": lossOf(offer) < lossOf(best),
    sooner: offer.seconds.likely < best.seconds.likely * SOONER_SHARE,
    nearer: distanceOf(offer.route) < distanceOf(best.route),
    surer: compareVerdicts(verdictNow(offer.route, happening), verdictNow(best.route, happening)) < 0,
  };
  return ADVANTAGES.filter((each) => each !== "saves-files" && tests[each]);
}

const distanceOf = ({ distance, isEntry }: Route) => (isEntry ? -1 : distance);
