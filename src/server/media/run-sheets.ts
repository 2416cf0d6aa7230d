import { givesOf } from "@/core/callout/gives";
import type { Gives, RunSheetInput } from "@/core/callout/run-sheet";
import type { Facts } from "@/core/computer/facts/schema";
import { phasedChanges } from "@/core/judging/routes/phases";
import type { Route } from "@/core/judging/routes/routes";
import type { MediumDetail } from "./media";

/** A medium as a run sheet names it; of one that is not kept any more its tag alone is told. */
export function sheetMedium(tag: string, medium: MediumDetail | null): RunSheetInput["medium"] {
  return {
    tag,
    name: medium?.row.name ?? null,
    kind: medium?.row.kind ?? "usb",
    siteName: medium?.siteName ?? null,
    lentTo: medium?.row.lentTo ?? null,
    loads: medium?.loads.map(({ kitName, releaseName }) => `${kitName} ${releaseName}`) ?? [],
  };
}

/** How a route is put on a sheet: with all its changes, and what it gives back. */
export function sheetOfRoute(
  computer: { tag: string; facts: Facts },
  route: Route,
  today: string,
  times: Gives["times"] = null,
): Pick<RunSheetInput, "as" | "starts" | "changes" | "gives"> {
  const { as, links } = route;
  return { as, starts: links.starts, changes: phasedChanges(route), gives: givesOf(computer, route, { today, times }) };
}

/** What a run sheet is made from: for a page, for a call-out, and for the sheets that a medium carries. */
export function runSheetInput(
  {
    row,
    siteName,
    facts,
  }: { row: { tag: string; name: string | null } } & Pick<RunSheetInput["computer"], "siteName" | "facts">,
  medium: RunSheetInput["medium"],
  { as, starts, changes, gives }: Pick<RunSheetInput, "as" | "starts" | "changes" | "gives">,
  keyCard: RunSheetInput["keyCard"],
): RunSheetInput {
  return { computer: { tag: row.tag, name: row.name, siteName, facts }, medium, as, starts, changes, gives, keyCard };
}
