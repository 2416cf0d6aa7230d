"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { problemText } from "@/core/words/problems";
import { bytesText } from "@/core/words/sizes";
import type { Result } from "@/server/problems";
import { DropField } from "@/ui/drop-field";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { useJob } from "../_lib/use-progress";
import {
  cancelScanAction,
  measureStoreAction,
  registerNamedAction,
  startScanAction,
  takeListingAction,
  takeOverAction,
} from "./actions";

interface ScanActsProps {
  storeId: number;
  /** Whether this server can look into it. */
  canLook: boolean;
  scan: { id: number; state: string; isThorough: boolean; doneBytes: number; totalBytes: number } | null;
  /** What can be taken over, and registered by its name. */
  toTakeOver: number;
  toRegister: number;
  kits: { name: string; versions: string[] }[];
}

/** Looking through a store, and what can be done with what was found. */
export function ScanActs({ storeId, canLook, scan, toTakeOver, toRegister, kits }: ScanActsProps) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  const [told, setTold] = useState<string[] | null>(null);
  const [kit, setKit] = useState("");
  const [isMeasuring, setIsMeasuring] = useState(false);
  const isRunning = scan?.state === "running";
  const [read, setRead] = useState<{ done: number; total: number } | null>(null);
  useJob(
    { kind: "store-scan", field: "scan", value: scan?.id ?? 0, isListening: isRunning },
    () => router.refresh(),
    ({ progress }) => setRead(progress),
  );
  const act = async <T,>(doing: Promise<Result<T>>, then?: (value: T) => void) => {
    setProblem(null);
    setTold(null);
    const result = await doing;
    if (!result.ok) return setProblem(problemText(result.problem));
    then?.(result.value);
    router.refresh();
  };
  const [name, version] = kit.split("\n");
  return (
    <div aria-busy={!ready} className="mt-2 space-y-2">
      {isRunning && scan ? (
        <p className="flex items-center gap-3">
          <span role="status">
            {scan.isThorough && (read?.total ?? scan.totalBytes) > 0
              ? `Reading everything: ${bytesText(read?.done ?? scan.doneBytes)} of ${bytesText(read?.total ?? scan.totalBytes)}.`
              : "Scanning."}
          </span>
          <button type="button" className="act" onClick={() => act(cancelScanAction(scan.id))}>
            Cancel
          </button>
        </p>
      ) : (
        <div className="flex flex-wrap gap-2">
          {canLook && (
            <>
              <button type="button" className="act-main" onClick={() => act(startScanAction(storeId, false))}>
                Scan
              </button>
              <button type="button" className="act" onClick={() => act(startScanAction(storeId, true))}>
                Full scan with checksums
              </button>
              <button
                type="button"
                className="act"
                disabled={isMeasuring}
                onClick={async () => {
                  setIsMeasuring(true);
                  await act(measureStoreAction(storeId), (rate) => setTold([`Writes at ${bytesText(rate)}/s.`]));
                  setIsMeasuring(false);
                }}
              >
                {isMeasuring ? "Measuring, up to 20 seconds" : "Measure write speed"}
              </button>
            </>
          )}
          {scan && toTakeOver > 0 && (
            <button type="button" className="act" onClick={() => act(takeOverAction(scan.id))}>
              Update moved, changed and missing copies ({toTakeOver})
            </button>
          )}
        </div>
      )}
      {scan && !isRunning && toRegister > 0 && (
        <p className="flex flex-wrap items-center gap-2">
          <label>
            Made with{" "}
            <select className="field inline w-auto" value={kit} onChange={(event) => setKit(event.target.value)}>
              <option value="">kit not recorded</option>
              {kits.flatMap((each) =>
                each.versions.map((own) => (
                  <option key={`${each.name} ${own}`} value={`${each.name}\n${own}`}>
                    {each.name} {own}
                  </option>
                )),
              )}
            </select>
          </label>
          <button
            type="button"
            className="act"
            onClick={() =>
              act(
                registerNamedAction(scan.id, { kit: name || null, kitVersion: version || null }),
                ({ registered, left }) => setTold([`${registered} registered.`, ...left]),
              )
            }
          >
            Register recognised images ({toRegister})
          </button>
        </p>
      )}
      {!isRunning && (
        <DropField
          onFiles={async ([file]) => file && act(takeListingAction(storeId, await file.text()))}
          text="Or drop a listing here: ls -lR, find, dir /s, or a table."
        />
      )}
      {told && (
        <ul role="status" className="list-disc pl-5">
          {told.slice(0, 12).map((line) => (
            <li key={line}>{line}</li>
          ))}
          {told.length > 12 && <li>and {told.length - 12} more</li>}
        </ul>
      )}
      <ProblemLine text={problem} boxed />
    </div>
  );
}
