import type { Verdict } from "../judging/model/schema";
import { LINK_NAMES, type LinkName, ofEachLink } from "../judging/model/schema";
import { ON_THE_DAY, OUTCOMES, type OutcomeKind } from "../judging/routes/outcome";
import { itemAt } from "../kernel/item-at";

/**
 * A cell of the matrix in 16 bits: two for each link of the best route, in the order in which they are needed, three
 * for what it gives back, and two for the weakest link of the surest of all routes of the pair: a route that gives back
 * less may hold where a better one is unknown. The larger two bits are, the worse.
 */
export type Cell = number;

/** Best first, as the bits count. */
export const VERDICTS: readonly Verdict[] = ["holds", "holds-after-change", "unknown", "broken"];
/** What a fleet is judged by, best first: three bits have room for seven. */
const FLEET_OUTCOMES = OUTCOMES.filter((kind) => !ON_THE_DAY.includes(kind));
const HOLDS = 0;
export const BROKEN = 3;

const SHIFTS: Record<LinkName, number> = { atHand: 0, starts: 2, sees: 4, restores: 6, proven: 8 };
const OUTCOME_SHIFT = 10;
const SUREST_SHIFT = 13;

/** 0 holds, 1 after a change, 2 unknown, 3 broken: both bits set only where it is broken. */
export function verdictCode(verdict: Verdict): number {
  return VERDICTS.indexOf(verdict);
}

/** A link's verdict at its place in a cell; cells are made by or-ing them. */
export function linkBits(link: LinkName, verdict: Verdict): number {
  return verdictCode(verdict) << SHIFTS[link];
}

/** `null` where it is not recorded what would come back. */
export function outcomeBits(kind: OutcomeKind | null): number {
  return (kind === null ? 0 : FLEET_OUTCOMES.indexOf(kind) + 1) << OUTCOME_SHIFT;
}

/** The code (0 to 3) of one link. */
export function linkCode(cell: Cell, link: LinkName): number {
  return (cell >> SHIFTS[link]) & 3;
}

/** The verdict of one link. */
export function linkVerdict(cell: Cell, link: LinkName): Verdict {
  return itemAt(VERDICTS, linkCode(cell, link));
}

/** The code of the surest route's weakest link at its place in a cell. */
export function surestBits(code: number): number {
  return code << SUREST_SHIFT;
}

/** The code of the weakest link of the surest route of a pair; never worse than `weakestCode`. */
export function surestCode(cell: Cell): number {
  return (cell >> SUREST_SHIFT) & 3;
}

/** `surestCode` as a verdict. */
export function surestVerdict(cell: Cell): Verdict {
  return itemAt(VERDICTS, surestCode(cell));
}

/** All links of a cell by name, for faces; sums over a fleet go by the bits. */
export function linksOfCell(cell: Cell): Record<LinkName, Verdict> {
  return ofEachLink((link) => linkVerdict(cell, link));
}

/** What the best route gives back; null where that is not recorded. */
export function outcomeOf(cell: Cell): OutcomeKind | null {
  const index = (cell >> OUTCOME_SHIFT) & 7;
  return index === 0 ? null : (FLEET_OUTCOMES[index - 1] ?? null);
}

/** The low bit of each link. */
const LOW_BITS = 0b01_01_01_01_01;

/** Whether one of its links is broken: both of its bits are set. */
export function hasBroken(cell: Cell): boolean {
  return (cell & (cell >> 1) & LOW_BITS) !== 0;
}

/** The code of the worst of its links. */
export function weakestCode(cell: Cell): number {
  return Math.max(cell & 3, (cell >> 2) & 3, (cell >> 4) & 3, (cell >> 6) & 3, (cell >> 8) & 3);
}

/** `weakestCode` as a verdict. */
export function weakestVerdict(cell: Cell): Verdict {
  return itemAt(VERDICTS, weakestCode(cell));
}

/** The first link, in the order in which they are needed, that is as bad as the worst. */
export function breakAt(cell: Cell): LinkName | null {
  const worst = weakestCode(cell);
  return worst === HOLDS ? null : (LINK_NAMES.find((link) => linkCode(cell, link) === worst) ?? null);
}

/** What one link of each code weighs where chains with the same weakest link are compared. */
const BADNESS = [0, 1, 10, 100] as const;

/** As many ways as there are for links and outcome. */
const CELLS = 1 << SUREST_SHIFT;
const RANKS = new Uint16Array(CELLS);
for (const [rank, cell] of Array.from({ length: CELLS }, (_, each) => each)
  .sort((a, b) => weightOf(a) - weightOf(b) || compareInOrder(a, b))
  .entries())
  RANKS[cell] = rank;

/**
 * Smaller is better, in the order of `compareRoutes` as far as a cell tells: broken last, outcome, weakest link, all
 * links, the link that is in doubt sooner. Cells with other links or another outcome have other ranks.
 */
export function rankOfCell(cell: Cell): number {
  return RANKS[cell & (CELLS - 1)] as number;
}

const SURENESS = Uint16Array.from({ length: CELLS << 2 }, (_, cell) => {
  const isOwn = weakestCode(cell) === surestCode(cell);
  return (surestCode(cell) << (SUREST_SHIFT + 1)) | (isOwn ? 0 : CELLS) | rankOfCell(cell);
});

/** Smaller is surer; of cells as sure, those whose best route is so sure itself come first, then the better ones. */
export function surenessOf(cell: Cell): number {
  return SURENESS[cell] as number;
}

function compareInOrder(a: Cell, b: Cell): number {
  const link = LINK_NAMES.find((name) => linkCode(a, name) !== linkCode(b, name));
  return link ? linkCode(a, link) - linkCode(b, link) : a - b;
}

function weightOf(cell: Cell): number {
  const weakest = weakestCode(cell);
  const outcome = (cell >> OUTCOME_SHIFT) & 7;
  const badness = LINK_NAMES.reduce((sum, link) => sum + (BADNESS[linkCode(cell, link)] as number), 0);
  const broken = weakest === BROKEN ? 1e6 : 0;
  return broken + (outcome === 0 ? FLEET_OUTCOMES.length + 1 : outcome) * 1e4 + weakest * 1e3 + badness;
}
