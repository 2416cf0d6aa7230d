import { itemAt } from "../kernel/item-at";
/**
 * The least that has to be made, bought and carried so that every computer has its routes, as numbers alone: places,
 * contents, media and what is asked for are told by their position. Whoever asks knows what they stand for.
 */
export interface CoverProblem {
  /** Minutes from one place to another; null: nothing is carried between them. A place to itself is 0. */
  travel: (number | null)[][];
  contents: CoverContent[];
  media: CoverMedium[];
  demands: CoverDemand[];
  rates: CoverRates;
  /** Places for which nothing is to be bought. */
  noPurchase?: readonly number[];
}

type DeviceKind = "stick" | "disc";

/** What can stand on a medium: one release or several, made in one way. */
export interface CoverContent {
  device: DeviceKind;
  /** What a medium must have; null: it stands where it stands, and is not made any more. */
  neededBytes: number | null;
  /** What a new medium for it costs; null: none is to be had. */
  price: number | null;
  /** Attended minutes to write it, verify it and hold its drill. */
  workMinutes: number;
  /** A blank spare: nothing that can be counted upon is wiped for it. */
  isBlank?: boolean;
}

export interface CoverMedium {
  site: number;
  /** What it holds; null: nothing that can be counted upon. */
  content: number | null;
  device: DeviceKind;
  bytes: number;
  /** Something else may be written to it, and it may be brought elsewhere. */
  mayBeRewritten: boolean;
  mayMove: boolean;
  /** Somebody decided that it stays what and where it is. */
  isPinned: boolean;
  /** Attended minutes until it may be counted upon as it is: a drill, a verification, asking for it back. */
  proofMinutes: number;
}

/** So many media that serve, within so many minutes of a place. */
export interface CoverDemand {
  site: number;
  /** Null: wherever they are, as long as they can be carried. */
  withinMinutes: number | null;
  routes: number;
  /** Contents that serve. */
  servedBy: readonly number[];
}

/** What things cost, in whatever money the prices are in. */
interface CoverRates {
  /** Of an hour of attended work, and of an hour on the way. */
  workHour: number;
  travelHour: number;
  /** Times the price of what is bought. */
  purchase: number;
}

/** What is decided. Costs are in money. */
export type CoverAct =
  | { act: "keep"; medium: number; content: number; site: number; cost: number }
  | { act: "move"; medium: number; content: number; from: number; site: number; cost: number }
  | { act: "rewrite"; medium: number; content: number; from: number; site: number; cost: number }
  | { act: "buy"; content: number; site: number; cost: number };

export interface CoverPlan {
  /** What is counted upon; media that are in none of them are left as they are. */
  acts: CoverAct[];
  cost: number;
  /** Nothing can cost less than this. */
  bound: number;
  /** Routes that no decision can give, by the demand. */
  unmet: { demand: number; lacking: number }[];
  /** Whether it is proven to cost least, to the last coin. */
  isLeast: boolean;
}

/**
 * A new medium with this content, bought and written, in the smallest coin; null where no price or no size is known.
 */
export function purchaseCost({ contents, rates }: CoverProblem, content: number): number | null {
  const { price, workMinutes, neededBytes } = itemAt(contents, content);
  if (price === null || neededBytes === null) return null;
  return price * rates.purchase + (workMinutes / 60) * rates.workHour;
}

/** The work of writing a content over a medium that is there, in the smallest coin. */
export function writingCost({ contents, rates }: CoverProblem, content: number): number {
  return ((contents[content]?.workMinutes ?? 0) / 60) * rates.workHour;
}

/** Somebody goes there and back; null where nothing is carried. */
export function carryingCost({ travel, rates }: CoverProblem, from: number, to: number): number | null {
  if (from === to) return 0;
  const minutes = travel[from]?.[to] ?? null;
  return minutes === null ? null : ((2 * minutes) / 60) * rates.travelHour;
}

/** The work of proving a medium once, in the smallest coin. */
export function proofCost({ rates }: CoverProblem, { proofMinutes }: CoverMedium): number {
  return (proofMinutes / 60) * rates.workHour;
}

/** Whether a medium at a place counts for a demand. */
export function isWithin({ travel }: CoverProblem, { site, withinMinutes }: CoverDemand, from: number): boolean {
  if (from === site) return true;
  const minutes = travel[from]?.[site] ?? null;
  return minutes !== null && (withinMinutes === null || minutes <= withinMinutes);
}

/** Whether something may be written to a medium, as far as it alone decides. */
export function canHold(medium: CoverMedium, { device, neededBytes, isBlank = false }: CoverContent): boolean {
  if (isBlank && medium.content !== null) return false;
  return neededBytes !== null && medium.device === device && medium.bytes >= neededBytes;
}
