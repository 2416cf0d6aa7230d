import { createHash } from "node:crypto";
import type { HasherMaker } from "@/core/medium/integrity/hashing";

/** The engine's own digests are several times faster than those that also run in a browser. */
export const nativeHasher: HasherMaker = async (name) => {
  const hash = createHash(name);
  return { update: (bytes) => void hash.update(bytes), digest: () => hash.digest("hex") };
};
