import type { DueItem, DueKind } from "./due";

/** Attended minutes of what is due, away from the desk. Common practice. */
const MINUTES: Record<DueKind, number> = {
  ...{ drill: 15, "planned-drill": 15, verification: 20, wear: 5, image: 45, store: 15, superseded: 30, ended: 30 },
  ...{ "system-files": 40, environment: 30, loan: 5, spares: 5, facts: 10, stocktake: 15 },
};

/** What can be told of an item in one word once it was done, and is recorded by that. */
export const RESULTS: Partial<Record<DueKind, readonly string[]>> = {
  drill: ["started", "restored", "failed"],
  "planned-drill": ["started", "restored", "failed"],
  verification: ["whole", "damaged"],
  loan: ["back"],
  wear: ["retired"],
};

interface VisitJob {
  item: DueItem;
  /** Other reasons for which the very same is due: it is done once. */
  also: DueItem[];
  minutes: number;
  results: readonly string[];
}

export interface Visit {
  site: string;
  /** Media that are elsewhere and are wanted there, with where they are. */
  take: { medium: string; from: string | null }[];
  /** By computer, then by medium: what is done in one place together. */
  jobs: VisitJob[];
  minutes: number;
  /** What is due there beside: more than anybody does in one visit. */
  left: number;
}

/** So much is done in one visit at most: what breaks most comes first. */
const JOBS_MOST = 150;

/** What is the same work whatever it is due for: one drill, one writing of a medium. */
const WORK: Partial<Record<DueKind, string>> = {
  ...{ "planned-drill": "drill", superseded: "write", "system-files": "write", environment: "write" },
};

function workOf({ key, kind, medium, computer, site, reason }: DueItem): string {
  const work = kind === "ended" && medium !== null ? "write" : (WORK[kind] ?? kind);
  switch (work) {
    case "drill":
      return JSON.stringify([work, medium, computer]);
    case "image":
    case "facts":
      return JSON.stringify([work, computer]);
    case "store":
      return key;
    case "spares":
    case "stocktake":
      return JSON.stringify([work, site]);
    case "ended":
      return JSON.stringify([work, reason.code === "system-ended" ? reason.system : null]);
    default:
      return JSON.stringify([work, medium]);
  }
}

/** What is due at a place, ranked, as one trip. `siteOf`: where a medium is; undefined: there is no such medium. */
export function visitOf(
  site: string,
  due: readonly DueItem[],
  siteOf: (medium: string) => string | null | undefined,
): Visit {
  const all = due.filter((item) => item.site === site);
  const here = all.slice(0, JOBS_MOST);
  const byWork = new Map<string, VisitJob>();
  for (const item of here) {
    const row = byWork.get(workOf(item));
    if (row) row.also.push(item);
    else byWork.set(workOf(item), { item, also: [], minutes: MINUTES[item.kind], results: RESULTS[item.kind] ?? [] });
  }
  const jobs = [...byWork.values()].sort(
    (a, b) =>
      (a.item.computer ?? "\uffff").localeCompare(b.item.computer ?? "\uffff") ||
      (a.item.medium ?? "\uffff").localeCompare(b.item.medium ?? "\uffff") ||
      a.item.key.localeCompare(b.item.key),
  );
  const wanted = new Set(
    here.flatMap(({ kind, medium }) => (kind.endsWith("drill") && medium !== null ? [medium] : [])),
  );
  const take = [...wanted].sort().flatMap((medium) => {
    const from = siteOf(medium);
    return from === undefined || from === site ? [] : [{ medium, from }];
  });
  return {
    site,
    take,
    jobs,
    minutes: jobs.reduce((sum, { minutes }) => sum + minutes, 0),
    left: all.length - here.length,
  };
}
