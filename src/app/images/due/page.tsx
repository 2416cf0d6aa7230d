import type { Metadata } from "next";
import Link from "next/link";
import { imageDueText } from "@/core/words/images";
import { listDue } from "@/server/images/image-due";
import { changesAhead } from "@/server/inventory/noted-changes";
import { dateText, plural } from "@/ui/words";
import { currentContext } from "../../_lib/context";
import { one, type SearchParams } from "../../_lib/params";
import { ImagesNav } from "../nav";
import { Changes } from "./changes";

export const metadata: Metadata = { title: "Images due" };

export default async function Due({ searchParams }: { searchParams: SearchParams }) {
  const context = await currentContext();
  const [{ items, total, mostDays }, ahead] = await Promise.all([listDue(context), changesAhead(context)]);
  return (
    <>
      <ImagesNav here="/images/due" />
      <h1>Images due</h1>
      <p className="text-quiet">
        {total === 0
          ? `Every computer in service has a verified image of the last ${mostDays} days, and has not changed since.`
          : `${plural(total, "computer")} in service: without a usable image, with one older than ${mostDays} days, changed since, or changing within the week.`}{" "}
        <a className="link" href="#changes">
          {ahead.length === 0 ? "Add a planned change" : `${plural(ahead.length, "change")} ahead`}
        </a>
      </p>
      <ul data-list className="mt-3 divide-y divide-line border-line border-y">
        {items.map(({ computer, name, last, reasons }) => (
          <li
            key={computer}
            className="grid grid-cols-[7rem_minmax(0,1fr)_9rem_auto] max-sm:grid-cols-[7rem_minmax(0,1fr)] items-baseline gap-x-3 py-1.5"
          >
            <Link
              prefetch={false}
              data-item
              className="code font-bold"
              href={`/computers/${encodeURIComponent(computer)}`}
            >
              {computer}
            </Link>
            <span>
              {name} <span className="text-quiet">{reasons.map(imageDueText).join(" ")}</span>
            </span>
            <span className="text-quiet">{last ? dateText(last) : "none"}</span>
            <Link prefetch={false} className="link" href={`/images/take?computer=${encodeURIComponent(computer)}`}>
              Take image
            </Link>
          </li>
        ))}
      </ul>
      {total > items.length && <p className="caption">and {(total - items.length).toLocaleString("en-GB")} more</p>}
      <Changes ahead={ahead} computer={one((await searchParams).computer) ?? ""} />
    </>
  );
}
