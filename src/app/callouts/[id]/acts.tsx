"use client";

import { useRouter } from "next/navigation";
import { type FormEvent, useState } from "react";
import { OUTCOMES, type OutcomeKind } from "@/core/judging/routes/outcome";
import { parseSize } from "@/core/kernel/parse-size";
import { calloutOutcomeText, cameBackText } from "@/core/words/callout";
import { problemText } from "@/core/words/problems";
import type { Result } from "@/server/problems";
import { useReady } from "@/ui/use-ready";
import { chooseRouteAction, closeCalloutAction, setNewComputerAction, setNewDiskAction } from "../actions";

function useAct() {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  const act = async (doing: Promise<Result<number>>) => {
    setProblem(null);
    const result = await doing;
    if (result.ok) router.refresh();
    else setProblem(problemText(result.problem));
  };
  const told = problem && (
    <p role="alert" className="text-plum">
      {problem}
    </p>
  );
  return { ready, act, told, setProblem };
}

export function ChooseButton({
  calloutId,
  wanted,
  isFirst,
}: {
  calloutId: number;
  wanted: { medium: string; outcome: string; image: string | null; release: string | null };
  isFirst: boolean;
}) {
  const { ready, act, told } = useAct();
  return (
    <div aria-busy={!ready}>
      <button
        type="button"
        className={isFirst ? "act-main" : "act"}
        onClick={() => act(chooseRouteAction(calloutId, wanted))}
      >
        Take this way
      </button>
      {told}
    </div>
  );
}

/** The disk that takes the place of the old one. */
export function DiskForm({ calloutId, hasDisk }: { calloutId: number; hasDisk: boolean }) {
  const { ready, act, told, setProblem } = useAct();
  const submit = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const data = new FormData(event.currentTarget);
    const bytes = parseSize(String(data.get("size") ?? ""), "gb");
    if (bytes === null) return setProblem("A size is such as “480 GB” or “1 TB”.");
    const sector = data.get("sector");
    void act(
      setNewDiskAction(calloutId, {
        bytes: Math.round(bytes),
        sectorBytes: sector ? Number(sector) : null,
        bus: data.get("bus") || null,
      }),
    );
  };
  return (
    <form onSubmit={submit} aria-busy={!ready} className="flex flex-wrap items-end gap-2">
      <label>
        <span className="block font-semibold text-[0.9rem]">A new disk of</span>
        <input className="field w-28" name="size" placeholder="480 GB" autoComplete="off" />
      </label>
      <label>
        <span className="block font-semibold text-[0.9rem]">Sectors</span>
        <select className="field" name="sector" defaultValue="512">
          <option value="512">512 bytes</option>
          <option value="4096">4,096 bytes</option>
          <option value="">not known</option>
        </select>
      </label>
      <label>
        <span className="block font-semibold text-[0.9rem]">Bus</span>
        <select className="field" name="bus" defaultValue="">
          <option value="">not known</option>
          <option value="sata">SATA</option>
          <option value="nvme">NVMe</option>
        </select>
      </label>
      <button type="submit" className="act">
        Does it fit?
      </button>
      {hasDisk && (
        <button type="button" className="act" onClick={() => act(setNewDiskAction(calloutId, null))}>
          The old one stays
        </button>
      )}
      {told}
    </form>
  );
}

/** The computer that takes the place of the old one: its images come back there, where the kit can. */
export function ComputerForm({ calloutId, tag }: { calloutId: number; tag: string | null }) {
  const { ready, act, told } = useAct();
  const submit = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    void act(setNewComputerAction(calloutId, String(new FormData(event.currentTarget).get("tag") ?? "")));
  };
  return (
    <form onSubmit={submit} aria-busy={!ready} className="mt-2 flex flex-wrap items-end gap-2">
      <label>
        <span className="block font-semibold text-[0.9rem]">Another computer in its place</span>
        <input
          className="field code w-36"
          name="tag"
          defaultValue={tag ?? ""}
          placeholder="its tag"
          autoComplete="off"
        />
      </label>
      <button type="submit" className="act">
        What comes back on it?
      </button>
      {told}
    </form>
  );
}

/** How it ended: what came back, what was lost, what failed, and whether the medium did what it should. */
export function CloseForm({
  calloutId,
  usual,
  medium,
}: {
  calloutId: number;
  usual: OutcomeKind;
  medium: string | null;
}) {
  const { ready, act, told } = useAct();
  const submit = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const data = new FormData(event.currentTarget);
    const worked = data.get("worked");
    void act(
      closeCalloutAction(calloutId, {
        cameBack: data.get("cameBack"),
        failed: String(data.get("failed") ?? "") || null,
        lost: String(data.get("lost") ?? "") || null,
        mediumWorked: medium === null || worked === "" ? null : worked === "yes",
      }),
    );
  };
  return (
    <form onSubmit={submit} aria-busy={!ready} className="mt-2 grid max-w-2xl gap-3">
      <div className="grid gap-3 sm:grid-cols-2">
        <label>
          <span className="block font-semibold text-[0.9rem]">It came back as</span>
          <select className="field" name="cameBack" defaultValue={usual}>
            {OUTCOMES.map((kind) => (
              <option key={kind} value={kind}>
                {calloutOutcomeText(kind)}
              </option>
            ))}
            <option value="not-back">{cameBackText("not-back")}</option>
          </select>
        </label>
        {medium && (
          <label>
            <span className="block font-semibold text-[0.9rem]">{medium} did what it should</span>
            <select className="field" name="worked" defaultValue="yes">
              <option value="yes">yes: that proves it</option>
              <option value="no">no: it failed</option>
              <option value="">it was not used</option>
            </select>
          </label>
        )}
      </div>
      <label>
        <span className="block font-semibold text-[0.9rem]">Lost</span>
        <input className="field" name="lost" autoComplete="off" />
      </label>
      <label>
        <span className="block font-semibold text-[0.9rem]">What failed, or was not as the sheet says</span>
        <textarea className="field" name="failed" rows={2} />
      </label>
      {told}
      <div>
        <button type="submit" className="act-main">
          Hand it back
        </button>
      </div>
    </form>
  );
}
