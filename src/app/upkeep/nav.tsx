import { Ways } from "@/ui/ways";

const WAYS = [
  { href: "/upkeep", name: "Due" },
  { href: "/cover", name: "Cover" },
  { href: "/upkeep/visits", name: "Visits" },
  { href: "/upkeep/ahead", name: "Ahead" },
  { href: "/cover/plans", name: "Plans" },
  { href: "/upkeep/mail", name: "Told" },
  { href: "/policy", name: "Policy and ways" },
] as const;

/** The ways within the station of upkeep. */
export function UpkeepNav({ here }: { here: (typeof WAYS)[number]["href"] | null }) {
  return <Ways label="Upkeep" ways={WAYS} here={here} />;
}
