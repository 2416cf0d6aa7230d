import { Lapses, lacksFrom } from "@/core/cover/lapses";
import { modelTarget, NEEDS, type Need } from "@/core/cover/policy";
import { isBlankSpare, standingOf } from "@/core/cover/standing";
import { endsOf } from "@/core/upkeep/proof-due";
import type { Context } from "../context";
import { asked } from "../fleet/asked";
import { covered, standings } from "./standings";

interface PlaceCover {
  /** Null: no place is recorded. */
  name: string | null;
  total: number;
  lacking: number;
  byNeed: Partial<Record<Need, number>>;
  spares: number;
  sparesWanted: number;
}

interface LackingComputer {
  tag: string;
  name: string | null;
  needs: LackingNeed[];
}

interface LackingNeed {
  need: Need;
  wanted: number;
  have: string[];
  unproven: string[];
  /** ISO day of the newest image, where it is too old to count. */
  oldImage: string | null;
}

export interface CoverView {
  total: number;
  met: number;
  /** Needs that anybody's policy asks for. */
  needs: Need[];
  places: PlaceCover[];
  lacking: LackingComputer[];
  lackingTotal: number;
  page: number;
  pages: number;
  /** There are several places, and no way between any of them is known. */
  travelUnknown: boolean;
}

export interface CoverAsked {
  /** Empty: computers without a place; null: anywhere. */
  site: string | null;
  need: Need | null;
  page: number;
}

const PAGE = 60;

/** The fleet against its policy: by place, and whom of it. */
export const coverView = asked(
  "cover",
  async (context: Context, { site, need, page: asked }: CoverAsked): Promise<CoverView> => {
    const cover = await covered(context);
    const { chains, policies, ways } = cover;
    const all = standings(cover);
    const places = new Map<string | null, PlaceCover>();
    const placeOf = (name: string | null): PlaceCover => {
      const keptPlace = places.get(name);
      if (keptPlace) return keptPlace;
      const sparesWanted = name === null ? 0 : policies.ofSite(name).values.spares;
      const place = { name, total: 0, lacking: 0, byNeed: {}, spares: 0, sparesWanted };
      places.set(name, place);
      return place;
    };
    const needs = new Set<Need>();
    const rows: number[] = [];
    for (const { row, needs: own, isMet } of all) {
      const computer = chains.computers[row];
      if (!computer) continue;
      const place = placeOf(computer.site);
      place.total++;
      if (!isMet) place.lacking++;
      for (const standing of own) {
        needs.add(standing.need);
        if (standing.have.length < standing.wanted)
          place.byNeed[standing.need] = (place.byNeed[standing.need] ?? 0) + 1;
      }
      const isAsked = site === null || (computer.site ?? "") === site;
      const isLacking = own.some((each) => each.have.length < each.wanted && (need === null || each.need === need));
      if (isAsked && isLacking) rows.push(row);
    }
    for (const medium of chains.media)
      if (isBlankSpare(medium) && medium.part.site !== null) placeOf(medium.part.site).spares++;
    const pages = Math.max(1, Math.ceil(rows.length / PAGE));
    const page = Math.min(asked, pages);
    const tags = (media: number[]) => media.map((at) => chains.media[at]?.part.tag ?? "").sort();
    return {
      total: all.length,
      met: all.filter(({ isMet }) => isMet).length,
      needs: NEEDS.filter((each) => needs.has(each)),
      places: [...places.values()].sort((a, b) => (a.name ?? "\uffff").localeCompare(b.name ?? "\uffff")),
      lacking: rows.slice((page - 1) * PAGE, page * PAGE).flatMap((row): LackingComputer[] => {
        const computer = chains.computers[row];
        if (!computer) return [];
        const lacking = (all[row]?.needs ?? []).filter((each) => each.have.length < each.wanted);
        return [
          {
            ...{ tag: computer.tag, name: computer.name },
            needs: lacking.map(({ need: own, wanted, have, unproven, oldImage }) => ({
              ...{ need: own, wanted, have: tags(have), unproven: tags(unproven), oldImage },
            })),
          },
        ];
      }),
      lackingTotal: rows.length,
      ...{ page, pages },
      travelUnknown:
        ways.places.length > 1 && ways.table.every((row, from) => row.every((m, to) => from === to || m === null)),
    };
  },
);

/** What one computer has of what is asked of it; null: it is not in service. */
export const standingOfComputer = asked("standing", async (context: Context, tag: string) => {
  const cover = await covered(context);
  const { chains, policyOf, serving, ways } = cover;
  const row = chains.computers.findIndex((computer) => computer.tag === tag);
  const computer = chains.computers[row];
  if (!computer) return null;
  const policy = policyOf(computer);
  const { world } = chains;
  const policyFor = world.policyFor ?? (() => world.policy);
  const lapses = new Lapses({ drills: world.drills, policyFor, today: world.today });
  const tags = (media: number[]) => media.map((at) => chains.media[at]?.part.tag ?? "").sort();
  const { make, model, form } = computer.facts.computer;
  return {
    ...{ policy, site: computer.site, form, model: modelTarget({ make, model }) || null },
    needs: standingOf(serving, ways, computer, row, policy.values).map((each) => ({
      ...{ need: each.need, wanted: each.wanted, have: tags(each.have), unproven: tags(each.unproven) },
      oldImage: each.oldImage,
      lacksFrom: lacksFrom(
        endsOf(lapses, computer, chains.media, each).map(({ on }) => on),
        each.wanted,
      ),
    })),
  };
});
