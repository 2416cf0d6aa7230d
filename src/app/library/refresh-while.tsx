"use client";

import { useRouter } from "next/navigation";
import { useEffect } from "react";

const EVERY_MS = 1_500;

/** Loads the page again and again for as long as it stands there: what it waits for takes seconds. */
export function RefreshWhile() {
  const router = useRouter();
  useEffect(() => {
    const timer = setInterval(() => router.refresh(), EVERY_MS);
    return () => clearInterval(timer);
  }, [router]);
  return null;
}
