import { createSHA256 } from "hash-wasm";
import { BlobSource, ReadFailed } from "@/core/bytes/source";
import { inspect } from "@/core/inspection/inspect";
import type { InspectReply, InspectRequest } from "./messages";

/** Reads a dropped file where it is: nothing of it leaves the browser but the result. */
const CHUNK_BYTES = 4 << 20;
const tell = (reply: InspectReply) => self.postMessage(reply);

self.addEventListener("message", async (event: MessageEvent<InspectRequest>) => {
  const { kind, file } = event.data;
  try {
    if (kind === "inspect") {
      const result = await inspect(new BlobSource(file), { name: file.name });
      tell({ kind: "inspected", ...result });
    } else tell({ kind: "digested", sha256: await digest(file) });
  } catch (error) {
    tell({
      kind: "failed",
      problem:
        error instanceof ReadFailed
          ? "The file could not be read: it was moved, changed or taken out meanwhile. Drop it again."
          : `A mistake inside Creel: ${error instanceof Error ? error.message : String(error)}`,
    });
  }
});

async function digest(file: File): Promise<string> {
  const source = new BlobSource(file);
  const hash = await createSHA256();
  for (let at = 0; at < file.size; at += CHUNK_BYTES) {
    hash.update(await source.read(at, CHUNK_BYTES));
    tell({ kind: "progress", doneBytes: Math.min(file.size, at + CHUNK_BYTES), totalBytes: file.size });
  }
  return hash.digest("hex");
}
