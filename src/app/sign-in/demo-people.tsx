"use client";

import { useState } from "react";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { ask } from "../_door/ask";

interface DemoPerson {
  id: number;
  name: string;
  job: string | null;
  role: string;
  may: string;
}

/** Signs in as one of the demo's people by one click. */
export function DemoPeople({ people, next }: { people: DemoPerson[]; next: string }) {
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  const signIn = async (person: number) => {
    const answer = await ask("/sign-in/demo", { person });
    if (answer.ok) window.location.assign(next);
    else setProblem(answer.problem);
  };
  return (
    <div aria-busy={!ready}>
      <ul className="divide-y divide-line border-line border-y">
        {people.map(({ id, name, job, role, may }) => (
          <li key={id} className="flex items-center justify-between gap-4 py-2.5">
            <div>
              <p className="font-semibold">
                {name}
                {job && <span className="font-normal text-quiet">, {job}</span>}
              </p>
              <p className="text-[0.85rem] text-quiet">
                {role}: {may}
              </p>
            </div>
            <button
              type="button"
              className="act whitespace-nowrap"
              aria-label={`Sign in as ${name}`}
              onClick={() => signIn(id)}
            >
              Sign in
            </button>
          </li>
        ))}
      </ul>
      <ProblemLine text={problem} className="mt-3" />
    </div>
  );
}
