import type { StoreKind } from "@/server/images/stores";

export const STORE_KIND_WORDS: Record<StoreKind, string> = {
  medium: "A partition on a medium",
  disk: "An external disk",
  share: "A share in the network",
  host: "Another host",
  block: "A block device of the network",
  computer: "A disk built into a computer",
};
