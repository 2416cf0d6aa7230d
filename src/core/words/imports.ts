import type { LineProblem } from "../computer/exchange/faults";
import type { ImportFault, ImportProblem } from "../problems/problem";
import { factsProblemText } from "./collect";

const count = (value: number) => value.toLocaleString("en-GB");

/** What keeps a file from being imported, with its row and column: a sentence. */
export function importFaultText({ row, column, problem }: ImportFault): string {
  switch (problem.code) {
    case "told-in-words":
      return problem.text;
    case "too-many-rows":
      return `More than ${count(problem.most)} rows.`;
    case "too-many-columns":
      return `It has ${count(problem.count)} columns; more than ${problem.most} are not a table of computers.`;
    case "no-heading":
      return "Empty: not even a heading.";
    case "no-column-tells":
      return "No tag or serial column. Choose the column that identifies computers.";
    case "no-rows":
      return "A heading but no rows.";
    case "no-lines":
      return "No line with a computer.";
    case "cells-past-heading":
      return `Row ${row} has ${problem.cells} cells, the heading has ${problem.heading}: is a cell with a delimiter not quoted?`;
    case "not-utf8":
      return `Row ${row} holds bytes that are not UTF-8. Save the file as UTF-8, or choose the encoding it was saved in.`;
    case "line-not-json":
    case "line-unfit":
    case "line-no-facts":
      return `Line ${row}: ${lineProblemText(problem)}`;
    default: {
      const said = rowProblemText(problem);
      if (!isOfCell(problem)) return `Row ${row}: ${said}`;
      // The sentence may begin with the column's own name.
      return said.startsWith(`${column}:`) ? `Row ${row}, ${said}` : `Row ${row}, ${column}: ${said}`;
    }
  }
}

/** It says by itself what it is about. */
const isWhole = (told: string) => /^["“\p{Lu}][\s\S]*[.!?]$/u.test(told) && !/^It (is|has|fits|must) /.test(told);

/** A field as people read it: "Disks, key place" of "disks.0.keyPlace". */
function fieldName(field: string): string {
  const words = field
    .split(".")
    .filter((part) => !/^\d+$/.test(part))
    .join(", ")
    .replace(/Ids?\b/g, "")
    .replace(/([a-z])([A-Z])/g, "$1 $2")
    .toLowerCase();
  return words.charAt(0).toUpperCase() + words.slice(1);
}

/** What is wrong with entries, by field; what is about none of them has an empty name. */
export function fieldsText(fields: Record<string, string>): string {
  return Object.entries(fields)
    .map(([field, told]) => (field === "" || isWhole(told) ? told : `${fieldName(field)}: ${told}`))
    .join(" ");
}

/** Why a line is no computer: a sentence without its beginning. */
export function lineProblemText(problem: LineProblem): string {
  switch (problem.code) {
    case "line-not-json":
      return `it is not JSON (${problem.told}).`;
    case "line-unfit":
      return `${problem.at ?? "the line"}: ${problem.told}. A line is ${problem.wanted.join(" or ")}.`;
    case "line-no-facts":
      return `${problem.isBare ? "" : "facts: "}${factsProblemText(problem.problem)}.`;
  }
}

type WithoutPlace = Exclude<
  ImportProblem,
  | LineProblem
  | {
      code:
        | "told-in-words"
        | "too-many-rows"
        | "too-many-columns"
        | "no-heading"
        | "no-column-tells"
        | "no-rows"
        | "no-lines"
        | "cells-past-heading"
        | "not-utf8";
    }
>;

const OF_ROW = new Set<string>([
  "quote-missing",
  "quote-not-doubled",
  "serial-of-several",
  "serial-of-another",
  "tag-missing",
  "tag-twice",
  "serial-twice",
  "place-unknown",
  "not-taken",
] satisfies WithoutPlace["code"][]);

const isOfCell = ({ code }: WithoutPlace) => !OF_ROW.has(code);

function rowProblemText(problem: WithoutPlace): string {
  switch (problem.code) {
    case "quote-missing":
      return "a quoted cell begins here and never ends: a closing quote is missing.";
    case "quote-not-doubled":
      return "a quote stands inside a quoted cell: write it twice.";
    case "cell-too-long":
      return `${problem.title} has at most ${count(problem.most)} characters; this cell has ${count(problem.length)}.`;
    case "cell-with-zero-byte":
      return `${problem.title} holds a zero byte: the file is damaged or of another kind.`;
    case "cell-none-of":
      return `${problem.title}: “${problem.cell}” is none of ${problem.allowed.map((word) => `“${word}”`).join(", ")}.`;
    case "cell-no-size":
      return `${problem.title}: “${problem.cell}” is no size. Write it with its unit, such as “512 GB” or “16 GiB”, or in bytes.`;
    case "cell-no-count":
      return `${problem.title}: “${problem.cell}” is no whole number between 0 and ${problem.most}.`;
    case "cell-no-retirement":
      return `${problem.title}: “${problem.cell}” is neither “no” nor a date such as 2026-03-01.`;
    case "cell-no-facts":
      return `The column “facts” is no facts file: ${factsProblemText(problem.problem)}.`;
    case "provenance-unfit":
      return "The column “provenance” does not hold what Creel writes there.";
    case "provenance-not-json":
      return "The column “provenance” is not JSON.";
    case "disk-without-size":
      return `Disk ${problem.disk} has no size.`;
    case "system-without-name":
      return "A system has a version but no name.";
    case "facts-unfit":
      return `${problem.at}: ${problem.told}.`;
    case "serial-of-several":
      return `the serial ${problem.serial} is recorded for ${problem.count} computers; a tag must say which.`;
    case "serial-of-another":
      return `the serial ${problem.serial} is recorded for ${problem.other}. Is ${problem.tag} the same computer under a new tag? Change its tag first.`;
    case "tag-missing":
      return "it has no tag, and its serial is not recorded: a new computer needs a tag.";
    case "tag-twice":
      return `the tag ${problem.tag} is in row ${problem.row} already.`;
    case "serial-twice":
      return `the serial ${problem.serial} is in row ${problem.row} already.`;
    case "place-unknown":
      return `site “${problem.place}” not recorded. Add it first, or choose to add the table's sites.`;
    case "not-taken":
      return fieldsText(problem.fields);
  }
}
