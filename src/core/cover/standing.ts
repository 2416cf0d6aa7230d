import type { FleetMedium } from "../fleet/world";
import { type ComputerPart, isCarried } from "../judging/model/parts";
import { dayAfter } from "../kernel/days";
import { itemAt } from "../kernel/item-at";
import { NEED_OUTCOMES, NEEDS, type Need, type PolicyValues } from "./policy";
import { SERVES, type Serving } from "./serving";

/** Places by name, and the minutes between them. */
export class Ways {
  private readonly at: Map<string, number>;
  constructor(
    readonly places: readonly string[],
    readonly table: readonly (readonly (number | null)[])[],
  ) {
    this.at = new Map(places.map((name, position) => [name, position]));
  }

  position(place: string | null): number | null {
    return place === null ? null : (this.at.get(place) ?? null);
  }

  /** Minutes; null where no way is known. */
  minutes(from: string | null, to: string | null): number | null {
    const [a, b] = [this.position(from), this.position(to)];
    return a === null || b === null ? null : (this.table[a]?.[b] ?? null);
  }
}

/** Whether a medium counts for a computer by where the two are. */
export function isNear(ways: Ways, medium: FleetMedium, computer: ComputerPart, withinMinutes: number | null): boolean {
  const { site, lentTo } = medium.part;
  // A file is no medium yet.
  if (!isCarried(medium.part.kind)) return false;
  // Somebody has it: nobody knows where.
  if (lentTo !== null || site === null || computer.site === null) return false;
  if (site === computer.site) return true;
  const minutes = ways.minutes(site, computer.site);
  return minutes !== null && (withinMinutes === null || minutes <= withinMinutes);
}

/** A stick that carries nothing, and is where it belongs: a spare. */
export function isBlankSpare({ part, kind, releases }: FleetMedium & { kind: string }): boolean {
  return kind === "usb" && releases.length === 0 && part.condition !== "distrusted" && part.lentTo === null;
}

/** What a computer has of a need, against what its policy asks for. */
export interface NeedStanding {
  need: Need;
  wanted: number;
  /** Positions of media that count: near enough, and proven as the policy asks. */
  have: number[];
  /** That would count once they are proven. */
  unproven: number[];
  /** Those of `have` that count by an image alone, and the ISO day from which that is older than the policy allows. */
  byImage: { media: number[]; until: string } | null;
  /** The ISO day of the newest image, where it is older than the policy allows: nothing counts by it. */
  oldImage: string | null;
}

/** The day from which a computer's newest image is older than its policy allows; null: it has none, or any will do. */
function imageTooOldOn(serving: Serving, row: number, { imageDays }: PolicyValues): string | null {
  const on = serving.imageOn(row);
  return on === null || imageDays === null ? null : dayAfter(on, imageDays + 1);
}

/** The ISO day of a computer's newest image, where that is older than its policy allows: nothing counts by it. */
export function tooOldImage(serving: Serving, row: number, policy: PolicyValues): string | null {
  const until = imageTooOldOn(serving, row, policy);
  return until !== null && until <= serving.today ? serving.imageOn(row) : null;
}

/** What a computer has of each need that its policy asks for. */
export function standingOf(
  serving: Serving,
  ways: Ways,
  computer: ComputerPart,
  row: number,
  policy: PolicyValues,
): NeedStanding[] {
  return NEEDS.flatMap((need): NeedStanding[] => {
    const wanted = policy[need];
    if (wanted === 0) return [];
    const [have, unproven]: [number[], number[]] = [[], []];
    const until = NEED_OUTCOMES[need].includes("image") ? imageTooOldOn(serving, row, policy) : null;
    const oldImage = until === null ? null : tooOldImage(serving, row, policy);
    for (const [at, serves] of serving.row(row, need, policy.changesAllowed, oldImage === null).entries()) {
      if (serves === SERVES.not) continue;
      if (!isNear(ways, itemAt(serving.media, at), computer, policy.withinMinutes)) continue;
      (serves === SERVES.proven ? have : unproven).push(at);
    }
    if (until === null || oldImage !== null) return [{ need, wanted, have, unproven, byImage: null, oldImage }];
    const otherwise = serving.row(row, need, policy.changesAllowed, false);
    const media = have.filter((at) => otherwise[at] !== SERVES.proven);
    return [{ need, wanted, have, unproven, byImage: media.length > 0 ? { media, until } : null, oldImage }];
  });
}

/** Whether enough proven media are near enough for every need; no need at all is met. */
export function isMet(standing: readonly NeedStanding[]): boolean {
  return standing.every(({ wanted, have }) => have.length >= wanted);
}
