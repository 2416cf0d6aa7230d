"use client";

import { useRouter } from "next/navigation";
import { type FormEvent, useState } from "react";
import { soldBytes } from "@/core/computer/hardware/sold-size";
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
        Use this route
      </button>
      {told}
    </div>
  );
}

const SOLD = ["128 GB", "240 GB", "256 GB", "480 GB", "500 GB", "512 GB", "960 GB", "1 TB", "2 TB", "4 TB"];

/** What is sold as so many gigabytes has the bytes that makers agreed on; anything else is as it is told. */
function diskBytesOf(text: string): number | null {
  const told = parseSize(text, "gb");
  if (told === null) return null;
  return (/ib\s*$/i.test(text) ? null : soldBytes(told / 1e9)) ?? Math.round(told);
}

/** The disk that takes the place of the old one. */
export function DiskForm({
  calloutId,
  hasDisk,
  like,
}: {
  calloutId: number;
  hasDisk: boolean;
  /** The disk whose place it takes. */
  like: { bytes: number; sectorBytes: number | null; bus: string | null } | null;
}) {
  const { ready, act, told, setProblem } = useAct();
  const submit = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const data = new FormData(event.currentTarget);
    const bytes = diskBytesOf(String(data.get("size") ?? ""));
    if (bytes === null) return setProblem("Enter a size such as “480 GB” or “1 TB”, or exact bytes.");
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
        <span className="block font-semibold text-[0.9rem]">New disk (size)</span>
        <input className="field w-28" name="size" placeholder="480 GB" autoComplete="off" list="sold-sizes" />
        <datalist id="sold-sizes">
          {SOLD.map((size) => (
            <option key={size} value={size} />
          ))}
        </datalist>
      </label>
      <label>
        <span className="block font-semibold text-[0.9rem]">Sectors</span>
        <select className="field" name="sector" defaultValue={String(like?.sectorBytes ?? 512)}>
          <option value="512">512 bytes</option>
          <option value="4096">4,096 bytes</option>
          <option value="">not recorded</option>
        </select>
      </label>
      <label>
        <span className="block font-semibold text-[0.9rem]">Bus</span>
        <select
          className="field"
          name="bus"
          defaultValue={["sata", "nvme"].includes(like?.bus ?? "") ? (like?.bus ?? "") : ""}
        >
          <option value="">not recorded</option>
          <option value="sata">SATA</option>
          <option value="nvme">NVMe</option>
        </select>
      </label>
      <button type="submit" className="act">
        Check fit
      </button>
      {hasDisk && (
        <button type="button" className="act" onClick={() => act(setNewDiskAction(calloutId, null))}>
          Keep the old disk
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
        <span className="block font-semibold text-[0.9rem]">Replacement computer (tag)</span>
        <input
          className="field code w-36"
          name="tag"
          defaultValue={tag ?? ""}
          placeholder="its tag"
          autoComplete="off"
        />
      </label>
      <button type="submit" className="act">
        Check routes
      </button>
      {told}
    </form>
  );
}

export interface Closing {
  calloutId: number;
  /** What the chosen way gives back; null: none was chosen. */
  usual: OutcomeKind | null;
  medium: string | null;
  /** The size of the disk that was fitted, in words. */
  newDisk: string | null;
}

/**
 * Closing: what came back, what was lost, what failed, and whether the medium worked. Steps that were not
 * ticked are asked for: `onDone` ticks one that was done all the same.
 */
export function CloseForm({
  calloutId,
  usual,
  medium,
  newDisk,
  notTicked,
  onDone,
}: Closing & { notTicked: { code: string; text: string }[]; onDone: ((code: string) => void) | null }) {
  const { ready, act, told } = useAct();
  const [isFitted, setFitted] = useState(true);
  const submit = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const data = new FormData(event.currentTarget);
    const worked = data.get("worked");
    const text = (name: string) => String(data.get(name) ?? "").trim() || null;
    const isBack = data.get("cameBack") !== "not-back";
    void act(
      closeCalloutAction(calloutId, {
        cameBack: data.get("cameBack"),
        ...{ failed: text("failed"), lost: text("lost") },
        mediumWorked: medium === null || worked === "unused" ? null : worked === "yes",
        leftOut: notTicked.map(({ code }) => code),
        fitted: newDisk !== null && isFitted && isBack ? { model: text("model"), serial: text("serial") } : null,
      }),
    );
  };
  return (
    <form onSubmit={submit} aria-busy={!ready} className="mt-2 grid max-w-2xl gap-3">
      {notTicked.length > 0 && (
        <fieldset className="border-rope border-l-4 bg-rope-soft px-3 py-2">
          <legend className="sr-only">Steps not ticked</legend>
          <p className="font-semibold">
            {notTicked.length === 1 ? "One step" : `${notTicked.length} steps`} not ticked
          </p>
          <ul className="max-h-64 overflow-y-auto">
            {notTicked.map(({ code, text }) => (
              <li key={code} className="flex items-baseline justify-between gap-3 py-0.5">
                <span>{text}</span>
                <button type="button" className="link min-h-[24px] shrink-0" onClick={() => onDone?.(code)}>
                  Mark done
                </button>
              </li>
            ))}
          </ul>
          <p className="caption">Steps left here are recorded as skipped.</p>
        </fieldset>
      )}
      <div className="grid gap-3 sm:grid-cols-2">
        <label>
          <span className="block font-semibold text-[0.9rem]">Outcome</span>
          <select className="field" name="cameBack" key={usual} defaultValue={usual ?? "not-back"}>
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
            <span className="block font-semibold text-[0.9rem]">{medium} worked</span>
            <select className="field" name="worked" defaultValue="" required aria-describedby="worked-hint">
              <option value="">Choose …</option>
              <option value="yes">Yes</option>
              <option value="no">No, it failed</option>
              <option value="unused">Not used</option>
            </select>
            <span id="worked-hint" className="caption">
              Counts as proof.
            </span>
          </label>
        )}
      </div>
      {newDisk && (
        <fieldset className="grid gap-3 sm:grid-cols-[auto_1fr_1fr] sm:items-end">
          <label className="flex min-h-[2.4rem] items-center gap-2">
            <input
              type="checkbox"
              className="size-[18px] accent-[var(--rope)]"
              checked={isFitted}
              onChange={(event) => setFitted(event.target.checked)}
            />
            New disk fitted ({newDisk})
          </label>
          {isFitted && (
            <>
              <label>
                <span className="block font-semibold text-[0.9rem]">Model</span>
                <input className="field" name="model" autoComplete="off" />
              </label>
              <label>
                <span className="block font-semibold text-[0.9rem]">Serial</span>
                <input className="field code" name="serial" autoComplete="off" />
              </label>
            </>
          )}
        </fieldset>
      )}
      <label>
        <span className="block font-semibold text-[0.9rem]">Data lost</span>
        <input className="field" name="lost" autoComplete="off" />
      </label>
      <label>
        <span className="block font-semibold text-[0.9rem]">Problems</span>
        <textarea className="field" name="failed" rows={2} />
      </label>
      {told}
      <div>
        <button type="submit" className="act-main">
          Hand back and close
        </button>
      </div>
    </form>
  );
}
