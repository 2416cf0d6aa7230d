import type { ModelData } from "highs";
import { itemAt } from "../kernel/item-at";
import { contentsWorthMaking, type DecidingDemand, demandsThatDecide, replacementCosts } from "./dominance";
import {
  type CoverAct,
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
  /** What a route that is left unmet costs: more than any other. */
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
        values.push(itemAt(by, nth));
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
  const list = map.get(key);
  if (list) list.push(value);
  else map.set(key, [value]);
}

type Entry = [column: number, by: number];

/** The program of a problem as it is put together, from what stands somewhere to whoever asks. */
class Builder {
  readonly pools: number[][] = [];
  readonly groups: Group[];
  readonly penalty: number;
  readonly sparse = new Sparse();
  private readonly sites: number[];
  private readonly demands: Map<number, DecidingDemand>;
  /** Contents worth making. */
  private readonly worth: number[];
  /** What a content's serving costs at most, bought. */
  private readonly replacement: number[];
  private readonly noPurchase: Set<number>;
  private readonly supplies = new Map<string, number>();
  /** What flows into each supply. */
  private readonly inflow = new Map<number, Entry[]>();
  /** Media that are given up, by pool and place. */
  private readonly given = new Map<string, Entry[]>();

  constructor(private readonly problem: CoverProblem) {
    this.sites = problem.travel.map((_, site) => site);
    this.demands = demandsThatDecide(problem);
    this.worth = contentsWorthMaking(problem, this.demands);
    this.replacement = replacementCosts(problem, this.demands);
    this.noPurchase = new Set(problem.noPurchase ?? []);
    this.penalty = penaltyOf(problem);
    this.groups = groupsOf(problem, this.worth, this.pools);
    for (const site of this.sites)
      for (const content of usefulAt(problem, this.demands, site))
        this.supplies.set(
          `${content} ${site}`,
          // Whole by what flows into it; as an integer it is branched on, which proves much sooner.
          this.sparse.column({ kind: "supply", content, site }, 0),
        );
    for (const [at, group] of this.groups.entries()) this.stand(at, group);
    for (const [pool, fitting] of this.pools.entries()) this.writeAnew(pool, fitting);
    this.buy();
    for (const column of this.supplies.values())
      this.sparse.row(-FOREVER, 0, [[column, 1], ...(this.inflow.get(column) ?? []).map(([at]): Entry => [at, -1])]);
    for (const [at, demand] of this.demands) this.ask(at, demand);
  }

  private supply(content: number, site: number): number | undefined {
    return this.supplies.get(`${content} ${site}`);
  }

  private flows(column: number, content: number, site: number): void {
    const target = this.supply(content, site);
    if (target !== undefined) into(this.inflow, target, [column, 1]);
  }

  /** Whether it costs no more to buy there than to carry there what saves so much. */
  private isBought(site: number, saving: number, carrying: number): boolean {
    return !this.noPurchase.has(site) && saving <= carrying;
  }

  /** Media that are alike are kept, moved, or given up to be written anew: each of them one of these at most. */
  private stand(group: number, { media: members, like, pool }: Group): void {
    const { content, site } = like;
    const proving = proofCost(this.problem, like);
    const entries: Entry[] = [];
    if (content !== null && this.supply(content, site) !== undefined) {
      const keep = this.sparse.column({ kind: "keep", group }, proving, members.length);
      entries.push([keep, 1]);
      this.flows(keep, content, site);
    }
    if (content !== null && like.mayMove && !like.isPinned)
      for (const to of this.sites) {
        const carrying = to === site ? null : carryingCost(this.problem, site, to);
        if (carrying === null || this.supply(content, to) === undefined) continue;
        if (this.isBought(to, itemAt(this.replacement, content), carrying)) continue;
        const move = this.sparse.column({ kind: "move", group, to }, carrying + proving, members.length);
        entries.push([move, 1]);
        this.flows(move, content, to);
      }
    if (pool !== null) {
      const give = this.sparse.column({ kind: "give", group }, 0, members.length);
      entries.push([give, 1]);
      into(this.given, `${pool} ${site}`, [give, -1]);
    }
    if (entries.length > 1) this.sparse.row(0, members.length, entries);
  }

