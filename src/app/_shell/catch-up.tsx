"use client";

import { usePathname, useRouter, useSearchParams } from "next/navigation";
import { useEffect, useRef, useState } from "react";
import type { FleetStanding } from "@/server/fleet/asked";

/** While chains are recomputed it is asked so often; parts of a page that come late are asked for once more. */
const AGAIN_MS = 1_000;
const LATE_MS = 2_500;

async function standing(): Promise<FleetStanding | null> {
  try {
    const response = await fetch("/api/fleet");
    return response.ok ? ((await response.json()) as FleetStanding) : null;
  } catch {
    return null;
  }
}

/**
 * A page that was told chains from before the latest changes says so, and is loaded again once they are recomputed.
 * `renderedAt`: changes with each rendering on the server.
 */
export function CatchUp({ renderedAt }: { renderedAt: number }) {
  const router = useRouter();
  const address = `${usePathname()}?${useSearchParams()}`;
  const [isBehind, setBehind] = useState(false);
  /** The moment (of `performance.now`) from which on an older answer would stand on this page. */
  const freshFrom = useRef(0);

  // biome-ignore lint/correctness/useExhaustiveDependencies: another page and another rendering are checked anew
  useEffect(() => {
    let isOver = false;
    let timer: ReturnType<typeof setTimeout>;
    const check = async (then: () => void) => {
      const asked = performance.now();
      const fleet = await standing();
      if (isOver || !fleet) return;
      setBehind(fleet.isBehind);
      if (fleet.isBehind) {
        timer = setTimeout(check, AGAIN_MS, then);
        return;
      }
      const isOlder = fleet.olderAgoMs !== null && asked - fleet.olderAgoMs > freshFrom.current;
      if (!isOlder) return then();
      freshFrom.current = asked;
      router.refresh();
    };
    check(() => {
      timer = setTimeout(check, LATE_MS, () => {});
    });
    return () => {
      isOver = true;
      clearTimeout(timer);
    };
  }, [address, renderedAt, router]);

  if (!isBehind) return null;
  return (
    <p className="caption mb-3" role="status">
      Recomputing chains after the latest changes. This page updates when they are ready.
    </p>
  );
}
