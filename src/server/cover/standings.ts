import type { Policies, Resolved } from "@/core/cover/policy";
import { Serving } from "@/core/cover/serving";
import { isMet, type NeedStanding, standingOf, Ways } from "@/core/cover/standing";
import type { FleetMatrix } from "@/core/fleet/matrix";
import type { ComputerPart } from "@/core/judging/model/parts";
import type { Context } from "../context";
import { type Fleet, fleet } from "../fleet/fleet";
import { loadPolicies, loadTravel, subjectOf } from "../inventory/policies";

/** The fleet against what is asked of it. */
export interface Covered {
  chains: Fleet;
  policies: Policies;
  policyOf: (computer: ComputerPart) => Resolved;
  ways: Ways;
  serving: Serving;
}

interface Kept {
  revision: number;
  media: Fleet["media"];
  serving: Serving;
  /** By the ways between places. */
  standings: { ways: string; list: ComputerStanding[] } | null;
}

/** What the fleet's media serve, and who has what is asked, for as long as the fleet stays as it is. */
const kept = new WeakMap<FleetMatrix, Kept>();

function keptOf({ matrix, world, computers, media }: Fleet): Kept {
  const known = kept.get(matrix);
  if (known?.revision === matrix.revision) return known;
  const { revision } = matrix;
  const isSame = known && media.every((medium, at) => medium === known.media[at]);
  if (isSame) {
    // Only computers were edited: they are judged anew, as the fleet does it.
    known.serving.refresh(computers);
    Object.assign(known, { revision, standings: null });
    return known;
  }
  const serving = new Serving({ ...world, computers }, media);
  const anew: Kept = { revision, media: [...media], serving, standings: null };
  kept.set(matrix, anew);
  return anew;
}

export async function covered(context: Context): Promise<Covered> {
  const [chains, policies, travel] = await Promise.all([
    fleet(context),
    loadPolicies(context.db),
    loadTravel(context.db),
  ]);
  const ways = new Ways(
    travel.places.map(({ name }) => name),
    travel.table,
  );
  const policyOf = (computer: ComputerPart) => policies.of(subjectOf(computer));
  return { chains, policies, policyOf, ways, serving: keptOf(chains).serving };
}

export interface ComputerStanding {
  row: number;
  needs: NeedStanding[];
  isMet: boolean;
}

/** What each computer has of what its policy asks for; those that are alike are looked at once. */
export function standings(cover: Covered): ComputerStanding[] {
  const own = keptOf(cover.chains);
  const ways = JSON.stringify([cover.ways.places, cover.ways.table]);
  if (own.standings?.ways !== ways) own.standings = { ways, list: judged(cover) };
  return own.standings.list;
}

function judged({ chains, policyOf, ways, serving }: Covered): ComputerStanding[] {
  const known = new Map<string, NeedStanding[]>();
  const numbers = new Map<Resolved, number>();
  return chains.computers.map((computer, row): ComputerStanding => {
    const policy = policyOf(computer);
    const number = numbers.get(policy) ?? numbers.size;
    numbers.set(policy, number);
    const key = `${computer.site} ${number} ${serving.classOf(row) ?? `own ${row}`}`;
    const needs = known.get(key) ?? standingOf(serving, ways, computer, row, policy.values);
    known.set(key, needs);
    return { row, needs, isMet: isMet(needs) };
  });
}
