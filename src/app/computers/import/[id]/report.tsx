import { affectedText } from "@/core/words/facts";
import { importFaultText } from "@/core/words/imports";
import { visible } from "@/core/words/visible";
import type { ImportReport } from "@/server/exchange/options";
import { factDifferences } from "@/ui/fact-differences";
import { plural } from "@/ui/words";

const ACTION_TEXT = { add: "new", change: "changed", same: "unchanged" };
const DIFFERENCES_SHOWN = 12;

/** What a row would change, fact by fact. Places come by name here. */
function differencesOf(changes: ImportReport["preview"][number]["changes"]) {
  const side = (key: "before" | "after") => Object.fromEntries(changes.map((change) => [change.field, change[key]]));
  return factDifferences(side("before"), side("after"), String).filter(({ title }) => title !== "Tag");
}

/** What a check or an import found: counts, faults, what it touches, the first rows as they will be. */
export function Report({ report }: { report: ImportReport }) {
  return (
    <section className="mt-5 max-w-5xl">
      <p className="text-lg">
        {report.faultsTotal > 0
          ? `${plural(report.faultsTotal, "fault")}: as long as one is there, nothing is imported.`
          : `${plural(report.rows, "row")}: ${report.added.toLocaleString("en-GB")} new, ${report.changed.toLocaleString("en-GB")} changed, ${report.same.toLocaleString("en-GB")} unchanged.`}
      </p>
      {report.keptByHand > 0 && (
        <p>
          {plural(report.keptByHand, "fact")} set by hand differ{report.keptByHand === 1 ? "s" : ""} from the table and{" "}
          {report.keptByHand === 1 ? "is" : "are"} kept.
        </p>
      )}
      {report.newSites.length > 0 && (
        <p>
          {plural(report.newSites.length, "new site")}: {report.newSites.slice(0, 10).join(", ")}
          {report.newSites.length > 10 && " and others"}.
        </p>
      )}
      {report.touched.length > 0 && (
        <div className="mt-2 border-rope border-l-4 bg-rope-soft px-3 py-2">
          <h2>Effects</h2>
          <ul>
            {report.touched.map(({ affected, count, tags }) => (
              <li key={affected.code}>
                <span className="code font-bold">{tags[0]}</span>
                {count > 1 && ` and ${plural(count - 1, "other")} alike`}: {affectedText(affected)}
              </li>
            ))}
          </ul>
        </div>
      )}
      {report.faults.length > 0 && (
        <ul className="mt-2 max-h-80 overflow-y-auto border-plum border-l-4 bg-plum-soft px-3 py-2">
          {report.faults.map((fault, index) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: made anew with every check
            <li key={index}>{visible(importFaultText(fault), 300)}</li>
          ))}
          {report.faultsTotal > report.faults.length && (
            <li className="font-semibold">and {plural(report.faultsTotal - report.faults.length, "more fault")}</li>
          )}
        </ul>
      )}
      {report.preview.length > 0 && (
        <>
          <h2 className="mt-4">First rows afterwards</h2>
          <ul className="mt-1 divide-y divide-line border-line border-y">
            {report.preview.map(({ row, tag, action, changes }) => (
              <li
                key={row}
                className="grid grid-cols-[4rem_7rem_5rem_minmax(0,1fr)] max-sm:grid-cols-[4rem_minmax(0,1fr)] gap-x-3 py-1"
              >
                <span className="caption">row {row}</span>
                <span className="code font-bold">{tag}</span>
                <span className="text-quiet">{ACTION_TEXT[action]}</span>
                <span className="min-w-0 break-words">
                  {differencesOf(changes)
                    .slice(0, DIFFERENCES_SHOWN)
                    .map(({ title, before, after }) => (
                      <span key={title} className="mr-4 inline-block">
                        <span className="caption">{title}</span> {action === "change" && <>{before} → </>}
                        {after}
                      </span>
                    ))}
                  {changes.length > DIFFERENCES_SHOWN && <span className="caption">and more</span>}
                </span>
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}
