import { spawn } from "node:child_process";
import { once } from "node:events";
import { Readable } from "node:stream";
import parseRange from "range-parser";
import type { ByteSource } from "@/core/kernel/source";

const BLOCK_BYTES = 1 << 20;

/** Something large that is sent as a file. */
export interface SentFile {
  name: string;
  /** Differs where a byte may. */
  version: string;
  source: ByteSource;
  close: () => Promise<void>;
}

/** A part of a file, block by block; one that cannot be read to its end breaks off. */
async function* blocksOf({ source }: SentFile, from: number, end: number): AsyncGenerator<Uint8Array> {
  for (let at = from; at < end; at += BLOCK_BYTES) {
    const wanted = Math.min(BLOCK_BYTES, end - at);
    const block = await source.read(at, wanted);
    // What ends early is refused by whoever downloads it: its length was told before.
    if (block.length < wanted) throw new Error("What is sent could not be read to its end.");
    yield block;
  }
}

/** A part of a file as a stream, and the file closed after, also where nothing of it is ever read. */
export function streamOf(file: SentFile, from: number, end: number): Readable {
  const stream = Readable.from(blocksOf(file, from, end), { objectMode: false });
  return stream.once("close", () => void file.close());
}

const named = (name: string) => ({
  "content-type": "application/octet-stream",
  "content-disposition": `attachment; filename*=UTF-8''${encodeURIComponent(name)}`,
});

/**
 * Answers with a file, or with the part of it that is asked for (RFC 9110, 14): a download that broke off goes on where it
 * stood, as long as it would have the same bytes (`If-Range`, 13.1.5). Closes the file when it is sent.
 */
export function rangedAnswer(asked: Pick<Headers, "get">, file: SentFile): Response {
  const { sizeBytes } = file.source;
  const etag = `"${file.version}"`;
  const headers = { ...named(file.name), etag, "accept-ranges": "bytes" };
  const condition = asked.get("if-range");
  const told = condition === null || condition === etag ? asked.get("range") : null;
  const ranges = told === null ? null : parseRange(sizeBytes, told);
  if (ranges === -1) {
    void file.close();
    return new Response(null, { status: 416, headers: { "content-range": `bytes */${sizeBytes}` } });
  }
  // Several ranges, or what is no range, are answered with the whole.
  const only = Array.isArray(ranges) && ranges.length === 1 && ranges.type === "bytes" ? ranges[0] : undefined;
  const [from, end] = only ? [only.start, only.end + 1] : [0, sizeBytes];
  return new Response(Readable.toWeb(streamOf(file, from, end)) as ReadableStream<Uint8Array>, {
    status: only ? 206 : 200,
    headers: {
      ...{ ...headers, "content-length": String(end - from) },
      ...(only ? { "content-range": `bytes ${from}-${end - 1}/${sizeBytes}` } : {}),
    },
  });
}

/**
 * Answers with the file packed by Debian's `zstd` (RFC 8878), as it is packed; null where there is no such program. What
 * ends early cuts the connection.
 */
export async function packedAnswer(file: SentFile): Promise<Response | null> {
  const packer = spawn("zstd", ["-q", "-3", "-c"], { stdio: ["pipe", "pipe", "ignore"] });
  const isThere = await Promise.race([once(packer, "spawn").then(() => true), once(packer, "error").then(() => false)]);
  if (!isThere) {
    await file.close();
    return null;
  }
  const feeding = streamOf(file, 0, file.source.sizeBytes);
  feeding.on("error", (error) => packer.stdout.destroy(error));
  packer.stdout.on("close", () => {
    feeding.destroy();
    packer.kill();
  });
  packer.stdin.on("error", () => feeding.destroy());
  feeding.pipe(packer.stdin);
  const body = Readable.toWeb(packer.stdout) as ReadableStream<Uint8Array>;
  return new Response(body, { headers: { ...named(`${file.name}.zst`), "content-type": "application/zstd" } });
}
