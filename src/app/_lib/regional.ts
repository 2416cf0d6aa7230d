import { ownOrganisation } from "@/server/accounts/organisation";
import type { Context } from "@/server/context";
import { type Regional, regional, speakOf } from "@/ui/regional";

/** What another server changed is in pages within this time. */
const KEPT_MS = 10_000;
const kept = globalThis as typeof globalThis & { creelRegionalAt?: number };

/** Looks up in what time zone and currency pages speak, and says it to what draws them. */
export async function ownRegional({ db }: Pick<Context, "db">): Promise<Regional> {
  if (Date.now() - (kept.creelRegionalAt ?? 0) < KEPT_MS) return regional();
  const own = await ownOrganisation({ db });
  const told = { timeZone: own?.timeZone ?? "UTC", currency: own?.currency ?? null };
  speakOf(told);
  kept.creelRegionalAt = Date.now();
  return told;
}

/** The next page looks it up anew. */
export function forgetRegional(): void {
  kept.creelRegionalAt = 0;
}
