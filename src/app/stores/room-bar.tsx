import type { StoreRow } from "@/server/images/stores";

/** What a store holds, to one scale with others: used is filled, free is hatched. */
export function RoomBar({
  store,
  scaleBytes,
}: {
  store: Pick<StoreRow, "capacityBytes" | "freeBytes">;
  scaleBytes: number;
}) {
  const { capacityBytes, freeBytes } = store;
  if (capacityBytes === null || capacityBytes === 0) return null;
  const used = freeBytes === null ? 0 : capacityBytes - freeBytes;
  return (
    <div
      aria-hidden="true"
      className="h-3 border border-quiet hatched"
      style={{ width: `${Math.max(0.8, (capacityBytes / scaleBytes) * 100)}%` }}
    >
      <div className="h-full bg-rope-soft" style={{ width: `${(used / capacityBytes) * 100}%` }} />
    </div>
  );
}
