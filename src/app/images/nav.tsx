import { Ways } from "@/ui/ways";

const WAYS = [
  { href: "/images", name: "Images" },
  { href: "/images/due", name: "Due" },
  { href: "/images/what-goes", name: "Retention" },
  { href: "/stores", name: "Stores" },
] as const;

/** The ways within the station of images. */
export function ImagesNav({ here }: { here: (typeof WAYS)[number]["href"] | null }) {
  return <Ways label="Images" ways={WAYS} here={here} />;
}
