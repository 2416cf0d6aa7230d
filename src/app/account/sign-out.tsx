"use client";

import { useReady } from "@/ui/use-ready";
import { ask } from "../_door/ask";

export function SignOut() {
  const ready = useReady();
  return (
    <button
      type="button"
      className="act"
      aria-busy={!ready}
      onClick={async () => {
        await ask("/sign-out", {});
        // Sheets that were kept for use without a connection are for whoever was signed in.
        if ("caches" in window) for (const name of await caches.keys()) await caches.delete(name);
        window.location.assign("/sign-in");
      }}
    >
      Sign out
    </button>
  );
}
