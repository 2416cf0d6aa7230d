import { Ways } from "@/ui/ways";

const WAYS = [
  { href: "/kits", name: "Kits and releases" },
  { href: "/look", name: "Read a file" },
  { href: "/library", name: "Library" },
  { href: "/releases/compare", name: "Compare two releases" },
] as const;

/** The ways within the station of kits. */
export function KitsNav({ here }: { here: (typeof WAYS)[number]["href"] | null }) {
  return <Ways label="Kits" ways={WAYS} here={here} />;
}
