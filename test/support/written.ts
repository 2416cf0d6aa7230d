import { closeSync, ftruncateSync, openSync, writeSync } from "node:fs";
import type { Layout } from "@/core/formats/pieces";
import { isZero } from "@/core/kernel/fields";

const CHUNK_BYTES = 1 << 20;

/** Writes a layout to a file as large as it is; what is zero stays a hole. */
export async function writeLayout(layout: Layout, file: string): Promise<void> {
  const handle = openSync(file, "w");
  ftruncateSync(handle, layout.sizeBytes);
  for (const { start, content } of layout.pieces)
    for (let at = 0; at < content.sizeBytes; at += CHUNK_BYTES) {
      const bytes = await content.read(at, Math.min(CHUNK_BYTES, content.sizeBytes - at));
      if (!isZero(bytes)) writeSync(handle, bytes, 0, bytes.length, start + at);
    }
  closeSync(handle);
}
