import { Ways } from "@/ui/ways";

const WAYS = [
  { href: "/bench", name: "Berths" },
  { href: "/bench/devices", name: "Devices" },
  { href: "/bench/hosts", name: "Hosts" },
] as const;

/** The ways within the bench. */
export function BenchNav({ here }: { here: (typeof WAYS)[number]["href"] }) {
  return <Ways label="Bench" ways={WAYS} here={here} />;
}
