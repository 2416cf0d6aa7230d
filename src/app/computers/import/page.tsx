import type { Metadata } from "next";
import Link from "next/link";
import { listImports } from "@/server/exchange/imports";
import { plural, zonedTimeText } from "@/ui/words";
import { currentContext } from "../../_lib/context";
import { ComputersNav } from "../nav";
import { IMPORT_STATE_TEXT } from "./states";
import { Upload } from "./upload";

export const metadata: Metadata = { title: "Import and export" };

export default async function Import() {
  const recent = await listImports(await currentContext());
  return (
    <>
      <ComputersNav here="/computers/import" />
      <div className="grid gap-8 xl:grid-cols-[minmax(0,1fr)_20rem]">
        <section>
          <h1>Import a table of computers</h1>
          <p className="mt-1 mb-4 max-w-3xl text-quiet">
            CSV with any delimiter, as spreadsheets write it, or JSON lines. You see the columns and the resulting rows
            before anything is written. One faulty row stops the whole import.
          </p>
          <Upload />
          {recent.length > 0 && (
            <>
              <h2 className="mt-6">Earlier</h2>
              <ul className="mt-1 max-w-3xl divide-y divide-line border-line border-y">
                {recent.map((each) => (
                  <li key={each.id} className="grid grid-cols-[minmax(0,1fr)_auto] gap-x-4 py-1">
                    <Link prefetch={false} className="link truncate" href={`/computers/import/${each.id}`}>
                      {each.fileName}
                    </Link>
                    <span className="caption">{zonedTimeText(each.updatedAt)}</span>
                    <span className="caption col-span-2">
                      {IMPORT_STATE_TEXT[each.state]}
                      {each.total > 0 && `, ${plural(each.total, "row")}`}
                    </span>
                  </li>
                ))}
              </ul>
            </>
          )}
        </section>
        <aside>
          <h2>Export</h2>
          <p className="mt-1 text-quiet">
            All computers with all their facts. The file imports to the same state, here or into an empty Creel. The
            list can be exported as it is filtered, too.
          </p>
          <p className="mt-3 flex flex-col items-start gap-2">
            <a className="act" href="/computers/export?form=csv&all=1">
              CSV of all computers
            </a>
            <a className="act" href="/computers/export?form=jsonl&all=1">
              JSON lines of all computers
            </a>
          </p>
        </aside>
      </div>
    </>
  );
}