  /** No more is written at a place, and carried away from it, than is given up there and brought. */
  private writeAnew(pool: number, fitting: readonly number[]): void {
    const { problem, sites, sparse } = this;
    const most = problem.media.length;
    const at = new Map<number, Entry[]>();
    for (const site of sites) {
      for (const entry of this.given.get(`${pool} ${site}`) ?? []) into(at, site, entry);
      for (const content of fitting) {
        if (this.supply(content, site) === undefined) continue;
        const write = sparse.column({ kind: "write", pool, content, site }, writingCost(problem, content), most);
        into(at, site, [write, 1]);
        this.flows(write, content, site);
      }
    }
    // Carried blank, a medium saves a purchase, and nothing else.
    const saving = Math.max(
      ...fitting.map((content) => (purchaseCost(problem, content) ?? FOREVER) - writingCost(problem, content)),
    );
    const mayMove = this.groups.some((group) => group.pool === pool && group.like.mayMove);
    for (const from of mayMove ? sites.filter((site) => this.given.has(`${pool} ${site}`)) : [])
      for (const to of sites) {
        const carrying = from === to ? null : carryingCost(problem, from, to);
        if (carrying === null || this.isBought(to, saving, carrying)) continue;
        const carry = sparse.column({ kind: "carry", pool, from, to }, carrying, most);
        into(at, from, [carry, 1]);
        into(at, to, [carry, -1]);
      }
    for (const entries of at.values()) sparse.row(-FOREVER, 0, entries);
  }

  private buy(): void {
    for (const content of this.worth) {
      const cost = purchaseCost(this.problem, content);
      if (cost === null) continue;
      for (const site of this.sites)
        if (!this.noPurchase.has(site) && this.supply(content, site) !== undefined)
          this.flows(this.sparse.column({ kind: "buy", content, site }, cost), content, site);
    }
  }

  /** What stands within reach and serves is as much as is asked for; what may lack is paid for dearly. */
  private ask(at: number, demand: DecidingDemand): void {
    const { routes, servedBy, isSure } = demand;
    const entries: Entry[] = [];
    for (const from of this.sites.filter((site) => isWithin(this.problem, demand, site)))
      for (const content of servedBy) {
        const column = this.supply(content, from);
        if (column !== undefined) entries.push([column, 1]);
      }
    if (!isSure) entries.push([this.sparse.column({ kind: "unmet", demand: at }, this.penalty, routes), 1]);
    this.sparse.row(routes, FOREVER, entries);
  }
}

/**
 * The problem as an integer program. Columns count media: kept, moved, given up to be written anew, carried blank,
 * written, bought; `supply` is what stands at a place then; `unmet` is what no decision gives, at a price above all.
 */
export function modelOf(problem: CoverProblem): CoverModel {
  const { sparse, groups, pools, penalty } = new Builder(problem);
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
        ? worth.filter((content) => canHold(medium, itemAt(contents, content)))
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
    const blanks = blank.get(key) ?? [];
    blank.set(key, blanks);
    return blanks;
  };
  const counted = model.columns.flatMap((column, nth) => {
    const count = Math.round(itemAt(values, nth));
    return count > 0 ? [{ column, count }] : [];
  });
  const forEach = <K extends Column["kind"]>(kind: K, run: (column: Extract<Column, { kind: K }>) => void) => {
    for (const { column, count } of counted)
      if (column.kind === kind) for (let nth = 0; nth < count; nth++) run(column as Extract<Column, { kind: K }>);
  };
  const rest = (group: number) => itemAt(model.groups, group);
  forEach("keep", ({ group }) => {
    const medium = take(group);
    const { content, site } = rest(group).like;
    if (medium === undefined || content === null) return;
    acts.push({ act: "keep", medium, content, site, cost: proofCost(problem, rest(group).like) });
  });
  forEach("move", ({ group, to }) => {
    const medium = take(group);
    const { content, site } = rest(group).like;
    if (medium === undefined || content === null) return;
    const cost = (carryingCost(problem, site, to) ?? 0) + proofCost(problem, rest(group).like);
    acts.push({ act: "move", medium, content, from: site, site: to, cost });
  });
  forEach("give", ({ group }) => {
    const medium = take(group);
    if (medium !== undefined) at(rest(group).pool as number, rest(group).like.site).push(medium);
  });
  carryOn(counted, at);
  forEach("write", ({ pool, content, site }) => {
    const medium = at(pool, site).shift();
    if (medium === undefined) return;
    const from = problem.media[medium]?.site ?? site;
    const cost = writingCost(problem, content) + (carryingCost(problem, from, site) ?? 0);
    acts.push({ act: "rewrite", medium, content, from, site, cost });
  });
  forEach("buy", ({ content, site }) => {
    acts.push({ act: "buy", content, site, cost: purchaseCost(problem, content) ?? 0 });
  });
  for (const [group, members] of left.entries()) {
    const { like } = itemAt(model.groups, group);
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
