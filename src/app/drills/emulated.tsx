"use client";

import { useRouter } from "next/navigation";
import { type FormEvent, useState } from "react";
import { problemText } from "@/core/words/problems";
import type { EmulatedDrillEnd } from "@/server/bench/emulated-drills";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { useProgress } from "../_lib/use-progress";
import type { JobAnswer } from "../api/jobs/[id]/route";
import { startEmulatedDrillAction } from "./actions";

/** Starts a medium on an emulated computer like the one that is meant: it takes up to some minutes. */
export function Emulated({ medium, computer }: { medium: string; computer: string }) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  const [job, setJob] = useState<number | null>(null);
  const [isAsking, setAsking] = useState(false);
  const busy = isAsking || job !== null;

  // It goes on by itself; whoever stays is taken to its drill.
  const ended = async (id: number) => {
    try {
      const answer = await fetch(`/api/jobs/${id}`, { cache: "no-store" });
      const { state, result } = (await answer.json()) as JobAnswer;
      if (state === "queued" || state === "running") return;
      setJob(null);
      const end = result as EmulatedDrillEnd | null;
      if (end && "drill" in end) router.push(`/drills/${end.drill}`);
      else
        setProblem(
          end
            ? problemText({ code: "refused", why: end.refusal })
            : "The emulated drill did not finish. Start it again.",
        );
    } catch {
      // The next word may do.
    }
  };
  useProgress(({ jobs }) => {
    const told = jobs.find(({ id }) => id === job);
    if (job !== null && told?.state !== "queued" && told?.state !== "running") void ended(job);
  }, job !== null);

  const submit = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const data = new FormData(event.currentTarget);
    setAsking(true);
    setProblem(null);
    const result = await startEmulatedDrillAction({
      medium: String(data.get("medium") ?? ""),
      computer: String(data.get("computer") ?? ""),
      isSecureBootOff: data.get("secureBoot") === "off",
    });
    setAsking(false);
    if (result.ok) setJob(result.value);
    else setProblem(problemText(result.problem));
  };
  return (
    <form onSubmit={submit} aria-busy={!ready} className="mt-8 max-w-xl border-line border-t pt-4">
      <h2>Emulated drill</h2>
      <p className="text-quiet">
        The server starts the medium's content with firmware like the computer's. A hint only; proof needs the computer
        itself.
      </p>
      <div className="mt-2 flex flex-wrap items-end gap-2">
        <label>
          <span className="block font-semibold text-[0.9rem]">Emulated medium</span>
          <input className="field code w-32" name="medium" defaultValue={medium} autoComplete="off" />
        </label>
        <label>
          <span className="block font-semibold text-[0.9rem]">Emulated computer</span>
          <input className="field code w-32" name="computer" defaultValue={computer} autoComplete="off" />
        </label>
        <label>
          <span className="block font-semibold text-[0.9rem]">Secure Boot</span>
          <select className="field" name="secureBoot">
            <option value="">as on the computer</option>
            <option value="off">switched off</option>
          </select>
        </label>
        <button type="submit" className="act" disabled={busy}>
          {busy ? "Starting, up to a few minutes" : "Start emulated drill"}
        </button>
      </div>
      {job !== null && (
        <p role="status" className="mt-2 text-quiet">
          You can leave this page. The result will be on the pages of the medium and the computer.
        </p>
      )}
      <ProblemLine text={problem} className="mt-2" />
    </form>
  );
}
