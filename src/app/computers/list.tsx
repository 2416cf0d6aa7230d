import Link from "next/link";
import type { Context } from "@/server/context";
import { listComputers, PAGE_ROWS } from "@/server/services/computers";
import { listSites } from "@/server/services/places";
import { ChainLink } from "@/ui/chain";
import { FilterForm } from "@/ui/filter-form";
import { Pages } from "@/ui/pages";
import { RecordList } from "@/ui/record-list";
import { coverText, firmwareText, plural } from "@/ui/words";
import { type ListState, listQuery } from "../_lib/params";

function mediaText(count: number): string {
  return count === 0 ? "" : plural(count, "medium", "media");
}

export async function ComputerList({
  context,
  state,
  chosen,
}: {
  context: Context;
  state: ListState;
  chosen?: string;
}) {
  const [{ items, total }, sites] = await Promise.all([listComputers(context, state), listSites(context)]);
  const query = listQuery(state);
  return (
    <>
      <div className="mb-3 flex items-baseline justify-between gap-3">
        <h2>{state.retired ? plural(total, "retired computer") : plural(total, "computer")}</h2>
        <Link prefetch={false} className="link" href="/computers/new">
          Add a computer
        </Link>
      </div>
      <FilterForm
        key={query}
        path="/computers"
        text={state.text}
        textLabel="Tag, name, serial, model"
        selects={[
          {
            name: "site",
            label: "Place",
            value: state.siteId?.toString(),
            choices: sites.map((site) => ({ value: String(site.id), text: site.name })),
          },
          {
            name: "best",
            label: "Starts",
            value: state.best,
            choices: (["holds", "holds-after-change", "unknown", "broken", "none"] as const).map((best) => ({
              value: best,
              text: coverText(best),
            })),
          },
          {
            name: "retired",
            label: "In service",
            all: "in service",
            value: state.retired ? "1" : undefined,
            choices: [{ value: "1", text: "retired only" }],
          },
        ]}
      />
      {items.length === 0 ? (
        <p className="mt-4 text-quiet">
          {state.text || state.siteId || state.best || state.retired ? (
            <>
              No computer fits this.{" "}
              <Link prefetch={false} className="link" href="/computers">
                Show all
              </Link>
            </>
          ) : (
            "No computer is recorded yet. Drop a facts file, or type the few facts that matter."
          )}
        </p>
      ) : (
        <RecordList
          chosen={chosen}
          items={items.map((item) => ({
            tag: item.tag,
            name: item.name,
            href: `/computers/${encodeURIComponent(item.tag)}${query}`,
            mark: <ChainLink verdict={item.cover.best ?? "unknown"} label={coverText(item.cover.best ?? "none")} />,
            caption: [
              item.siteName,
              firmwareText({ kind: item.firmwareKind, arch: item.firmwareArch, legacyMode: item.legacyMode }),
            ]
              .filter(Boolean)
              .join(" · "),
            aside: mediaText(item.cover.counts.holds + item.cover.counts["holds-after-change"]),
          }))}
        />
      )}
      <Pages
        page={state.page}
        total={total}
        rows={PAGE_ROWS}
        href={(page) => `/computers${chosen ? `/${encodeURIComponent(chosen)}` : ""}${listQuery({ ...state, page })}`}
      />
    </>
  );
}
