import type { ModelData } from "highs";
import { contentsWorthMaking, demandsThatDecide, replacementCosts } from "./dominance";
import {
  type CoverAct,
  type CoverContent,
  type CoverDemand,
  type CoverMedium,
  type CoverProblem,
  canHold,
  carryingCost,
  isWithin,
  proofCost,
  purchaseCost,
  writingCost,
} from "./problem";

/** What a column of the model counts. Media that are alike are counted together: `group` is a position in `groups`. */
type Column =
  | { kind: "keep"; group: number }
  | { kind: "move"; group: number; to: number }
  | { kind: "give"; group: number }
  | { kind: "carry"; pool: number; from: number; to: number }
  | { kind: "write"; pool: number; content: number; site: number }
  | { kind: "buy"; content: number; site: number }
  | { kind: "supply"; content: number; site: number }
  | { kind: "unmet"; demand: number };

/** Media that differ in nothing that is decided by. */
interface Group {
  media: number[];
  like: CoverMedium;
  /** Of what can be written to it: a position in `pools`; null: nothing is. */
  pool: number | null;
}

export interface CoverModel {
  data: ModelData;
  columns: Column[];
  groups: Group[];
  /** For each pool, the contents that fit. */
  pools: number[][];
  /** An integer plan's cost without what stands for unmet demands. */
  penalty: number;
}

const FOREVER = Number.POSITIVE_INFINITY;

/** Rows and columns as they are added. */
class Sparse {
  readonly columns: Column[] = [];
  readonly cost: number[] = [];
  readonly upper: number[] = [];
  readonly isInteger: boolean[] = [];
  private readonly rows: { lower: number; upper: number; at: number[]; by: number[] }[] = [];

  column(column: Column, cost: number, upper = FOREVER, isInteger = true): number {
    this.cost.push(cost);
    this.upper.push(upper);
    this.isInteger.push(isInteger);
    return this.columns.push(column) - 1;
  }

  row(lower: number, upper: number, entries: readonly (readonly [number, number])[]): void {
    if (entries.length === 0) return;
    this.rows.push({ lower, upper, at: entries.map(([column]) => column), by: entries.map(([, value]) => value) });
  }

  data(): ModelData {
    const starts = [0];
    const indices: number[] = [];
    const values: number[] = [];
    for (const { at, by } of this.rows) {
      for (const [nth, column] of at.entries()) {
        indices.push(column);
        values.push(by[nth] as number);
      }
      starts.push(indices.length);
    }
    return {
      numCols: this.columns.length,
      numRows: this.rows.length,
      colCost: this.cost,
      colLower: this.columns.map(() => 0),
      colUpper: this.upper,
      rowLower: this.rows.map(({ lower }) => lower),
      rowUpper: this.rows.map(({ upper }) => upper),
      integrality: Int32Array.from(this.isInteger, Number),
      matrix: {
        ...{ format: "csr", numRows: this.rows.length, numCols: this.columns.length },
        ...{ starts, indices, values },
      },
    };
  }
}

/** Adds to a list in a map. */
function into<K, V>(map: Map<K, V[]>, key: K, value: V): void {
  const own = map.get(key);
  if (own) own.push(value);
  else map.set(key, [value]);
}

/**
 * The problem as an integer program. Columns count media: kept, moved, given up to be written anew, carried blank,
 * written, bought; `supply` is what stands at a place then; `unmet` is what no decision gives, at a price above all.
 */
