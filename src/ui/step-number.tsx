import clsx from "clsx";

/** The number of a step in its ring; filled where it is the one to take. */
export function StepNumber({ number, isNow }: { number: number; isNow: boolean }) {
  return (
    <span
      aria-hidden="true"
      className={clsx(
        "grid size-8 place-items-center rounded-full border font-bold",
        isNow ? "border-rope bg-rope text-sheet" : "border-line",
      )}
    >
      {number}
    </span>
  );
}
