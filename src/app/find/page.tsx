import type { Metadata } from "next";
import Link from "next/link";
import { redirect } from "next/navigation";
import { servesText, standingText } from "@/core/words/routes";
import { listComputers } from "@/server/computers/computer-list";
import { listMedia } from "@/server/media/media";
import { plural } from "@/ui/words";
import { currentContext } from "../_lib/context";
import { one, type SearchParams } from "../_lib/params";

export const metadata: Metadata = { title: "Find" };

/** What the one field found: straight to the thing where there is only one, or one whose tag it is. */
export default async function Find({ searchParams }: { searchParams: SearchParams }) {
  const text = (one((await searchParams).q) ?? "").trim().slice(0, 200);
  const context = await currentContext();
  const [computers, media] = text
    ? await Promise.all([listComputers(context, { text }), listMedia(context, { text })])
    : [
        { items: [], total: 0 },
        { items: [], total: 0 },
      ];
  const same = (tag: string) => tag.toLowerCase() === text.toLowerCase();
  const medium =
    media.items.find((item) => same(item.tag)) ??
    (computers.total === 0 && media.total === 1 ? media.items[0] : undefined);
  const computer =
    computers.items.find((item) => same(item.tag)) ??
    (computers.total === 1 && media.total === 0 ? computers.items[0] : undefined);
  if (computer) redirect(`/computers/${encodeURIComponent(computer.tag)}`);
  if (medium) redirect(`/media/${encodeURIComponent(medium.tag)}`);
  return (
    <div className="max-w-2xl">
      <h1>
        {computers.total + media.total === 0
          ? `No match for “${text}”.`
          : `${plural(computers.total, "computer")} and ${plural(media.total, "medium", "media")} for “${text}”`}
      </h1>
      {computers.total + media.total === 0 && (
        <p className="mt-2">
          Searched: tags, names, serials, makes and models in service.{" "}
          <Link prefetch={false} className="link" href="/computers/new">
            Add a computer
          </Link>{" "}
          or{" "}
          <Link prefetch={false} className="link" href="/media/new">
            register a medium
          </Link>
          .
        </p>
      )}
      <ul data-list className="mt-3 divide-y divide-line">
        {computers.items.map((item) => (
          <li key={item.tag} className="py-1.5">
            <Link prefetch={false} data-item href={`/computers/${encodeURIComponent(item.tag)}`}>
              <span className="code font-bold">{item.tag}</span> {item.name}
            </Link>{" "}
            <span className="caption">
              {[item.siteName, item.cover && standingText(item.cover.verdict)].filter(Boolean).join(" · ")}
            </span>
          </li>
        ))}
        {media.items.map((item) => (
          <li key={item.tag} className="py-1.5">
            <Link prefetch={false} data-item href={`/media/${encodeURIComponent(item.tag)}`}>
              <span className="code font-bold">{item.tag}</span> {item.name}
            </Link>{" "}
            <span className="caption">{[item.siteName, servesText(item.computers)].filter(Boolean).join(" · ")}</span>
          </li>
        ))}
      </ul>
    </div>
  );
}
