import Link from "next/link";
import type { LoanItem } from "@/server/media/loans";
import { dateText } from "@/ui/words";

/** Who has what, since when; those overdue say so. */
export function LoanList({ loans }: { loans: LoanItem[] }) {
  return (
    <ul className="mt-1 divide-y divide-line border-line border-y">
      {loans.map(({ tag, name, to, since, dueOn, isOverdue }) => (
        <li
          key={tag}
          className="grid grid-cols-[7rem_minmax(0,1fr)_minmax(0,18rem)] max-sm:grid-cols-[7rem_minmax(0,1fr)] items-baseline gap-x-3 py-1.5"
        >
          <Link prefetch={false} className="code font-bold" href={`/media/${encodeURIComponent(tag)}`}>
            {tag}
          </Link>
          <span>
            {name} <span className="text-quiet">with {to}</span>
          </span>
          <span className={isOverdue ? "font-semibold text-plum" : "text-quiet"}>
            {since ? `since ${dateText(since)}` : "start not recorded"}
            {dueOn && (isOverdue ? `, overdue since ${dateText(dueOn)}` : `, until ${dateText(dueOn)}`)}
          </span>
        </li>
      ))}
    </ul>
  );
}
