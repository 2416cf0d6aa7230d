import { ReleaseMatrix } from "@/core/fleet/by-release";
import { breakAt, linksOfCell } from "@/core/fleet/cell";
import { groupCells, type MatrixGroups } from "@/core/fleet/groups";
import { FleetMatrix } from "@/core/fleet/matrix";
import { SurestChains } from "@/core/fleet/surest";
import type { World } from "@/core/fleet/world";
import type { LinkName, Verdict } from "@/core/judging/model/schema";
import { verdictsOf, weakLink } from "@/core/judging/routes/routes";
import { dayOf } from "@/core/kernel/days";
import type { Context } from "../context";
import type { Database } from "../db/client";
import { changesBetween, revisionOf } from "../db/revision";
import {
  releaseParts,
  surroundingWorld,
  type WorldComputer,
  type WorldMedium,
  worldComputers,
  worldMedia,
} from "./world";

/** The chains of the whole fleet, kept in memory and true to the database each time they are asked for. */
export interface Fleet {
  matrix: FleetMatrix;
  surest: SurestChains;
  computers: WorldComputer[];
  media: WorldMedium[];
  world: World;
  /** Where computers stand, by their ids. */
  rowOf: Map<number, number>;
  /** Where media stand, by their ids. */
  columnOf: Map<number, number>;
}

interface Kept extends Fleet {
  /** What the database stood at when it was read. */
  revision: number;
  day: string;
  /** What judging all of it took, in milliseconds. */
  tookMs: number;
}

const kept = new WeakMap<Database, Promise<Kept>>();
/** Databases whose fleet is not built again on the way; see `keepOn`. */
const keptOn = new WeakMap<Database, number>();

/**
 * The fleet as the database holds it now. An edit of single computers or media judges their rows and columns anew;
 * anything else (one more, one less, a release, an image, a drill, a new day) judges the whole.
 */
export async function fleet(context: Context): Promise<Fleet> {
  return current(context);
}

function current(context: Context): Promise<Kept> {
  const before = kept.get(context.db);
  const next = (before ?? Promise.resolve(null)).catch(() => null).then((known) => refresh(context, known));
  kept.set(context.db, next);
  // A database that is gone for a moment takes nothing away: what was known is brought up to now from there.
  next.catch(() => {
    if (kept.get(context.db) !== next) return;
    if (before) kept.set(context.db, before);
    else kept.delete(context.db);
  });
  return next;
}

/**
 * From now on a fleet that took longer than `mostMs` to judge stays as it is where all of it is to be judged anew:
 * whoever asked is told of it by `standsAt`, and has it done elsewhere.
 */
export function keepOn(db: Database, mostMs: number): void {
  keptOn.set(db, mostMs);
}

/** The revision and the day that the fleet is judged for, brought up to now as far as that goes. */
export async function standsAt(context: Context): Promise<{ revision: number; day: string }> {
  const { revision, day } = await current(context);
  return { revision, day };
}

/** All of it is read as it was at one moment, whatever is written meanwhile. */
const AT_ONE_MOMENT = { isolationLevel: "repeatable read", withConsistentSnapshot: true } as const;

async function refresh(context: Context, known: Kept | null): Promise<Kept> {
  const day = dayOf(context.now());
  const revision = await revisionOf(context.db);
  if (known && known.revision === revision && known.day === day) return known;
  return context.db.transaction(async (tx) => {
    const reading: Context = { ...context, db: tx as unknown as Database };
    const now = await revisionOf(reading.db);
    if (known?.day === day) {
      const changes = await changesBetween(reading.db, known.revision, now);
      if (changes && (await takenOver(reading, known, changes))) return Object.assign(known, { revision: now });
    }
    if (known && known.tookMs > (keptOn.get(context.db) ?? Number.POSITIVE_INFINITY)) return known;
    return built(reading, now, day);
  }, AT_ONE_MOMENT);
}

/** Whether what changed could be judged by itself. */
async function takenOver(
  context: Context,
  known: Kept,
  changes: { computers: number[]; media: number[] },
): Promise<boolean> {
  // What is retired keeps its row in the database, and a change of it is nobody's.
  const itsComputers = changes.computers.filter((id) => known.rowOf.has(id));
  const itsMedia = changes.media.filter((id) => known.columnOf.has(id));
  if (itsComputers.length > 0) {
    const anew = await worldComputers(context, itsComputers);
    const rows = anew.map((computer) => ({ computer, row: known.rowOf.get(computer.id) ?? -1 }));
    // Drills and images speak of computers by tag, and drills of those of its model.
    if (rows.some(({ computer, row }) => !isNamedAlike(computer, known.computers[row]))) return false;
    for (const { computer, row } of rows) {
      known.computers[row] = computer;
      known.matrix.replaceComputer(row, computer);
    }
  }
  if (itsMedia.length > 0) {
    const anew = await worldMedia(context, await releaseParts(context));
    const columns = anew.map((medium) => ({ medium, column: known.columnOf.get(medium.id) ?? -1 }));
    if (columns.some(({ medium, column }) => medium.part.tag !== known.media[column]?.part.tag)) return false;
    for (const { medium, column } of columns) {
      known.media[column] = medium;
      if (itsMedia.includes(medium.id)) known.matrix.replaceMedium(column, medium);
      // The others tell of copies elsewhere: their sentences change, their verdicts do not.
      else known.matrix.retellMedium(column, medium);
    }
  }
  return true;
}

