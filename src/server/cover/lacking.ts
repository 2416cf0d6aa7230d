import type { Context } from "../context";
import { asked } from "../fleet/asked";
import { covered, standings } from "./standings";

/** Of each place so many are named. */
const NAMED_MOST = 100;
/** For so many a medium is looked for at once. */
const IDS_MOST = 500;

/** Computers of a place that miss their policy. */
export interface LackingAtSite {
  /** Null: no place is recorded. */
  site: string | null;
  total: number;
  tags: string[];
}

/** Who misses the policy, of all computers in service. */
export interface Lacking {
  sites: LackingAtSite[];
  /** The first of them. */
  ids: number[];
  /** Computers in service, whether they miss anything or not. */
  total: number;
}

/** Who misses the policy: by place, those with the most first, and the first of all by id. */
export const lackingBySite = asked("lacking-by-site", async (context: Context): Promise<Lacking> => {
  const cover = await covered(context);
  const bySite = new Map<string | null, LackingAtSite>();
  const ids: number[] = [];
  for (const { row, isMet } of standings(cover)) {
    const computer = cover.chains.computers[row];
    if (isMet || !computer) continue;
    const at = bySite.get(computer.site) ?? { site: computer.site, total: 0, tags: [] };
    bySite.set(computer.site, at);
    at.total++;
    if (at.tags.length < NAMED_MOST) at.tags.push(computer.tag);
    if (ids.length < IDS_MOST) ids.push(computer.id);
  }
  const total = cover.chains.computers.length;
  return { sites: [...bySite.values()].sort((a, b) => b.total - a.total), ids, total };
});
