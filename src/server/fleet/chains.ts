import { VERDICTS } from "@/core/fleet/cell";
import { arranged, bestOf, type MatrixGroup } from "@/core/fleet/groups";
import type { Verdict } from "@/core/judging/model/schema";
import type { RankedRoute } from "@/core/judging/routes/routes";
import type { ReleaseId } from "../db/ids";
import { asked } from "./asked";
import { type Fleet, fleet, groupByRelease, groupMatrix, type MatrixFilter } from "./fleet";

export interface ChainsAsked {
  filter: MatrixFilter;
  against: "media" | "releases";
  /** Groups of rows and of columns that are shown, from 0. */
  rows: { from: number; count: number };
  columns: { from: number; count: number };
  /** The cell that is opened, by the tags of its computer and medium. */
  opened: { computer: string; medium: string } | null;
}

/** Some that stand together in the matrix: the first of them stands for all. */
interface Together {
  tag: string;
  /** How many they are, and the tags of the first of them. */
  count: number;
  tags: string[];
}

export interface ChainsView {
  rows: (Together & { name: string | null; best: Verdict })[];
  /** `id`: of the release, where the matrix is against releases. */
  columns: (Together & { id: ReleaseId | null; family: string })[];
  /** For each row that is shown its cells, each with the medium that it speaks of. */
  cells: { cell: number; medium: string }[][];
  rowGroups: number;
  columnGroups: number;
  /** Computers in all, with a chain that holds to its end, and with broken ones alone. */
  total: number;
  holding: number;
  lost: number;
  computers: number;
  media: number;
  sites: string[];
  releases: string[];
  opened: { hasComputer: boolean; hasMedium: boolean; routes: RankedRoute[] } | null;
}

/** Tags that are told of those that stand together. */
const TAGS = 40;

/** What the columns are, and what stands in a cell. */
interface Columns {
  name: (column: number) => string;
  id: (column: number) => number | null;
  /** The releases of a medium, in words; of a release none: it stands for itself. */
  family: (column: number) => string;
  cell: (row: number, column: number) => number;
  /** The medium that a cell speaks of. */
  medium: (row: number, column: number) => string;
}

function columnsOfMedia({ matrix, media }: Fleet): Columns {
  const tag = (column: number) => media[column]?.part.tag ?? "";
  return {
    name: tag,
    id: () => null,
    family: (column) => media[column]?.releases.map((each) => each.name).join(" + ") ?? "",
    cell: (row, column) => matrix.cell(row, column),
    medium: (_, column) => tag(column),
  };
}

function columnsOfReleases({ media }: Fleet, by: ReturnType<typeof groupByRelease>["by"]): Columns {
  const name = (column: number) => by.releases[column] ?? "";
  const idOf = new Map(
    media.flatMap(({ releases, releaseIds }) => releases.map((each, at) => [each.name, releaseIds[at] ?? null])),
  );
  return {
    name,
    id: (column) => idOf.get(name(column)) ?? null,
    family: () => "",
    cell: (row, column) => by.cell(row, column),
    medium: (row, column) => media[by.bestMedium(row, column)]?.part.tag ?? "",
  };
}

/** A part of the matrix as it is shown: what is alike stands together, the worst first. */
export const chainsView = asked("chains", async (context, chains: ChainsAsked): Promise<ChainsView> => {
  const of = await fleet(context);
  const byRelease = chains.against === "releases" ? groupByRelease(of, chains.filter) : null;
  const shown = byRelease ? columnsOfReleases(of, byRelease.by) : columnsOfMedia(of);
  const groups = arranged(shown, byRelease ?? groupMatrix(of, chains.filter), shown.family);
  const rows = part(groups.rows, chains.rows);
  const columns = part(groups.columns, chains.columns);
  const count = (test: (group: MatrixGroup) => boolean) =>
    groups.rows.filter(test).reduce((sum, group) => sum + group.members.length, 0);
  const total = count(() => true);
  return {
    rows: rows.map((group) => ({
      ...together(group, (row) => of.computers[row]?.tag ?? ""),
      name: of.computers[first(group)]?.name ?? null,
      best: VERDICTS[bestOf(group)] ?? "broken",
    })),
    columns: columns.map((group) => ({
      ...together(group, shown.name),
      ...{ id: shown.id(first(group)), family: shown.family(first(group)) },
    })),
    cells: rows.map((row) =>
      columns.map((column) => ({
        cell: shown.cell(first(row), first(column)),
        medium: shown.medium(first(row), first(column)),
      })),
    ),
    rowGroups: groups.rows.length,
    columnGroups: groups.columns.length,
    total,
    holding: count(({ weakest }) => weakest[0] > 0),
    lost: total - count(({ weakest }) => weakest[0] + weakest[1] + weakest[2] > 0),
    computers: of.computers.length,
    media: of.media.length,
    sites: [...new Set(of.computers.flatMap(({ site }) => site ?? []))].sort(),
    releases: [...new Set(of.media.flatMap(({ releases }) => releases.map(({ name }) => name)))].sort(),
    opened: chains.opened && openedOf(of, chains.opened),
  };
});

const first = ({ members }: MatrixGroup): number => members[0] ?? 0;

function part<T>(all: readonly T[], { from, count }: { from: number; count: number }): T[] {
  return all.slice(from, from + count);
}

function together(group: MatrixGroup, tagOf: (at: number) => string): Together {
  return { tag: tagOf(first(group)), count: group.members.length, tags: group.members.slice(0, TAGS).map(tagOf) };
}

function openedOf(of: Fleet, { computer, medium }: { computer: string; medium: string }): ChainsView["opened"] {
  const row = of.computers.findIndex(({ tag }) => tag === computer);
  const column = of.media.findIndex(({ part }) => part.tag === medium);
  return {
    hasComputer: row >= 0,
    hasMedium: column >= 0,
    routes: row < 0 || column < 0 ? [] : of.matrix.routes(row, column),
  };
}
