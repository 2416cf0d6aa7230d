import Link from "next/link";
import { servesText } from "@/core/words/routes";
import { PAGE_ROWS } from "@/server/computers/computer-list";
import type { Context } from "@/server/context";
import { listSites } from "@/server/inventory/sites";
import { listMedia } from "@/server/media/media";
import { FilterForm } from "@/ui/filter-form";
import { Pages } from "@/ui/pages";
import { RecordList } from "@/ui/record-list";
import { mediumKindText, plural } from "@/ui/words";
import { type ListState, listQuery } from "../_lib/params";

export async function MediumList({ context, state, chosen }: { context: Context; state: ListState; chosen?: string }) {
  const [{ items, total }, sites] = await Promise.all([listMedia(context, state), listSites(context)]);
  const query = listQuery(state);
  return (
    <>
      <div className="mb-3 flex items-baseline justify-between gap-3">
        <h2>{state.retired ? plural(total, "retired medium", "retired media") : plural(total, "medium", "media")}</h2>
        <Link prefetch={false} className="link" href="/media/new">
          Register a medium
        </Link>
      </div>
      <FilterForm
        key={query}
        path="/media"
        text={state.text}
        textLabel="Tag or name"
        selects={[
          {
            name: "site",
            label: "Site",
            value: state.siteId?.toString(),
            choices: sites.map((site) => ({ value: String(site.id), text: site.name })),
          },
          {
            name: "retired",
            label: "In use",
            all: "in use",
            value: state.retired ? "1" : undefined,
            choices: [{ value: "1", text: "retired only" }],
          },
        ]}
      />
      {items.length === 0 ? (
        <p className="mt-4 text-quiet">
          {state.text || state.siteId || state.retired ? (
            <>
              No medium matches.{" "}
              <Link prefetch={false} className="link" href="/media">
                Show all
              </Link>
            </>
          ) : (
            "No medium yet. Register one by dropping its file: an ISO or a raw image of a stick."
          )}
        </p>
      ) : (
        <RecordList
          chosen={chosen}
          items={items.map((item) => ({
            tag: item.tag,
            name: item.name,
            href: `/media/${encodeURIComponent(item.tag)}${query}`,
            mark: item.isRead ? servesText(item.computers) : <span className="text-quiet">not read</span>,
            caption: [
              mediumKindText(item.kind),
              item.lentTo ? `with ${item.lentTo}` : item.siteName,
              ...item.loads.map((load) => `${load.kitName} ${load.releaseName}`),
            ]
              .filter(Boolean)
              .join(" · "),
            aside: "",
          }))}
        />
      )}
      <Pages
        page={state.page}
        total={total}
        rows={PAGE_ROWS}
        href={(page) => `/media${chosen ? `/${encodeURIComponent(chosen)}` : ""}${listQuery({ ...state, page })}`}
      />
    </>
  );
}
