import { Ways } from "@/ui/ways";

const WAYS = [
  { href: "/people", name: "People" },
  { href: "/organisation", name: "Organisation" },
  { href: "/tokens", name: "Tokens" },
  { href: "/audit", name: "Audit" },
] as const;

/** What an administrator looks after, beside the inventory. */
export function OfPeople({ here }: { here: (typeof WAYS)[number]["href"] }) {
  return <Ways label="Administration" ways={WAYS} here={here} />;
}
