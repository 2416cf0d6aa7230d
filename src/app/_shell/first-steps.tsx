import clsx from "clsx";
import Link from "next/link";
import type { FirstSteps } from "@/server/fleet/first-steps";
import { StepNumber } from "@/ui/step-number";

interface Step {
  of: keyof FirstSteps;
  title: string;
  why: string;
  acts: { href: string; text: string }[];
}

const STEPS: Step[] = [
  {
    of: "site",
    title: "Add the first site",
    why: "Computers and media are kept at sites; a medium counts only where it can be reached.",
    acts: [{ href: "/sites", text: "Add a site" }],
  },
  {
    of: "computer",
    title: "Import the facts of a computer",
    why: "Its firmware, Secure Boot lists, disks and controllers decide which media start it and see its disk.",
    acts: [
      { href: "/computers/facts", text: "Import facts" },
      { href: "/computers/import", text: "Import a table of many" },
    ],
  },
  {
    of: "release",
    title: "Read the file of a release",
    why: "An ISO or image of a kit: who signed it, what it starts, which drivers and systems it carries.",
    acts: [{ href: "/look", text: "Read a file" }],
  },
  {
    of: "medium",
    title: "Register a medium, or make one",
    why: "From then on Creel tells which computers it recovers, which it does not, and what fixes that.",
    acts: [
      { href: "/media/new", text: "Register a medium" },
      { href: "/bench/make", text: "Make a medium" },
    ],
  },
];

/** The way from an empty inventory to the first verdict, until it was gone; the next step is the one to take. */
export function FirstStepsList({ done }: { done: FirstSteps }) {
  const next = STEPS.find(({ of }) => !done[of]);
  return (
    <ol aria-label="First steps" className="mt-3 max-w-3xl divide-y divide-line border-line border-y">
      {STEPS.map((step, nth) => (
        <li
          key={step.of}
          className="grid grid-cols-[2.2rem_minmax(0,1fr)] gap-x-3 gap-y-2 py-3 sm:grid-cols-[2.2rem_minmax(0,1fr)_auto]"
        >
          <StepNumber number={nth + 1} isNow={step === next} />
          <div>
            <h2 className={clsx("font-semibold", done[step.of] && "text-quiet")}>{step.title}</h2>
            {!done[step.of] && <p className="text-quiet">{step.why}</p>}
          </div>
          <p className="col-start-2 flex flex-wrap items-start gap-2 sm:col-start-3">
            {done[step.of] ? (
              <span className="text-quiet">Done</span>
            ) : (
              step.acts.map(({ href, text }, at) => (
                <Link
                  key={href}
                  prefetch={false}
                  className={step === next && at === 0 ? "act-main" : "act"}
                  href={href}
                >
                  {text}
                </Link>
              ))
            )}
          </p>
        </li>
      ))}
    </ol>
  );
}
