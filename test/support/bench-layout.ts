import { inOrder, type Layout } from "@/core/formats/pieces";
import { MemorySource } from "@/core/kernel/source";
import { dice } from "./dice";

/** Three runs with gaps between them, made from a seed: what every process and the test know. */
export function layoutOf(seed: number): Layout {
  const roll = dice(seed);
  const bytes = (length: number) => {
    const out = new Uint8Array(length);
    for (let at = 0; at < length; at += 4096) out.fill(roll(256), at, at + 4096);
    return new MemorySource(out);
  };
  const pieces = [
    { start: 0, content: bytes(3 << 20) },
    { start: 8 << 20, content: bytes((21 << 20) + 512) },
    { start: 60 << 20, content: bytes(1 << 20) },
  ];
  return { sizeBytes: 64 << 20, pieces: inOrder(pieces) };
}
