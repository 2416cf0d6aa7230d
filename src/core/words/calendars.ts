import type { CalendarProblem } from "../computer/calendars/calendar";
import { visible } from "./visible";

/** What is wrong with a release calendar's file. */
export function calendarProblemText(problem: CalendarProblem): string {
  switch (problem.code) {
    case "columns-lacking":
      return `No column ${problem.lacking.map((name) => `“${name}”`).join(", ")}. A calendar begins with the line “${problem.needed.join(",")}”, further columns “eol-…” may follow.`;
    case "too-many-releases":
      return `More than ${problem.most} releases.`;
    case "no-date":
      return `Line ${problem.line}, ${problem.column}: “${visible(problem.text, 60)}” is no date such as 2028-06-30.`;
    case "series-lacking":
      return `Line ${problem.line}: a release needs its series (the third column).`;
    case "series-twice":
      return `Line ${problem.line}: the series “${visible(problem.series, 60)}” is on line ${problem.before} already.`;
    case "no-release":
      return "It has no release.";
  }
}
