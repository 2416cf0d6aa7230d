import type { Metadata } from "next";
import Link from "next/link";
import { IMAGES_PAGE, type ImageItem, listImages } from "@/server/images/images";
import { Pages } from "@/ui/pages";
import { Size } from "@/ui/size";
import { dateText } from "@/ui/words";
import { currentContext } from "../_lib/context";
import { one, positive, type SearchParams } from "../_lib/params";
import { LineageWord } from "./lineage-word";
import { ImagesNav } from "./nav";

export const metadata: Metadata = { title: "Images" };

export default async function Images({ searchParams }: { searchParams: SearchParams }) {
  const [context, query] = await Promise.all([currentContext(), searchParams]);
  const text = one(query.q)?.slice(0, 200) ?? "";
  const page = positive(query.page) ?? 1;
  const { items, total } = await listImages(context, { text }, page);
  const groups = new Map<string, ImageItem[]>();
  for (const item of items) groups.set(item.computer, [...(groups.get(item.computer) ?? []), item]);
  return (
    <>
      <ImagesNav here="/images" />
      <div className="flex flex-wrap items-baseline justify-between gap-x-4 gap-y-2">
        <h1>Images</h1>
        <span className="flex gap-2">
          <Link prefetch={false} className="act" href="/images/take">
            Prepare an image
          </Link>
          <Link prefetch={false} className="act" href="/images/new">
            Register image
          </Link>
        </span>
      </div>
      <form className="mt-2 flex max-w-xl gap-2" action="/images">
        <input
          className="field"
          name="q"
          defaultValue={text}
          aria-label="Name or computer"
          placeholder="Name or computer"
          autoComplete="off"
        />
        <button type="submit" className="act">
          Find
        </button>
      </form>
      {total === 0 && (
        <p className="mt-4 max-w-2xl">
          {text
            ? `No image's name or computer has “${text}” in it.`
            : "No image recorded. Register image by hand, or scan a store: Creel groups, reads and registers what is there."}
        </p>
      )}
      <div className="mt-3 space-y-4">
        {[...groups].map(([computer, own]) => (
          <section key={computer}>
            <h2>
              <Link prefetch={false} className="code" href={`/computers/${encodeURIComponent(computer)}`}>
                {computer}
              </Link>
            </h2>
            <ul data-list className="divide-y divide-line border-line border-y">
              {own.map((item) => (
                <li
                  key={item.id}
                  className="grid grid-cols-[7rem_minmax(0,1fr)] items-baseline gap-x-3 py-1.5 max-sm:[&>*:nth-child(n+3)]:col-start-2 sm:grid-cols-[7rem_minmax(0,1fr)_6rem_6rem_minmax(0,14rem)]"
                >
                  <span>{dateText(item.takenAt)}</span>
                  <Link prefetch={false} data-item className="link min-w-0" href={`/images/${item.id}`}>
                    {item.name}
                  </Link>
                  <span className="text-quiet">{item.body.kind}</span>
                  <span>{item.body.storedBytes != null && <Size bytes={item.body.storedBytes} />}</span>
                  <LineageWord lineage={item.lineage} name={item.name} />
                </li>
              ))}
            </ul>
          </section>
        ))}
      </div>
      <Pages
        page={page}
        total={total}
        rows={IMAGES_PAGE}
        href={(to) => `/images?${new URLSearchParams({ q: text, page: String(to) })}`}
      />
    </>
  );
}
