import { Ways } from "@/ui/ways";

const WAYS = [
  { href: "/computers", name: "List" },
  { href: "/computers/facts", name: "Take in facts" },
  { href: "/computers/import", name: "Tables in and out" },
  { href: "/boot-keys", name: "Key cards" },
  { href: "/operating-systems", name: "Systems" },
] as const;

/** The ways within the station of computers. */
export function ComputersNav({ here }: { here: (typeof WAYS)[number]["href"] }) {
  return <Ways label="Computers" ways={WAYS} here={here} />;
}
