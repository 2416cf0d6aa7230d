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
        window.location.assign("/sign-in");
      }}
    >
      Sign out
    </button>
  );
}
