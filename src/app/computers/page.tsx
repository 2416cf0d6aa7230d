import type { Metadata } from "next";
import Link from "next/link";
import { MISSING, missingBit } from "@/core/computer/facts/missing";
import { missingText } from "@/core/words/facts";
import { binaryText, bytesText } from "@/core/words/sizes";
import { latestBatches } from "@/server/computers/bulk";
import { type ComputerListItem, filterChoices, listComputers, PAGE_ROWS } from "@/server/computers/computer-list";
import { listViews } from "@/server/computers/saved-views";
import { listSites } from "@/server/inventory/sites";
import { ChainLegend, CoverChain } from "@/ui/chain";
import { Pages } from "@/ui/pages";
import { dateText, firmwareText, formText, plural } from "@/ui/words";
import { currentContext } from "../_lib/context";
import type { SearchParams } from "../_lib/params";
import { COLUMN_SORTS, COLUMN_TITLES, type ColumnKey } from "./columns";
import { ColumnsChoice } from "./columns-choice";
import { ComputerFilters } from "./filters";
import { ComputersNav } from "./nav";
import { type ComputersState, computersQuery, computersState, isNarrowed } from "./state";
import { ComputerTable, type TableHead } from "./table";
import { UndoLine } from "./undo-line";
import { Views } from "./views";

export const metadata: Metadata = { title: "Computers" };

const NUMERIC: ColumnKey[] = ["memory", "disk", "missing"];
const RECENT_MS = 86_400_000;

export default async function Computers({ searchParams }: { searchParams: SearchParams }) {
  const [context, state] = await Promise.all([currentContext(), computersState(searchParams)]);
  const { filter, sort, descending, page, columns } = state;
  const [{ items, total }, sites, choices, views, batches] = await Promise.all([
    listComputers(context, { ...filter, sort, descending, page }),
    listSites(context),
    filterChoices(context),
    listViews(context),
    latestBatches(context, 1),
  ]);
  const query = computersQuery({ ...state, page: 1 });
  const [batch] = batches;
  if (total === 0 && !isNarrowed(filter))
    return (
      <>
        <ComputersNav here="/computers" />
        <h1>No computer yet</h1>
        <Empty narrowed={false} />
      </>
    );
  return (
    <>
      <ComputersNav here="/computers" />
      <div className="mb-3 flex flex-wrap items-center justify-between gap-3">
        <h1>{filter.retired ? plural(total, "retired computer") : plural(total, "computer")}</h1>
        <div className="flex flex-wrap gap-2">
          <a className="act" href={`/computers/export${computersQuery({ filter }) || "?"}&form=csv`.replace("?&", "?")}>
            Export these
          </a>
          <ColumnsChoice columns={columns} path="/computers" query={computersQuery(state)} />
          <Link prefetch={false} className="act" href="/computers/new">
            Add a computer
          </Link>
        </div>
      </div>
      <ComputerFilters state={state} choices={choices} sites={sites} />
      <div className="mt-2">
        <Views views={views} query={query} />
      </div>
      <UndoLine batch={batch && Date.now() - batch.at.getTime() < RECENT_MS ? batch : null} />
      {items.length === 0 ? (
        <Empty narrowed={isNarrowed(filter)} />
      ) : (
        <>
          <div className="mt-3">
            <ChainLegend />
          </div>
          <ComputerTable
            key={query}
            head={headOf(state)}
            rows={items.map((item) => ({
              id: item.id,
              tag: item.tag,
              href: `/computers/${encodeURIComponent(item.tag)}${computersQuery(state)}`,
              cells: columns.map((key) => ({ key, ...cellOf(item, key) })),
            }))}
            total={total}
            filter={filter}
            sites={sites.map(({ id, name }) => ({ id, name }))}
          />
        </>
      )}
      <Pages
        page={page}
        total={total}
        rows={PAGE_ROWS}
        href={(wanted) => `/computers${computersQuery({ ...state, page: wanted })}`}
      />
    </>
  );
}

function Empty({ narrowed }: { narrowed: boolean }) {
  return (
    <p className="mt-6 max-w-xl text-quiet">
      {narrowed ? (
        <>
          No computer matches.{" "}
          <Link prefetch={false} className="link" href="/computers">
            Show all
          </Link>
        </>
      ) : (
        <>
          No computer is recorded yet.{" "}
          <Link prefetch={false} className="link" href="/computers/facts">
            Import facts of one
          </Link>
          ,{" "}
          <Link prefetch={false} className="link" href="/computers/import">
            import a table of many
          </Link>
          , or{" "}
          <Link prefetch={false} className="link" href="/computers/new">
            enter the few facts that matter
          </Link>
          .
        </>
      )}
    </p>
  );
}

function headOf(state: ComputersState): TableHead[] {
  const head = (key: TableHead["key"], title: string, by: ComputersState["sort"] | null): TableHead => {
    const here = by !== null && state.sort === by;
    return {
      key,
      title,
      href:
        by &&
        `/computers${computersQuery({ ...state, page: 1, sort: by, descending: here ? !state.descending : false })}`,
      sorted: here ? (state.descending ? "down" : "up") : null,
      numeric: NUMERIC.includes(key as ColumnKey),
    };
  };
  return [head("tag", "Tag", "tag"), ...state.columns.map((key) => head(key, COLUMN_TITLES[key], COLUMN_SORTS[key]))];
}

const unknown = <span className="text-quiet">–</span>;

function cellOf(item: ComputerListItem, key: ColumnKey): { content: React.ReactNode; title?: string } {
  const text = (value: string | null) => ({ content: value ?? unknown, ...(value ? { title: value } : {}) });
  switch (key) {
    case "name":
      return text(item.name);
    case "site":
      return text(item.siteName);
    case "chain":
      return { content: item.cover ? <CoverChain cover={item.cover} /> : unknown };
    case "firmware":
      return {
        content:
          item.firmwareKind === null
            ? unknown
            : [
                item.firmwareKind === "bios" ? "BIOS" : "UEFI",
                item.firmwareArch,
                item.legacyMode === "on" && "legacy mode",
              ]
                .filter(Boolean)
                .join(" · "),
        title: firmwareText({ kind: item.firmwareKind, arch: item.firmwareArch, legacyMode: item.legacyMode }),
      };
    case "secureBoot":
      return text(
        item.firmwareKind === "bios" ? "does not apply" : item.secureBoot === "setup" ? "setup mode" : item.secureBoot,
      );
    case "system":
      return text([item.systemName, item.systemVersion].filter(Boolean).join(" ") || null);
    case "make":
      return text(item.make);
    case "model":
      return text(item.model);
    case "serial":
      return item.serial ? { content: <span className="code">{item.serial}</span>, title: item.serial } : text(null);
    case "form":
      return text(item.form && formText(item.form));
    case "firmwareVersion":
      return text(item.firmwareVersion);
    case "memory":
      return text(item.memoryBytes === null ? null : binaryText(item.memoryBytes));
    case "disk":
      return text(item.diskBytes === null ? null : bytesText(item.diskBytes));
    case "missing": {
      const missing = MISSING.filter((fact) => (item.missing & missingBit(fact)) !== 0);
      return missing.length === 0
        ? { content: <span className="text-quiet">–</span>, title: "No deciding fact is missing." }
        : { content: missing.length, title: `Missing: ${missing.map(missingText).join(", ")}` };
    }
    case "factsAt":
      return text(item.factsAt && dateText(item.factsAt));
  }
}
