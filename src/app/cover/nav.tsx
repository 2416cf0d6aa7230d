import { Ways } from "@/ui/ways";

const WAYS = [
  { href: "/cover", name: "Cover" },
  { href: "/cover/plans", name: "Plans" },
  { href: "/policy", name: "Policy and ways" },
] as const;

/** The ways within the station of cover. */
export function CoverNav({ here }: { here: (typeof WAYS)[number]["href"] | null }) {
  return <Ways label="Cover" ways={WAYS} here={here} />;
}
