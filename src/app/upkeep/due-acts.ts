import type { DueItem } from "@/core/upkeep/due";

/** Where something that is due is done, and how that is called. */
export function actOf({ kind, medium, computer, reason }: DueItem): { href: string; text: string } {
  const query = (given: Record<string, string | null>) =>
    new URLSearchParams(Object.entries(given).flatMap(([key, value]) => (value === null ? [] : [[key, value]])));
  const itsMedium = `/media/${encodeURIComponent(medium ?? "")}`;
  switch (kind) {
    case "drill":
    case "planned-drill":
      return { href: `/drills/new?${query({ medium, computer })}`, text: "Record drill" };
    case "verification":
    case "wear":
    case "loan":
      return { href: itsMedium, text: `See ${medium}` };
    case "image":
      return { href: `/images/take?${query({ computer })}`, text: "Take image" };
    case "store":
      return {
        href: reason.code === "store-full" ? `/stores/${reason.storeId}` : "/stores",
        text: "Show store",
      };
    case "superseded":
    case "system-files":
    case "environment":
      return { href: "/bench", text: "Open bench" };
    case "ended":
      return reason.code === "system-ended"
        ? { href: `/computers?${query({ system: reason.system })}`, text: "Show computers" }
        : { href: "/bench", text: "Open bench" };
    case "spares":
      return { href: "/cover/plans/new", text: "Plan cover" };
    case "facts":
      return { href: "/computers/facts", text: "Import facts" };
    case "stocktake":
      return { href: "/sites", text: "Show sites" };
  }
}
