"use client";

import { del, get, set } from "idb-keyval";
import { useCallback, useEffect, useRef, useState } from "react";
import type { Mark } from "@/server/callouts/callout-marks";

/** A mark as it waits to be sent. */
export interface OwnMark extends Omit<Mark, "personName"> {
  photo?: string | null;
  photoType?: string | null;
}

const RETRY_MS = 5_000;
/** A connection that went without a word is given up after this; pictures over a slow line take less. */
const ANSWER_MS = 60_000;
const keyOf = (calloutId: number) => `creel-callout-${calloutId}`;

/** What an earlier version kept for a call-out, in the one place that has no room for pictures. */
function takeFromBefore(key: string): OwnMark[] {
  try {
    const before = JSON.parse(localStorage.getItem(key) ?? "[]") as OwnMark[];
    localStorage.removeItem(key);
    return before;
  } catch {
    return [];
  }
}

async function stored(calloutId: number): Promise<OwnMark[]> {
  const key = keyOf(calloutId);
  const before = takeFromBefore(key);
  const keptMarks = (await get<OwnMark[]>(key).catch(() => undefined)) ?? [];
  return [...before, ...keptMarks];
}

/** False where the browser did not keep it: then it is only in this page until it was sent. */
async function store(calloutId: number, marks: OwnMark[]): Promise<boolean> {
  try {
    await (marks.length === 0 ? del(keyOf(calloutId)) : set(keyOf(calloutId), marks));
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
  /** The server answers, and does not know who this is any more: what waits is sent once somebody signed in again. */
  const [isSignedOut, setSignedOut] = useState(false);
  /** The browser keeps what waits, also when this page is closed. */
  const [isKept, setKept] = useState(true);
  /** What the browser kept from before is known. */
  const [isLoaded, setLoaded] = useState(false);
  const queue = useRef<OwnMark[]>([]);
  const sending = useRef(false);

  const keep = useCallback(async () => setKept(await store(calloutId, queue.current)), [calloutId]);

  const send = useCallback(async () => {
    if (sending.current || queue.current.length === 0) return;
    sending.current = true;
    const marks = [...queue.current];
    try {
      const answer = await fetch(`/api/callouts/${calloutId}/marks`, {
        method: "POST",
        headers: { "content-type": "application/json" },
        body: JSON.stringify(marks),
        signal: AbortSignal.timeout(ANSWER_MS),
      });
      setSignedOut(answer.status === 401);
      if (!answer.ok) throw new Error(String(answer.status));
      setServer((await answer.json()) as Mark[]);
      const sent = new Set(marks.map(({ id }) => id));
      queue.current = queue.current.filter(({ id }) => !sent.has(id));
      void keep();
      setWaiting(queue.current);
      setReached(true);
    } catch {
      setReached(false);
    } finally {
      sending.current = false;
    }
  }, [calloutId, keep]);

  useEffect(() => {
    let isGone = false;
    void stored(calloutId).then((before) => {
      if (isGone) return;
      const queuedIds = new Set(queue.current.map(({ id }) => id));
      queue.current = [...before.filter(({ id }) => !queuedIds.has(id)), ...queue.current];
      setWaiting(queue.current);
      setLoaded(true);
      void send();
    });
    const again = () => void send();
    const timer = setInterval(again, RETRY_MS);
    window.addEventListener("online", again);
    return () => {
      isGone = true;
      clearInterval(timer);
      window.removeEventListener("online", again);
    };
  }, [calloutId, send]);

  const mark = useCallback(
    (made: Pick<OwnMark, "step" | "kind"> & Partial<Pick<OwnMark, "text" | "photo" | "photoType">>) => {
      const mark: OwnMark = { id: crypto.randomUUID(), at: new Date().toISOString(), text: null, ...made };
      queue.current = [...queue.current, mark];
      void keep();
      setWaiting(queue.current);
      void send();
    },
    [keep, send],
  );

  const ids = new Set(server.map(({ id }) => id));
  const all: Mark[] = [
    ...server,
    ...waiting.filter(({ id }) => !ids.has(id)).map((each) => ({ ...each, personName: person })),
  ];
  all.sort((a, b) => a.at.localeCompare(b.at));
  return { marks: all, waiting: waiting.length, isReached, isSignedOut, isKept, isLoaded, mark };
}
