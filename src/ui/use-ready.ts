"use client";

import { useEffect, useState } from "react";

/** False until the page's code has taken over from the server's markup: what is typed before is not heard. */
export function useReady(): boolean {
  const [ready, setReady] = useState(false);
  useEffect(() => setReady(true), []);
  return ready;
}
