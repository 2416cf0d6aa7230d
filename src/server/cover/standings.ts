import type { ComputerPart } from "@/core/chain/parts";
import { Serving } from "@/core/cover/serving";
import { isMet, type NeedStanding, standingOf, Ways } from "@/core/cover/standing";
import type { FleetMatrix } from "@/core/fleet/matrix";
import type { Policies, Resolved } from "@/core/policy/policy";
import type { Context } from "../context";
import { type Fleet, fleet } from "../services/fleet";
import { loadPolicies, loadTravel, subjectOf } from "../services/policies";

/** The fleet against what is asked of it. */
export interface Covered {
  chains: Fleet;
  policies: Policies;
  policyOf: (computer: ComputerPart) => Resolved;
  ways: Ways;
  serving: Serving;
}

/** What the fleet's media serve, for as long as the fleet stays as it is. */
const kept = new WeakMap<FleetMatrix, { revision: number; serving: Serving }>();

function servingOf({ matrix, world, computers, media }: Fleet): Serving {
  const known = kept.get(matrix);
  if (known?.revision === matrix.revision) return known.serving;
  const serving = new Serving({ ...world, computers }, media);
  kept.set(matrix, { revision: matrix.revision, serving });
  return serving;
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
  return { chains, policies, policyOf, ways, serving: servingOf(chains) };
}

export interface ComputerStanding {
  row: number;
  needs: NeedStanding[];
  isMet: boolean;
}

/** What each computer has of what its policy asks for; those that are alike are looked at once. */
export function standings({ chains, policyOf, ways, serving }: Covered): ComputerStanding[] {
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
