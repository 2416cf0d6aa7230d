"use client";

import { useEffect, useRef, useState } from "react";
import type { Progress } from "@/server/work/teller";

interface Listener {
  hear: (progress: Progress) => void;
  setHeard: (isHeard: boolean) => void;
}

/** All that listens on a page hears one stream: a browser has only a few connections to a server. */
const listeners = new Set<Listener>();
let stream: EventSource | null = null;

function listen(listener: Listener): () => void {
  listeners.add(listener);
  stream ??= opened();
  return () => {
    listeners.delete(listener);
    if (listeners.size > 0) return;
    stream?.close();
    stream = null;
  };
}

function opened(): EventSource {
  const events = new EventSource("/api/progress");
  const tell = (isHeard: boolean) => {
    for (const listener of listeners) listener.setHeard(isHeard);
  };
  events.onopen = () => tell(true);
  // The browser connects again by itself.
  events.onerror = () => tell(false);
  events.onmessage = (event) => {
    const progress = JSON.parse(event.data) as Progress;
    tell(true);
    for (const listener of listeners) listener.hear(progress);
  };
  return events;
}

/**
 * Hears how far work is, by the one stream that the server tells it through, while `isListening`. Gives whether the
 * server is heard of.
 */
export function useProgress(hear: (progress: Progress) => void, isListening = true): boolean {
  const [isHeard, setHeard] = useState(true);
  const latest = useRef(hear);
  useEffect(() => {
    latest.current = hear;
  });
  useEffect(() => {
    if (!isListening) return;
    return listen({ hear: (progress) => latest.current(progress), setHeard });
  }, [isListening]);
  return isHeard;
}

type JobTold = Progress["jobs"][number];

/**
 * Follows one job of the engine, told by its kind and by one field of its payload: `went` hears how far it is, `ended`
 * that it does not go on any more.
 */
export function useJob(
  { kind, field, value, isListening }: { kind: string; field: string; value: number; isListening: boolean },
  ended: () => void,
  went: (job: JobTold) => void = () => {},
): void {
  useProgress(({ jobs }) => {
    const job = jobs.find((each) => each.kind === kind && Reflect.get(each.payload, field) === value);
    // What has ended is told for a few seconds; whoever listens later than that does not find it at all.
    if (job?.state === "queued" || job?.state === "running") went(job);
    else ended();
  }, isListening);
}
