import clsx from "clsx";
import Link from "next/link";

export interface Way {
  href: string;
  name: string;
}

/** The ways within a station, above its page. */
export function Ways({ label, ways, here }: { label: string; ways: readonly Way[]; here: string | null }) {
  return (
    <nav aria-label={label} className="mb-3 flex flex-wrap gap-x-5 gap-y-1 border-line border-b pb-2 print:hidden">
      {ways.map(({ href, name }) => (
        <Link
          key={href}
          prefetch={false}
          href={href}
          aria-current={href === here ? "page" : undefined}
          className={clsx("no-underline", href === here ? "font-bold text-ink" : "text-rope hover:underline")}
        >
          {name}
        </Link>
      ))}
    </nav>
  );
}

/** Parts of one thing, shown one at a time; the address holds which. */
export function Parts({
  label,
  parts,
  here,
  replace = false,
}: {
  label: string;
  parts: readonly Way[];
  here: string;
  /** A part takes the place of the one before in the browser's history. */
  replace?: boolean;
}) {
  return (
    <nav aria-label={label} className="mt-4 flex flex-wrap gap-x-5 gap-y-1 border-line border-b">
      {parts.map(({ href, name }) => (
        <Link
          key={href}
          prefetch={false}
          scroll={false}
          replace={replace}
          href={href}
          aria-current={href === here ? "page" : undefined}
          className={clsx(
            "-mb-px border-b-2 pb-1.5 no-underline",
            href === here ? "border-rope font-bold" : "border-transparent text-rope hover:underline",
          )}
        >
          {name}
        </Link>
      ))}
    </nav>
  );
}