export function modelOf(problem: CoverProblem): CoverModel {
  const { travel, media } = problem;
  const sites = travel.map((_, site) => site);
  const sparse = new Sparse();
  const demands = demandsThatDecide(problem);
  const worth = contentsWorthMaking(problem, demands);
  const penalty = penaltyOf(problem);
  const replacement = replacementCosts(problem, demands);
  const noPurchase = new Set(problem.noPurchase ?? []);

  const supplies = new Map<string, number>();
  for (const site of sites)
    for (const content of usefulAt(problem, demands, site)) {
      const column = sparse.column({ kind: "supply", content, site }, 0, FOREVER, false);
      supplies.set(`${content} ${site}`, column);
    }
  const supply = (content: number, site: number) => supplies.get(`${content} ${site}`);

  // What flows into each supply.
  const inflow = new Map<number, [number, number][]>();
  const flows = (column: number, content: number, site: number) => {
    const target = supply(content, site);
    if (target !== undefined) into(inflow, target, [column, 1]);
  };

  const pools: number[][] = [];
  const groups = groupsOf(problem, worth, pools);
  const given = new Map<string, [number, number][]>();
  for (const [group, { media: members, like, pool }] of groups.entries()) {
    const entries: [number, number][] = [];
    const { content, site } = like;
    if (content !== null && supply(content, site) !== undefined) {
      const keep = sparse.column({ kind: "keep", group }, proofCost(problem, like), members.length);
      entries.push([keep, 1]);
      flows(keep, content, site);
    }
    if (content !== null && like.mayMove && !like.isPinned)
      for (const to of sites) {
        const carrying = to === site ? null : carryingCost(problem, site, to);
        if (carrying === null || supply(content, to) === undefined) continue;
        // What costs less bought there is not carried there.
        const isBought = !noPurchase.has(to) && (replacement[content] as number) <= carrying;
        if (isBought) continue;
        const move = sparse.column({ kind: "move", group, to }, carrying + proofCost(problem, like), members.length);
        entries.push([move, 1]);
        flows(move, content, to);
      }
    if (pool !== null) {
      const give = sparse.column({ kind: "give", group }, 0, members.length);
      entries.push([give, 1]);
      into(given, `${pool} ${site}`, [give, -1]);
    }
    if (entries.length > 1) sparse.row(0, members.length, entries);
  }

  for (const [pool, fitting] of pools.entries()) {
    const at = new Map<number, [number, number][]>();
    const isGivenAt = (site: number) => given.has(`${pool} ${site}`);
    const saving = Math.max(
      ...fitting.map((content) => (purchaseCost(problem, content) ?? FOREVER) - writingCost(problem, content)),
    );
    const mayMove = groups.some((group) => group.pool === pool && group.like.mayMove);
    for (const site of sites) {
      for (const entry of given.get(`${pool} ${site}`) ?? []) into(at, site, entry);
      for (const content of fitting) {
        if (supply(content, site) === undefined) continue;
        const write = sparse.column(
          { kind: "write", pool, content, site },
          writingCost(problem, content),
          media.length,
        );
        into(at, site, [write, 1]);
        flows(write, content, site);
      }
    }
    if (mayMove)
      for (const from of sites.filter(isGivenAt))
        for (const to of sites) {
          const carrying = from === to ? null : carryingCost(problem, from, to);
          // Carried blank it saves a purchase, and nothing else.
          const isBought = !noPurchase.has(to) && saving <= (carrying ?? 0);
          if (carrying === null || isBought) continue;
          const carry = sparse.column({ kind: "carry", pool, from, to }, carrying, media.length);
          into(at, from, [carry, 1]);
          into(at, to, [carry, -1]);
        }
    // No more is written at a place, and carried away from it, than is given up there and brought.
    for (const entries of at.values()) sparse.row(-FOREVER, 0, entries);
  }

  for (const content of worth) {
    const cost = purchaseCost(problem, content);
    if (cost === null) continue;
    for (const site of sites) {
      if (noPurchase.has(site) || supply(content, site) === undefined) continue;
      flows(sparse.column({ kind: "buy", content, site }, cost), content, site);
    }
  }
  for (const column of supplies.values())
    sparse.row(-FOREVER, 0, [[column, 1], ...(inflow.get(column) ?? []).map(([at]) => [at, -1] as const)]);

  for (const [demand, asked] of demands) {
    const { routes, servedBy } = asked;
    const entries: [number, number][] = [];
    for (const from of sites)
      if (isWithin(problem, asked, from))
        for (const content of servedBy) {
          const column = supply(content, from);
          if (column !== undefined) entries.push([column, 1]);
        }
    if (!asked.isSure) entries.push([sparse.column({ kind: "unmet", demand }, penalty, routes), 1]);
    sparse.row(routes, FOREVER, entries);
  }
  return { data: sparse.data(), columns: sparse.columns, groups, pools, penalty };
}

/** More than any one route can cost: nothing is left unmet to save money. */
function penaltyOf(problem: CoverProblem): number {
  const { travel, contents, media } = problem;
  const dearest = (costs: (number | null)[]) => costs.reduce<number>((most, cost) => Math.max(most, cost ?? 0), 0);
  const buying = dearest(contents.map((_, content) => purchaseCost(problem, content)));
  const writing = dearest(contents.map((_, content) => writingCost(problem, content)));
  const carrying = dearest(travel.flatMap((row, from) => row.map((_, to) => carryingCost(problem, from, to))));
  const proving = dearest(media.map((medium) => proofCost(problem, medium)));
  return 10 * (1 + buying + writing + carrying * travel.length + proving);
}

/** Contents that somebody within reach of a place is served by. */
function usefulAt(problem: CoverProblem, demands: ReadonlyMap<number, CoverDemand>, site: number): Set<number> {
  const useful = new Set<number>();
  for (const demand of demands.values())
    if (isWithin(problem, demand, site)) for (const content of demand.servedBy) useful.add(content);
  return useful;
}

