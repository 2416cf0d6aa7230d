import type { Reason } from "../../judging/model/reasons";
import type { Change, Verdict } from "../../judging/model/schema";
import { type DiscKind, discsFor } from "./discs";
import type { Alternative } from "./plan";

/** A release made in one way, and what that would come to for the computers that a medium is wanted for. */
/** Why a computer is served or not: what would have to be changed, or what decides. Null: nothing is known of it. */
export type ProposedReason = { change: Change } | { reason: Reason } | null;

export interface Candidate {
  releaseId: number;
  way: Alternative;
  /** What it needs: the release, what Creel puts beside it, and room to spare. */
  neededBytes: number;
  /** For each computer, in the order that they were asked for. */
  computers: { tag: string; verdict: Verdict; reason: ProposedReason }[];
}

/** What has to be bought or taken for a candidate. */
export type MediumSize = { kind: "stick"; bytes: number } | { kind: "disc"; disc: DiscKind } | { kind: "none" };

export interface Proposal extends Candidate {
  size: MediumSize;
  serves: string[];
  /** Those that it is a route for once something is changed, and what. */
  afterChange: { tag: string; reason: ProposedReason }[];
  /** Those that it is no route for, and those of which that is not known. */
  notServed: { tag: string; verdict: Verdict; reason: ProposedReason }[];
  /** The release's other ways, by how many they would serve. */
  others: { way: Alternative; served: number }[];
}

/** Sizes that sticks are sold in, in bytes: counted in thousands. */
export const STICK_BYTES = [4e9, 8e9, 16e9, 32e9, 64e9, 128e9, 256e9, 512e9, 1024e9, 2048e9] as const;
/** What a stick has at least of the size that it is sold as. Common practice: makers round up by a few per cent. */
const TRUE_SHARE = 0.93;

/** What every stick that is sold as so many bytes has at least. */
export function leastBytesOf(soldBytes: number): number {
  return Math.floor(soldBytes * TRUE_SHARE);
}

/** The least stick or disc that holds so much for certain. */
export function stickSizeFor(way: Alternative["way"], neededBytes: number): MediumSize {
  if (way === "disc") {
    const [disc] = discsFor(neededBytes);
    return disc ? { kind: "disc", disc } : { kind: "none" };
  }
  const bytes = STICK_BYTES.find((each) => leastBytesOf(each) >= neededBytes);
  return bytes === undefined ? { kind: "none" } : { kind: "stick", bytes };
}

/** Of ways that serve as many: the file as its maker made it first, then what starts on more, then what is written once. */
const WAY_ORDER: Alternative["way"][] = ["as-it-is", "as-it-is-with-store", "laid-out", "disc"];

/** One proposal for each release: its best way. Best first: whoever serves more, needs fewer changes, and is smaller. */
export function propose(candidates: readonly Candidate[]): Proposal[] {
  const proposals = candidates.map((candidate): Proposal => {
    const of = (verdict: Verdict) => candidate.computers.filter((each) => each.verdict === verdict);
    return {
      ...candidate,
      size: stickSizeFor(candidate.way.way, candidate.neededBytes),
      serves: of("holds").map(({ tag }) => tag),
      afterChange: of("holds-after-change").map(({ tag, reason }) => ({ tag, reason })),
      others: [],
      notServed: candidate.computers.filter(({ verdict }) => !verdict.startsWith("holds")),
    };
  });
  proposals.sort(comparePlans);
  const best = new Map<number, Proposal>();
  for (const proposal of proposals) {
    const better = best.get(proposal.releaseId);
    if (better) better.others.push({ way: proposal.way, served: servedBy(proposal).length });
    else best.set(proposal.releaseId, proposal);
  }
  return [...best.values()].filter(({ serves, afterChange }) => serves.length + afterChange.length > 0);
}

/** Tags of those that a proposal is a route for, be it after a change. */
export function servedBy({ serves, afterChange }: Proposal): string[] {
  return [...serves, ...afterChange.map(({ tag }) => tag)];
}

function comparePlans(a: Proposal, b: Proposal): number {
  const served = (each: Proposal) => servedBy(each).length;
  return (
    Number(a.size.kind === "none") - Number(b.size.kind === "none") ||
    served(b) - served(a) ||
    b.serves.length - a.serves.length ||
    WAY_ORDER.indexOf(a.way.way) - WAY_ORDER.indexOf(b.way.way) ||
    a.neededBytes - b.neededBytes ||
    Number(a.way.table === "mbr") - Number(b.way.table === "mbr") ||
    a.releaseId - b.releaseId
  );
}

/**
 * Where no single medium serves all: a few that together serve as many as all of them do, taken greedily, the one that
 * adds most each time. Not always the fewest, and never more than the logarithm of the computers times that (Chvátal 1979).
 */
export function together(proposals: readonly Proposal[]): Proposal[] {
  const open = new Set(proposals.flatMap(servedBy));
  const chosen: Proposal[] = [];
  while (open.size > 0) {
    const gain = (each: Proposal) => servedBy(each).filter((tag) => open.has(tag)).length;
    const next = proposals.reduce((top, each) => (gain(each) > gain(top) ? each : top));
    chosen.push(next);
    for (const tag of servedBy(next)) open.delete(tag);
  }
  return chosen;
}
