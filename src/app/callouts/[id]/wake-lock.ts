"use client";

import { useEffect } from "react";

/** Keeps the screen on while a sheet is worked through, where the browser can; asked for again whenever the page is seen again. */
export function useWakeLock(isWanted: boolean): void {
  useEffect(() => {
    if (!isWanted || !("wakeLock" in navigator)) return;
    let lock: WakeLockSentinel | null = null;
    let isGone = false;
    const hold = async () => {
      if (document.visibilityState !== "visible") return;
      // Refused on a low battery: then the screen goes off as it does.
      const held = await navigator.wakeLock.request("screen").catch(() => null);
      if (isGone) await held?.release();
      else lock = held;
    };
    void hold();
    document.addEventListener("visibilitychange", hold);
    return () => {
      isGone = true;
      document.removeEventListener("visibilitychange", hold);
      void lock?.release();
    };
  }, [isWanted]);
}
