import { isNull, sql } from "drizzle-orm";
import Papa from "papaparse";
import { ReleaseMatrix } from "@/core/fleet/by-release";
import { breakAt, linksOfCell, weakestVerdict } from "@/core/fleet/cell";
import { groupCells, type MatrixGroups } from "@/core/fleet/groups";
import { FleetMatrix } from "@/core/fleet/matrix";
import { SurestChains } from "@/core/fleet/surest";
import type { World } from "@/core/fleet/world";
import type { LinkName, Verdict } from "@/core/judging/model/schema";
import { verdictsOf, weakLink } from "@/core/judging/routes/routes";
import { dayOf } from "@/core/kernel/days";
import { verdictText } from "@/core/words/reasons";
import { weakText } from "@/core/words/routes";
import type { Context } from "../context";
import type { Database } from "../db/client";
import {
  calendars,
  computers,
  drills,
  imageCopies,
  kits,
  media,
  policies,
  releases,
  sites,
  stores,
  systemImages,
} from "../db/schema";
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
  /** What everything but single computers and media looked like. */
  frame: string;
  day: string;
}

const kept = new WeakMap<Database, Promise<Kept>>();

/**
 * The fleet as it is now. An edit of single computers or media judges their rows and columns anew; anything else (one
 * more, one less, a release, an image, a drill, a new day) judges the whole.
 */
export async function fleet(context: Context): Promise<Fleet> {
  const before = kept.get(context.db);
  const next = (before ?? Promise.resolve(null)).catch(() => null).then((known) => refresh(context, known));
  kept.set(context.db, next);
  next.catch(() => kept.delete(context.db));
  return next;
}

async function refresh(context: Context, known: Kept | null): Promise<Kept> {
  const day = dayOf(context.now());
  const frame = await frameOf(context);
  if (!known || known.day !== day || known.frame !== frame) return built(context, frame, day);
  const [itsComputers, itsMedia] = await Promise.all([
    changedIn(context, computers, known.computers),
    changedIn(context, media, known.media),
  ]);
  if (itsComputers === null || itsMedia === null) return built(context, frame, day);
  if (itsComputers.length > 0) {
    const anew = await worldComputers(context, itsComputers);
    const rows = anew.map((computer) => ({ computer, row: known.rowOf.get(computer.id) ?? -1 }));
    // Drills and images speak of computers by tag, and drills of those of its model.
    if (rows.some(({ computer, row }) => !isNamedAlike(computer, known.computers[row])))
      return built(context, frame, day);
    for (const { computer, row } of rows) {
      known.computers[row] = computer;
      known.matrix.replaceComputer(row, computer);
    }
  }
  if (itsMedia.length > 0) {
    const anew = await worldMedia(context, await releaseParts(context));
    const columns = anew.map((medium) => ({ medium, column: known.columnOf.get(medium.id) ?? -1 }));
    if (columns.some(({ medium, column }) => medium.part.tag !== known.media[column]?.part.tag))
      return built(context, frame, day);
    for (const { medium, column } of columns) {
      known.media[column] = medium;
      if (itsMedia.includes(medium.id)) known.matrix.replaceMedium(column, medium);
      // The others tell of copies elsewhere: their sentences change, their verdicts do not.
      else known.matrix.retellMedium(column, medium);
    }
  }
  return known;
}

function isNamedAlike(computer: WorldComputer, before: WorldComputer | undefined): boolean {
  const { make, model } = computer.facts.computer;
  const was = before?.facts.computer;
  return before?.tag === computer.tag && was?.make === make && was?.model === model;
}

async function built(context: Context, frame: string, day: string): Promise<Kept> {
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
    frame,
    day,
  };
}

/** A text that changes with whatever all chains depend on; single computers and media are looked at one by one. */
async function frameOf(context: Context): Promise<string> {
  const of = (
    table:
      | typeof releases
      | typeof policies
      | typeof drills
      | typeof systemImages
      | typeof imageCopies
      | typeof stores
      | typeof kits
      | typeof calendars
      | typeof sites,
  ) =>
    context.db
      .select({ count: sql<number>`COUNT(*)`, sum: sql<number>`COALESCE(SUM(${table.version}), 0)` })
      .from(table);
  const parts = await Promise.all([
    // One that is taken away and another one that is added count the same: the last id tells them apart.
    context.db.select({ last: sql<number>`COALESCE(MAX(${policies.id}), 0)` }).from(policies),
    of(policies),
    of(releases),
    of(drills),
    of(systemImages),
    of(imageCopies),
    of(stores),
    of(kits),
    of(calendars),
    of(sites),
  ]);
  return JSON.stringify(parts);
}

/** The ids of what has another version now; null where something came or went. */
async function changedIn(
  context: Context,
  table: typeof computers | typeof media,
  known: { id: number; version: number }[],
): Promise<number[] | null> {
  const rows = await context.db
    .select({ id: table.id, version: table.version })
    .from(table)
    .where(isNull(table.retiredAt));
  if (rows.length !== known.length) return null;
  const versions = new Map(known.map(({ id, version }) => [id, version]));
  const changed: number[] = [];
  for (const { id, version } of rows) {
    const before = versions.get(id);
    if (before === undefined) return null;
    if (before !== version) changed.push(id);
  }
  return changed;
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

function chosenOf(of: Fleet, filter: MatrixFilter): { rows: number[]; columns: number[] } {
  const rows = chosen(of.computers, filter.computers, ({ tag, name, site, facts }) =>
    [tag, name, site, facts.computer.make, facts.computer.model].filter(Boolean).join(" "),
  );
  const columns = chosen(of.media, filter.media, ({ part, name, releases: carried }) =>
    [part.tag, name, part.site, ...carried.map((each) => each.name)].filter(Boolean).join(" "),
  );
  return { rows: filter.site ? rows.filter((row) => of.computers[row]?.site === filter.site) : rows, columns };
}

const EXPORT_ROWS = 200;

/** The matrix as CSV (RFC 4180), part by part: a row for each computer, a column for each medium, and in each cell its weakest link. */
export async function* exportMatrix(context: Context, filter: MatrixFilter): AsyncGenerator<string> {
  const of = await fleet(context);
  const { rows, columns } = chosenOf(of, filter);
  const text = (lines: string[][]) => `${Papa.unparse(lines, { newline: "\r\n", escapeFormulae: true })}\r\n`;
  yield text([["computer", "name", "place", ...columns.map((column) => of.media[column]?.part.tag ?? "")]]);
  for (let at = 0; at < rows.length; at += EXPORT_ROWS)
    yield text(
      rows.slice(at, at + EXPORT_ROWS).map((row) => {
        const { tag = "", name = null, site = null } = of.computers[row] ?? {};
        return [tag, name ?? "", site ?? "", ...columns.map((column) => cellText(of.matrix.cell(row, column)))];
      }),
    );
}

/** "Starts broken", "Proven unknown", "holds". */
function cellText(cell: number): string {
  const at = breakAt(cell);
  return at === null ? verdictText("holds") : weakText(at, weakestVerdict(cell));
}

function chosen<T>(items: T[], text: string | undefined, of: (item: T) => string): number[] {
  const words = (text ?? "").toLowerCase().split(/\s+/).filter(Boolean);
  return items.flatMap((item, at) => {
    const text = of(item).toLowerCase();
    return words.every((word) => text.includes(word)) ? [at] : [];
  });
}
