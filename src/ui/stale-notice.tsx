import type { Merge } from "./merge";

/** What a stale save found: what was taken over, and what both changed. */
export function StaleNotice<T>({
  text,
  merge,
  name,
  show,
}: {
  text: string;
  merge: Merge<T> | null;
  name: (field: keyof T) => string;
  show: (value: T[keyof T]) => string;
}) {
  return (
    <div role="alert" className="mb-3 border-plum border-l-4 bg-plum-soft px-3 py-2">
      <p>{text}</p>
      {merge && merge.taken.length > 0 && <p className="mt-1">Merged: {merge.taken.map(name).join(", ")}.</p>}
      {merge && merge.conflicts.length > 0 && (
        <ul className="mt-1 list-disc pl-5">
          {merge.conflicts.map(({ field, theirs }) => (
            <li key={String(field)}>
              {name(field)}: you both changed it. Yours is in the form; theirs is “{show(theirs)}”.
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
