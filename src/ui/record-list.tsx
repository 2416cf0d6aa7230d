import clsx from "clsx";
import Link from "next/link";
import type { ReactNode } from "react";

export interface RecordItem {
  tag: string;
  name: string | null;
  href: string;
  /** Beside the tag, and under it: words, glyphs, counts. */
  mark: ReactNode;
  caption: string;
  aside: string;
}

/** The master list of a station: two lines a thing, moved along with the arrow keys. */
export function RecordList({ items, chosen }: { items: RecordItem[]; chosen: string | undefined }) {
  return (
    <ul data-list className="mt-3 divide-y divide-line border-line border-y">
      {items.map((item) => (
        <li key={item.tag}>
          <Link
            data-item
            prefetch={false}
            aria-current={item.tag === chosen ? "true" : undefined}
            href={item.href}
            className={clsx(
              "grid grid-cols-[1fr_auto] gap-x-3 px-2 py-1.5 no-underline hover:bg-sunk",
              item.tag === chosen && "bg-rope-soft",
            )}
          >
            <span className="truncate">
              <span className="code font-bold">{item.tag}</span> {item.name}
            </span>
            <span className="justify-self-end tabular-nums">{item.mark}</span>
            <span className="caption truncate">{item.caption}</span>
            <span className="caption text-right tabular-nums">{item.aside}</span>
          </Link>
        </li>
      ))}
    </ul>
  );
}
