import { Ways } from "@/ui/ways";

const WAYS = [
  { href: "/computers", name: "List" },
  { href: "/computers/arrivals", name: "Arrivals" },
  { href: "/computers/collect", name: "Collect facts" },
  { href: "/computers/facts", name: "Import facts" },
  { href: "/computers/import", name: "Import and export" },
  { href: "/boot-keys", name: "Boot keys" },
  { href: "/operating-systems", name: "Operating systems" },
] as const;

/** The ways within the station of computers. */
export function ComputersNav({ here }: { here: (typeof WAYS)[number]["href"] }) {
  return <Ways label="Computers" ways={WAYS} here={here} />;
}
