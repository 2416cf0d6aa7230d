import { Ways } from "@/ui/ways";

const WAYS = [
  { href: "/upkeep", name: "Due" },
  { href: "/cover", name: "Cover" },
  { href: "/upkeep/visits", name: "Visits" },
  { href: "/upkeep/ahead", name: "Forecast" },
  { href: "/cover/plans", name: "Plans" },
  { href: "/upkeep/mail", name: "Calendars and mail" },
  { href: "/policy", name: "Policy and travel" },
] as const;

/** The ways within the station of upkeep. */
export function UpkeepNav({ here }: { here: (typeof WAYS)[number]["href"] | null }) {
  return <Ways label="Upkeep" ways={WAYS} here={here} />;
}
