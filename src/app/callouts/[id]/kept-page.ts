"use client";

import { useEffect, useState } from "react";

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
    const hear = ({ data }: MessageEvent<{ kept?: string | null; stamp?: string | number }>) =>
      setKept(data.kept === path ? (data.stamp ?? null) : null);
    serviceWorker.addEventListener("message", hear);
    void serviceWorker
      .register("/call-out-worker.js", { scope: "/callouts/" })
      .then(activeOf)
      .then((worker) => worker?.postMessage({ keep: path, stamp }))
      .catch(() => setKept(null));
    return () => serviceWorker.removeEventListener("message", hear);
  }, [stamp]);
  return kept === stamp;
}