function isNamedAlike(computer: WorldComputer, before: WorldComputer | undefined): boolean {
  const { make, model } = computer.facts.computer;
  const was = before?.facts.computer;
  return before?.tag === computer.tag && was?.make === make && was?.model === model;
}

async function built(context: Context, revision: number, day: string): Promise<Kept> {
  const start = performance.now();
  const [around, itsComputers] = await Promise.all([surroundingWorld(context), worldComputers(context)]);
  const world: World = { ...around, computers: itsComputers };
  const matrix = new FleetMatrix(world);
  const itsMedia: WorldMedium[] = around.media;
  return {
    matrix,
    surest: new SurestChains(matrix),
    computers: itsComputers,
    media: itsMedia,
    world,
    rowOf: new Map(itsComputers.map(({ id }, row) => [id, row])),
    columnOf: new Map(itsMedia.map(({ id }, column) => [id, column])),
    ...{ revision, day, tookMs: performance.now() - start },
  };
}

/** What all media together come to for one computer, as lists show it; null for one that is not in service. */
export interface Cover {
  /** The weakest link of the surest route. */
  verdict: Verdict | "none";
  /** The link that decides; null where all hold or there is no medium. */
  at: LinkName | null;
  links: Record<LinkName, Verdict> | null;
  /** Media with a route that holds, or holds after a change. */
  ways: number;
}

/** What is shown of a computer, by its place in the fleet. */
export function coverOf({ surest }: Fleet, row: number): Cover {
  const standing = surest.standing(row);
  if (!standing) return { verdict: "none", at: null, links: null, ways: 0 };
  const { verdict, cell, isOwn, ways } = standing;
  if (isOwn) return { verdict, at: breakAt(cell), links: linksOfCell(cell), ways };
  // The cell shows a route that gives back more and is less sure: the surer one has to be judged.
  const route = surest.route(row);
  if (!route) return { verdict, at: null, links: null, ways };
  const at = verdict === "holds" ? null : weakLink(route.links);
  return { verdict, at, links: verdictsOf(route.links), ways };
}

export interface MatrixFilter {
  /** Parts of tags, names, sites, models or releases. */
  computers?: string;
  media?: string;
  /** Of the computers, by its name. */
  site?: string;
}

/** The matrix of what a filter leaves, grouped: identical rows and columns together, the worst rows first. */
export function groupMatrix(of: Fleet, filter: MatrixFilter = {}): MatrixGroups {
  const { rows, columns } = chosenOf(of, filter);
  return groupCells(of.matrix, rows, columns);
}

/** The same against releases: of the media that a filter leaves, the one that does best for each computer. */
export function groupByRelease(of: Fleet, filter: MatrixFilter = {}): MatrixGroups & { by: ReleaseMatrix } {
  const { rows } = chosenOf(of, filter);
  const by = new ReleaseMatrix(of.matrix, of.media);
  const wanted = by.releases.flatMap((name, at) => (!filter.media || name === filter.media ? [at] : []));
  return { ...groupCells(by, rows, wanted), by };
}

/** Positions of the rows and columns that a filter leaves. */
export function chosenOf(of: Fleet, filter: MatrixFilter): { rows: number[]; columns: number[] } {
  const rows = chosen(of.computers, filter.computers, ({ tag, name, site, facts }) =>
    [tag, name, site, facts.computer.make, facts.computer.model].filter(Boolean).join(" "),
  );
  const columns = chosen(of.media, filter.media, ({ part, name, releases: carried }) =>
    [part.tag, name, part.site, ...carried.map((each) => each.name)].filter(Boolean).join(" "),
  );
  return { rows: filter.site ? rows.filter((row) => of.computers[row]?.site === filter.site) : rows, columns };
}

function chosen<T>(items: T[], text: string | undefined, of: (item: T) => string): number[] {
  const words = (text ?? "").toLowerCase().split(/\s+/).filter(Boolean);
  return items.flatMap((item, at) => {
    const text = of(item).toLowerCase();
    return words.every((word) => text.includes(word)) ? [at] : [];
  });
}
