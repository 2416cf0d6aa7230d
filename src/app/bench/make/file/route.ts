import { Readable } from "node:stream";
import { problemText } from "@/core/words/problems";
import { openMediumFile } from "@/server/bench/medium-file";
import { route } from "../../../_lib/guard";
import { makingOf, mediumWish } from "../wish";

const BLOCK_BYTES = 1 << 20;

/** A medium as a file, to be burnt or written elsewhere; the address says which, as that of its plan does. */
export const GET = route(
  "readMediumFile",
  "technician",
  async ({ request, context }) => {
    const query = new URL(request.url).searchParams;
    const values = Object.fromEntries([...new Set(query.keys())].map((key) => [key, query.getAll(key)]));
    const making = makingOf(values);
    const wish = mediumWish(making);
    if (!wish) return new Response("Choose a release and a tag first.", { status: 400 });
    const bytes = making.onto && "file" in making.onto ? making.onto.file : null;
    const opened = await openMediumFile(context, wish, bytes);
    if (!opened.ok) return new Response(problemText(opened.problem), { status: 400 });
    const { name, source, close } = opened.value;
    async function* blocks(): AsyncGenerator<Uint8Array> {
      try {
        for (let at = 0; at < source.sizeBytes; at += BLOCK_BYTES) {
          const wanted = Math.min(BLOCK_BYTES, source.sizeBytes - at);
          const block = await source.read(at, wanted);
          // A file that ends early is refused by whoever downloads it: its length was told before.
          if (block.length < wanted) throw new Error("The release's file could not be read to its end.");
          yield block;
        }
      } finally {
        await close();
      }
    }
    return new Response(Readable.toWeb(Readable.from(blocks(), { objectMode: false })) as ReadableStream<Uint8Array>, {
      headers: {
        "content-type": "application/octet-stream",
        "content-length": String(source.sizeBytes),
        "content-disposition": `attachment; filename*=UTF-8''${encodeURIComponent(name)}`,
      },
    });
  },
  { isWritten: true },
);
