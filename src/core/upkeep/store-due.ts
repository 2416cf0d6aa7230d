import { type Fill, growthOf, KEPT_FREE_BYTES } from "../images/forecast";
import { dayAfter } from "../kernel/days";
import { AHEAD_DAYS } from "./due";

/** A store as far as its room matters; sizes in bytes. */
export interface StoreRoom {
  capacityBytes: number | null;
  freeBytes: number | null;
  fills: readonly Fill[];
}

/**
 * Whether a store wants room: it has none left for an image, or will have none within the days that are looked ahead, at the
 * pace at which it grew. `on`: the ISO day on which it is likely full; null: it is now. Null: it has room.
 */
export function storeDue(
  { capacityBytes, freeBytes, fills }: StoreRoom,
  today: string,
): { on: string | null; freeBytes: number } | null {
  if (freeBytes === null) return null;
  if (freeBytes <= KEPT_FREE_BYTES) return { on: null, freeBytes };
  const likely = capacityBytes === null ? null : (growthOf(fills, capacityBytes)?.full?.likely ?? null);
  // A day that is past already was reckoned from an old measurement: room was made since, or nobody looked.
  if (likely === null || likely <= today || likely > dayAfter(today, AHEAD_DAYS)) return null;
  return { on: likely, freeBytes };
}
