"use client";

import { useRouter } from "next/navigation";
import { useRef, useState } from "react";
import type { Marks } from "@/server/work/marks";
import { useProgress } from "../_lib/use-progress";

/** Loads the page again once there is something new of a kind; nothing of what somebody types is lost by that. */
export function KeepCurrent({ mark }: { mark: keyof Marks }) {
  const router = useRouter();
  const seen = useRef<string | null>(null);
  const [isHearing, setHearing] = useState(false);
  useProgress(({ marks }) => {
    const now = marks[mark];
    if (seen.current !== null && seen.current !== now) router.refresh();
    seen.current = now;
    setHearing(true);
  });
  // Whoever tests a page waits for it.
  return isHearing ? <span hidden data-hears={mark} /> : null;
}
