import type { RunSheetInput } from "@/core/callout/run-sheet";
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

/** What a run sheet is made from: for a page, for a call-out, and for the sheets that a medium carries. */
export function runSheetInput(
  {
    row,
    siteName,
    facts,
  }: { row: { tag: string; name: string | null } } & Pick<RunSheetInput["computer"], "siteName" | "facts">,
  medium: RunSheetInput["medium"],
  { as, starts, changes }: Pick<RunSheetInput, "as" | "starts" | "changes">,
  keyCard: RunSheetInput["keyCard"],
): RunSheetInput {
  return { computer: { tag: row.tag, name: row.name, siteName, facts }, medium, as, starts, changes, keyCard };
}