function groupsOf({ media, contents }: CoverProblem, worth: readonly number[], pools: number[][]): Group[] {
  const poolOf = new Map<string, number>();
  const groups = new Map<string, Group>();
  for (const [at, medium] of media.entries()) {
    const fitting =
      medium.mayBeRewritten && !medium.isPinned
        ? worth.filter((content) => canHold(medium, contents[content] as CoverContent))
        : [];
    const fit = JSON.stringify([medium.mayMove, fitting]);
    let pool: number | null = null;
    if (fitting.length > 0) {
      pool = poolOf.get(fit) ?? pools.push(fitting) - 1;
      poolOf.set(fit, pool);
    }
    const { site, content, mayMove, isPinned, proofMinutes } = medium;
    const key = JSON.stringify([site, content, mayMove, isPinned, proofMinutes, pool]);
    const group = groups.get(key) ?? { media: [], like: medium, pool };
    group.media.push(at);
    groups.set(key, group);
  }
  return [...groups.values()];
}

/** What the numbers of a solved model mean. */
export function actsOf(
  problem: CoverProblem,
  model: CoverModel,
  values: ArrayLike<number>,
): {
  acts: CoverAct[];
  unmet: { demand: number; lacking: number }[];
} {
  const acts: CoverAct[] = [];
  const unmet: { demand: number; lacking: number }[] = [];
  const left = model.groups.map(({ media }) => [...media]);
  const take = (group: number) => left[group]?.shift();
  // Blank media by pool and place, as they are given up and carried.
  const blank = new Map<string, number[]>();
  const at = (pool: number, site: number) => {
    const key = `${pool} ${site}`;
    const own = blank.get(key) ?? [];
    blank.set(key, own);
    return own;
  };
  const counted = model.columns.flatMap((column, nth) => {
    const count = Math.round(values[nth] as number);
    return count > 0 ? [{ column, count }] : [];
  });
  const each = <K extends Column["kind"]>(kind: K, run: (column: Extract<Column, { kind: K }>) => void) => {
    for (const { column, count } of counted)
      if (column.kind === kind) for (let nth = 0; nth < count; nth++) run(column as Extract<Column, { kind: K }>);
  };
  const rest = (group: number) => model.groups[group] as Group;
  each("keep", ({ group }) => {
    const medium = take(group);
    const { content, site } = rest(group).like;
    if (medium === undefined || content === null) return;
    acts.push({ act: "keep", medium, content, site, cost: proofCost(problem, rest(group).like) });
  });
  each("move", ({ group, to }) => {
    const medium = take(group);
    const { content, site } = rest(group).like;
    if (medium === undefined || content === null) return;
    const cost = (carryingCost(problem, site, to) ?? 0) + proofCost(problem, rest(group).like);
    acts.push({ act: "move", medium, content, from: site, site: to, cost });
  });
  each("give", ({ group }) => {
    const medium = take(group);
    if (medium !== undefined) at(rest(group).pool as number, rest(group).like.site).push(medium);
  });
  carryOn(counted, at);
  each("write", ({ pool, content, site }) => {
    const medium = at(pool, site).shift();
    if (medium === undefined) return;
    const from = problem.media[medium]?.site ?? site;
    const cost = writingCost(problem, content) + (carryingCost(problem, from, site) ?? 0);
    acts.push({ act: "rewrite", medium, content, from, site, cost });
  });
  each("buy", ({ content, site }) => {
    acts.push({ act: "buy", content, site, cost: purchaseCost(problem, content) ?? 0 });
  });
  for (const [group, members] of left.entries()) {
    const { like } = model.groups[group] as Group;
    const counts = like.content !== null && like.proofMinutes === 0 && isSupplied(model, like.content, like.site);
    if (like.content === null || !counts) continue;
    for (const medium of members) acts.push({ act: "keep", medium, content: like.content, site: like.site, cost: 0 });
  }
  for (const { column, count } of counted)
    if (column.kind === "unmet") unmet.push({ demand: column.demand, lacking: count });
  return { acts, unmet };
}

function isSupplied({ columns }: CoverModel, content: number, site: number): boolean {
  return columns.some((each) => each.kind === "supply" && each.content === content && each.site === site);
}

/** Carries blank media on, until none is where it should have left. */
function carryOn(
  counted: readonly { column: Column; count: number }[],
  at: (pool: number, site: number) => number[],
): void {
  let open = counted.flatMap(({ column, count }) =>
    column.kind === "carry" ? Array.from({ length: count }, () => column) : [],
  );
  for (let before = -1; open.length !== before; ) {
    before = open.length;
    open = open.filter(({ pool, from, to }) => {
      const medium = at(pool, from).shift();
      if (medium !== undefined) at(pool, to).push(medium);
      return medium === undefined;
    });
  }
}
