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
  const keptStandings = kept.get(matrix);
  if (keptStandings?.revision === matrix.revision) return keptStandings;
  const { revision } = matrix;
  const isSame = keptStandings && media.every((medium, at) => medium === keptStandings.media[at]);
  if (isSame) {
    // Only computers were edited: they are judged anew, as the fleet does it.
    keptStandings.serving.refresh(computers);
    Object.assign(keptStandings, { revision, standings: null });
    return keptStandings;
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
  const kept = keptOf(cover.chains);
  const ways = JSON.stringify([cover.ways.places, cover.ways.table]);
  if (kept.standings?.ways !== ways) kept.standings = { ways, list: judged(cover) };
  return kept.standings.list;
}

function judged({ chains, policyOf, ways, serving }: Covered): ComputerStanding[] {
  const byKey = new Map<string, NeedStanding[]>();
  const numbers = new Map<Resolved, number>();
  return chains.computers.map((computer, row): ComputerStanding => {
    const policy = policyOf(computer);
    const number = numbers.get(policy) ?? numbers.size;
    numbers.set(policy, number);
    const key = `${computer.site} ${number} ${serving.classOf(row) ?? `own ${row}`}`;
    const needs = byKey.get(key) ?? standingOf(serving, ways, computer, row, policy.values);
    byKey.set(key, needs);
    return { row, needs, isMet: isMet(needs) };
  });
}
