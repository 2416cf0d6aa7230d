import { surestCode, surestVerdict } from "@/core/fleet/cell";
import type { SurestChains } from "@/core/fleet/surest";
import type { LinkName, Verdict } from "@/core/judging/model/schema";
import type { RankedRoute } from "@/core/judging/routes/routes";
import type { MediumId } from "../db/ids";
import { asked } from "./asked";
import { type Cover, coverOf, fleet } from "./fleet";

/** What all media together come to for some computers, by their ids; null for one that is not in service. */
export const coversOf = asked("covers", async (context, ids: readonly number[]): Promise<(Cover | null)[]> => {
  const of = await fleet(context);
  return ids.map((id) => {
    const row = of.rowOf.get(id);
    return row === undefined ? null : coverOf(of, row);
  });
});

/** Ids of the computers whose surest route comes to a verdict, or is decided by a link; null: whichever it is. */
export const computersComingTo = asked(
  "computers-coming-to",
  async (context, best: Verdict | "none" | null, at: LinkName | null): Promise<number[]> => {
    const of = await fleet(context);
    return of.computers.flatMap(({ id }, row) => {
      const verdict = of.surest.standing(row)?.verdict ?? "none";
      if ((best ?? verdict) !== verdict) return [];
      return !at || coverOf(of, row).at === at ? [id] : [];
    });
  },
);

/** How many computers in service some media come to each verdict for, by the media's ids; null for one that is not in service. */
export const countsOf = asked(
  "counts",
  async (context, ids: readonly number[]): Promise<(ReturnType<SurestChains["counts"]> | null)[]> => {
    const { surest, columnOf } = await fleet(context);
    return ids.map((id) => {
      const column = columnOf.get(id);
      return column === undefined ? null : surest.counts(column);
    });
  },
);

/** Tags of the computers that some media bring back, surely or after a change, by the media's ids. */
export const servedBy = asked("served", async (context, ids: readonly number[]): Promise<string[][]> => {
  const { matrix, computers, columnOf } = await fleet(context);
  return ids.map((id) => {
    const column = columnOf.get(id);
    if (column === undefined) return [];
    return computers.flatMap(({ tag }, row) =>
      surestVerdict(matrix.cell(row, column)).startsWith("holds") ? [tag] : [],
    );
  });
});

/** Tags of the computers whose only route is on a medium, by the media's tags. */
export const onlyRoutesOn = asked("only-routes", async (context, tags: readonly string[]): Promise<string[][]> => {
  const { matrix, media, surest, computers } = await fleet(context);
  return tags.map((tag) => {
    const column = media.findIndex(({ part }) => part.tag === tag);
    if (column < 0) return [];
    return computers.flatMap(({ tag: computer }, row) =>
      surest.standing(row)?.ways === 1 && surestCode(matrix.cell(row, column)) <= 1 ? [computer] : [],
    );
  });
});

export interface MediumsComputers {
  counts: ReturnType<SurestChains["counts"]>;
  items: { tag: string; name: string | null; site: string | null; routes: RankedRoute[] }[];
}

/** The computers of a medium: at most `limit` of each verdict with their routes, and the full counts; null where it is not in service. */
export const computersOn = asked(
  "computers-on",
  async (context, mediumId: MediumId, limit: number): Promise<MediumsComputers | null> => {
    const { matrix, surest, computers, columnOf } = await fleet(context);
    const column = columnOf.get(mediumId);
    if (column === undefined) return null;
    const items = (["holds", "holds-after-change", "unknown", "broken"] as const).flatMap((verdict) => {
      const rows = computers.flatMap((_, row) => (surestVerdict(matrix.cell(row, column)) === verdict ? [row] : []));
      return rows.slice(0, limit).flatMap((row) => {
        const computer = computers[row];
        if (!computer) return [];
        const { tag, name, site } = computer;
        return [{ tag, name, site, routes: matrix.routes(row, column) }];
      });
    });
    return { counts: surest.counts(column), items };
  },
);

export interface FleetChoices {
  sites: string[];
  models: string[];
  releases: string[];
  media: string[];
  systems: string[];
}

/** What of the fleet something can be said of: its places, models, releases, media and systems, each once and in order. */
export const fleetChoices = asked("choices", async (context): Promise<FleetChoices> => {
  const { computers, media } = await fleet(context);
  const all = (values: (string | null)[]) => [...new Set(values.filter((value) => value !== null))].sort();
  return {
    sites: all(computers.map(({ site }) => site)),
    models: all(computers.map(({ facts }) => facts.computer.model)),
    releases: all(media.flatMap(({ releases }) => releases.map(({ name }) => name))),
    media: media.map(({ part }) => part.tag),
    systems: all(computers.flatMap(({ facts }) => (facts.systems ?? []).map(({ name }) => name))),
  };
});
