"use client";

import Link from "next/link";
import { useState } from "react";
import type { ImageCheck } from "@/core/images/checks";
import { checkText } from "@/core/words/images";

const WORDS = { right: "so", wrong: "not so", see: "look", do: "do" };

/** What to see to, to be ticked here or on paper; what was ticked goes with the image that is registered. */
export function CheckList({
  checks,
  register,
}: {
  checks: ImageCheck[];
  register: { computer: string; name: string };
}) {
  const [ticked, setTicked] = useState<ReadonlySet<string>>(new Set());
  const tick = (code: string, on: boolean) => {
    const next = new Set(ticked);
    if (on) next.add(code);
    else next.delete(code);
    setTicked(next);
  };
  const query = new URLSearchParams({ ...register, checks: [...ticked].join(",") });
  return (
    <>
      {(["before", "after"] as const).map((when) => (
        <div key={when} className="mt-4">
          <h2>{when === "before" ? "Before" : "After"}</h2>
          <ul className="mt-1 divide-y divide-line border-line border-y">
            {checks
              .filter((check) => check.when === when)
              .map((check) => (
                <li key={check.code}>
                  <label className="grid grid-cols-[1.6rem_4rem_1fr] items-baseline gap-x-2 py-1.5">
                    <input
                      type="checkbox"
                      className="size-[18px] accent-[var(--rope)]"
                      checked={ticked.has(check.code)}
                      onChange={(event) => tick(check.code, event.target.checked)}
                    />
                    <span className={check.state === "wrong" ? "font-semibold text-plum" : "text-quiet"}>
                      {WORDS[check.state]}
                    </span>
                    <span>{checkText(check)}</span>
                  </label>
                </li>
              ))}
          </ul>
        </div>
      ))}
      <p className="mt-4 print:hidden">
        <Link prefetch={false} className="act" href={`/images/new?${query}`}>
          Taken: register image
        </Link>
      </p>
    </>
  );
}
