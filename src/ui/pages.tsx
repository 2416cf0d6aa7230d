import Link from "next/link";

/** Which part of a long list is shown, with ways to the next and the one before. */
export function Pages({
  page,
  total,
  rows,
  href,
}: {
  page: number;
  total: number;
  rows: number;
  href: (page: number) => string;
}) {
  const last = Math.max(1, Math.ceil(total / rows));
  if (last === 1) return null;
  return (
    <nav aria-label="Pages" className="mt-2 flex items-center justify-between">
      {page > 1 ? (
        <Link prefetch={false} className="link" href={href(page - 1)} rel="prev">
          previous
        </Link>
      ) : (
        <span />
      )}
      <span className="caption">
        {((page - 1) * rows + 1).toLocaleString("en-GB")} to {Math.min(total, page * rows).toLocaleString("en-GB")} of{" "}
        {total.toLocaleString("en-GB")}
      </span>
      {page < last ? (
        <Link prefetch={false} className="link" href={href(page + 1)} rel="next">
          next
        </Link>
      ) : (
        <span />
      )}
    </nav>
  );
}
