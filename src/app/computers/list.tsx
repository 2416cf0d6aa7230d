import Link from "next/link";
import { listComputers, PAGE_ROWS } from "@/server/computers/computer-list";
import type { Context } from "@/server/context";
import { listSites } from "@/server/inventory/sites";
import { CoverChain } from "@/ui/chain";
import { Pages } from "@/ui/pages";
import { RecordList } from "@/ui/record-list";
import { firmwareText, plural } from "@/ui/words";
import { ComputerFilters } from "./filters";
import { type ComputersState, computersQuery, isNarrowed } from "./state";

/** The narrow list beside a chosen computer: the same computers as the table's, by the same address. */
export async function ComputerList({
  context,
  state,
  chosen,
  show,
}: {
  context: Context;
  state: ComputersState;
  chosen: string;
  /** The view of the chosen computer: going along the list stays on it. */
  show: string | null;
}) {
  const { filter, sort, descending, page } = state;
  const [{ items, total }, sites] = await Promise.all([
    listComputers(context, { ...filter, sort, descending, page }),
    listSites(context),
  ]);
  return (
    <>
      <div className="mb-3 flex items-baseline justify-between gap-3">
        <h2>{filter.retired ? plural(total, "retired computer") : plural(total, "computer")}</h2>
        <Link prefetch={false} className="link" href={`/computers${computersQuery(state)}`}>
          As a table
        </Link>
      </div>
      <ComputerFilters state={state} choices={null} sites={sites} path={addressOf(chosen)} show={show} narrow />
      {items.length === 0 ? (
        <p className="mt-4 text-quiet">
          No computer matches.{" "}
          {isNarrowed(filter) && (
            <Link prefetch={false} className="link" href={`${addressOf(chosen)}${withShow("", show)}`}>
              Show all
            </Link>
          )}
        </p>
      ) : (
        <RecordList
          chosen={chosen}
          items={items.map((item) => ({
            tag: item.tag,
            name: item.name,
            href: `${addressOf(item.tag)}${withShow(computersQuery(state), show)}`,
            mark: item.cover && <CoverChain cover={item.cover} withCount={false} />,
            caption: [
              item.siteName,
              firmwareText({ kind: item.firmwareKind, arch: item.firmwareArch, legacyMode: item.legacyMode }),
            ]
              .filter(Boolean)
              .join(" · "),
            aside: mediaText(item.cover?.ways ?? 0),
          }))}
        />
      )}
      <Pages
        page={page}
        total={total}
        rows={PAGE_ROWS}
        href={(wanted) => `${addressOf(chosen)}${withShow(computersQuery({ ...state, page: wanted }), show)}`}
      />
    </>
  );
}

function addressOf(tag: string): string {
  return `/computers/${encodeURIComponent(tag)}`;
}

function withShow(query: string, show: string | null): string {
  if (!show) return query;
  return `${query || "?"}${query ? "&" : ""}show=${show}`;
}

function mediaText(count: number): string {
  return count === 0 ? "" : plural(count, "medium", "media");
}
