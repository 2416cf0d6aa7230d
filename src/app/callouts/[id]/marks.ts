"use client";

import { useCallback, useEffect, useRef, useState } from "react";
import type { Mark } from "@/server/callouts/callout-marks";

/** A mark as it waits to be sent. */
export interface OwnMark extends Omit<Mark, "personName"> {
  photo?: string | null;
  photoType?: string | null;
}

const RETRY_MS = 5_000;
const keyOf = (calloutId: number) => `creel-callout-${calloutId}`;

function stored(calloutId: number): OwnMark[] {
  try {
    return JSON.parse(localStorage.getItem(keyOf(calloutId)) ?? "[]") as OwnMark[];
  } catch {
    return [];
  }
}

/** False where there is no room for it: then it is only in this page until it was sent. */
function store(calloutId: number, marks: OwnMark[]): boolean {
  try {
    if (marks.length === 0) localStorage.removeItem(keyOf(calloutId));
    else localStorage.setItem(keyOf(calloutId), JSON.stringify(marks));
    return true;
  } catch {
    return false;
  }
}

/**
 * The marks of a call-out: those that are known to the server, and those that wait here until it can be reached. A mark is
 * kept in the browser before anything else, and taken away once the server has it.
 */
export function useMarks(calloutId: number, known: Mark[], person: string) {
  const [server, setServer] = useState(known);
  const [waiting, setWaiting] = useState<OwnMark[]>([]);
  const [isReached, setReached] = useState(true);
  const queue = useRef<OwnMark[]>([]);
  const sending = useRef(false);

  const send = useCallback(async () => {
    if (sending.current || queue.current.length === 0) return;
    sending.current = true;
    const marks = [...queue.current];
    try {
      const answer = await fetch(`/api/callouts/${calloutId}/marks`, {
        method: "POST",
        headers: { "content-type": "application/json" },
        body: JSON.stringify(marks),
      });
      if (!answer.ok) throw new Error(String(answer.status));
      setServer((await answer.json()) as Mark[]);
      const sent = new Set(marks.map(({ id }) => id));
      queue.current = queue.current.filter(({ id }) => !sent.has(id));
      store(calloutId, queue.current);
      setWaiting(queue.current);
      setReached(true);
    } catch {
      setReached(false);
    } finally {
      sending.current = false;
    }
  }, [calloutId]);

  useEffect(() => {
    queue.current = stored(calloutId);
    setWaiting(queue.current);
    void send();
    const again = () => void send();
    const timer = setInterval(again, RETRY_MS);
    window.addEventListener("online", again);
    return () => {
      clearInterval(timer);
      window.removeEventListener("online", again);
    };
  }, [calloutId, send]);

  const mark = useCallback(
    (made: Pick<OwnMark, "step" | "kind"> & Partial<Pick<OwnMark, "text" | "photo" | "photoType">>) => {
      const own: OwnMark = { id: crypto.randomUUID(), at: new Date().toISOString(), text: null, ...made };
      queue.current = [...queue.current, own];
      store(calloutId, queue.current);
      setWaiting(queue.current);
      void send();
    },
    [calloutId, send],
  );

  const ids = new Set(server.map(({ id }) => id));
  const all: Mark[] = [
    ...server,
    ...waiting.filter(({ id }) => !ids.has(id)).map((each) => ({ ...each, personName: person })),
  ];
  all.sort((a, b) => a.at.localeCompare(b.at));
  return { marks: all, waiting: waiting.length, isReached, mark };
}
