import type { FactsProblem } from "../facts/schema";

/** Why a cell is not taken. `title` names the column, `cell` is what stands there. */
export type CellProblem =
  | { code: "cell-too-long"; title: string; most: number; length: number }
  | { code: "cell-with-zero-byte"; title: string }
  | { code: "cell-none-of"; title: string; cell: string; allowed: string[] }
  | { code: "cell-no-size"; title: string; cell: string }
  | { code: "cell-no-count"; title: string; cell: string; most: number }
  | { code: "cell-no-retirement"; title: string; cell: string }
  | { code: "cell-no-facts"; problem: FactsProblem }
  | { code: "provenance-unfit" }
  | { code: "provenance-not-json" };

/** What a row comes to that cannot be kept. `disk` counts from 1. */
export type RecordProblem =
  | { code: "disk-without-size"; disk: number }
  | { code: "system-without-name" }
  | { code: "facts-unfit"; at: string; told: string };

/** What is wrong with a table before its cells are read. */
export type TableProblem =
  | { code: "quote-missing" }
  | { code: "quote-not-doubled" }
  | { code: "too-many-rows"; most: number }
  | { code: "too-many-columns"; count: number; most: number }
  | { code: "no-heading" }
  | { code: "cells-past-heading"; cells: number; heading: number }
  | { code: "not-utf8" };

/** Why a line is no computer. */
export type LineProblem =
  | { code: "line-not-json"; told: string }
  /** `at`: the value's place in it; null for the line itself. */
  | { code: "line-unfit"; at: string | null; told: string; wanted: string[] }
  /** `isBare`: the line is facts alone. */
  | { code: "line-no-facts"; isBare: boolean; problem: FactsProblem };
