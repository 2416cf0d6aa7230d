"use client";

import { useEffect, useState } from "react";

/** What was not kept is asked for again after this. */
const AGAIN_MS = 5_000;

/** The worker once it works. Not `serviceWorker.ready`: that goes by the page that the browser itself loaded, the list. */
async function activeOf({ active, waiting, installing }: ServiceWorkerRegistration): Promise<ServiceWorker | null> {
  const worker = active ?? waiting ?? installing;
  if (!worker || worker.state === "activated") return worker;
  return new Promise((resolve) => {
    worker.addEventListener("statechange", () => {
      if (worker.state === "activated") resolve(worker);
      if (worker.state === "redundant") resolve(null);
    });
  });
}

/**
 * Has the browser keep this page, so that it opens again without a connection; anew whenever `stamp` changes. Gives whether
 * it is kept: browsers do so on this machine or over https only.
 */
export function useKeptPage(stamp: string | number): boolean {
  /** The state of the page that the browser has. */
  const [kept, setKept] = useState<string | number | null>(null);
  useEffect(() => {
    if (!("serviceWorker" in navigator)) return;
    const { serviceWorker } = navigator;
    const path = window.location.pathname;
    let timer: ReturnType<typeof setTimeout>;
    const hear = ({ data }: MessageEvent<{ kept?: string | null; stamp?: string | number }>) => {
      if (data.stamp !== stamp || data.kept !== path) return;
      clearTimeout(timer);
      setKept(stamp);
    };
    const ask = (worker: ServiceWorker | null) => {
      worker?.postMessage({ keep: path, stamp });
      // Without a connection, or over one that just came back, it may not have been kept.
      if (worker) timer = setTimeout(ask, AGAIN_MS, worker);
    };
    serviceWorker.addEventListener("message", hear);
    let isGone = false;
    void serviceWorker
      .register("/call-out-worker.js", { scope: "/callouts/" })
      .then(activeOf)
      .then((worker) => !isGone && ask(worker))
      .catch(() => setKept(null));
    return () => {
      isGone = true;
      clearTimeout(timer);
      serviceWorker.removeEventListener("message", hear);
    };
  }, [stamp]);
  return kept === stamp;
}
