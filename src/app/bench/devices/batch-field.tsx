"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { problemText } from "@/core/words/problems";
import { useReady } from "@/ui/use-ready";
import { setBatchAction } from "../actions";

interface Props {
  deviceId: number;
  version: number;
  batch: string | null;
  /** Of the device, for those who hear the page. */
  name: string;
}

/** What a device was bought with; saved when the field is left. */
export function BatchField({ deviceId, version, batch, name }: Props) {
  const router = useRouter();
  const ready = useReady();
  const [value, setValue] = useState(batch ?? "");
  const [problem, setProblem] = useState<string | null>(null);
  const save = async () => {
    if (value.trim() === (batch ?? "")) return;
    const result = await setBatchAction(deviceId, version, value);
    setProblem(result.ok ? null : problemText(result.problem));
    if (result.ok) router.refresh();
  };
  return (
    <>
      <input
        className="field max-w-40"
        aria-label={`Batch of ${name}`}
        placeholder="not recorded"
        disabled={!ready}
        value={value}
        onChange={(event) => setValue(event.target.value)}
        onBlur={save}
        onKeyDown={(event) => event.key === "Enter" && void save()}
      />
      {problem && (
        <span role="alert" className="block text-[0.85rem] text-plum">
          {problem}
        </span>
      )}
    </>
  );
}
