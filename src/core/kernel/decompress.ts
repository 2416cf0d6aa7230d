import { Decompress as ZstdDecompress } from "fzstd";
import { Inflate } from "pako";
import * as xzPackage from "xz-decompress";
import { Fields, hasText } from "./fields";
import { lz4Block } from "./lz4";
import { lzoBlock } from "./lzo";
import type { ByteSource } from "./source";
import { ZstdGuard } from "./zstd-guard";

/** The package is CommonJS: hosts differ in whether its names arrive beside `default` or inside it. */
const { XzReadableStream } =
  "XzReadableStream" in xzPackage ? xzPackage : (xzPackage as { default: typeof xzPackage }).default;

/** Kinds of compression that media carry; of the last three there is no decoder here. */
export type Compression = "gzip" | "xz" | "zstd" | "lz4" | "bzip2" | "lzma" | "lzo";

/** The compression of a stream by its first bytes; null where it is none of these. */
export function compressionOf(start: Uint8Array): Compression | null {
  if (hasText(start, 0, "\x1f\x8b\x08")) return "gzip";
  if (hasText(start, 0, "\xfd7zXZ\0")) return "xz";
  if (hasText(start, 0, "\x28\xb5\x2f\xfd")) return "zstd";
  if (hasText(start, 0, "\x02\x21\x4c\x18") || hasText(start, 0, "\x04\x22\x4d\x18")) return "lz4";
  if (hasText(start, 0, "BZh")) return "bzip2";
  if (hasText(start, 0, "\x5d\0\0")) return "lzma";
  if (hasText(start, 0, "\x89LZO\0")) return "lzo";
  return null;
}

/** Largest window that a Zstandard frame is given: that of its strongest ordinary setting. */
const ZSTD_WINDOW_MAX_BYTES = 128 << 20;

/** Thrown to stop a decoder from inside its own callback; never leaves this file. */
class Enough extends Error {}

/**
 * One block of a compressed file system, decoded to at most `maxBytes`. Null where it is damaged, holds more, or
 * where there is no decoder.
 */
export async function decompressBlock(
  kind: Compression | "zlib",
  block: Uint8Array,
  maxBytes: number,
): Promise<Uint8Array | null> {
  try {
    if (kind === "lz4") return lz4Block(block, maxBytes);
    if (kind === "lzo") return lzoBlock(block, maxBytes);
    const out = new Uint8Array(maxBytes);
    let filled = 0;
    const take = (piece: Uint8Array) => {
      if (filled + piece.length > maxBytes) throw new Enough();
      out.set(piece, filled);
      filled += piece.length;
    };
    if (kind === "zlib" || kind === "gzip") inflateAll(block, take);
    else if (kind === "zstd") zstdAll(block, maxBytes, take);
    else if (kind === "xz") await xzStream(oneChunk(block), take);
    else return null;
    return out.subarray(0, filled);
  } catch {
    return null;
  }
}

function inflateAll(block: Uint8Array, take: (piece: Uint8Array) => void): void {
  const decoder = new Inflate();
  decoder.onData = take;
  if (!decoder.push(block, true)) throw new Enough();
}

function zstdAll(block: Uint8Array, maxBytes: number, take: (piece: Uint8Array) => void): void {
  // A block's window is never larger than the block (or a frame's least window of 1 KiB).
  const guard = new ZstdGuard(Math.max(maxBytes, 1 << 20));
  if (!guard.push(block) || !guard.isBetweenFrames) throw new Enough();
  new ZstdDecompress(take).push(block, true);
}

async function* oneChunk(bytes: Uint8Array): AsyncGenerator<Uint8Array> {
  yield bytes;
}

async function xzStream(chunks: AsyncGenerator<Uint8Array>, take: (piece: Uint8Array) => void): Promise<void> {
  const compressed = new ReadableStream<Uint8Array>({
    async pull(controller) {
      const { value, done } = await chunks.next();
      if (done) controller.close();
      else controller.enqueue(value);
    },
  });
  const reader = new XzReadableStream(compressed).getReader();
  try {
    for (;;) {
      const { value, done } = await reader.read();
      if (done) return;
      take(value);
    }
  } finally {
    await reader.cancel().catch(() => {});
  }
}

/** How a stream ended: at its end, as asked, at damage, or without a decoder for it. */
export type StreamEnd = "whole" | "stopped" | "damaged" | "no-decoder";

const CHUNK_BYTES = 256 * 1024;

/**
 * Decodes a stream from `offset` to the end of the source and hands over its content piece by piece, until `take`
 * answers false. Memory stays bounded whatever the stream says.
 */
export async function decompressStream(
  kind: Compression,
  source: ByteSource,
  offset: number,
  take: (piece: Uint8Array) => boolean,
): Promise<StreamEnd> {
  let stopped = false;
  const handOver = (piece: Uint8Array) => {
    if (piece.length === 0) return;
    if (stopped || !take(piece)) {
      stopped = true;
      throw new Enough();
    }
  };
  const chunks = async function* () {
    for (let at = offset; at < source.sizeBytes && !stopped; at += CHUNK_BYTES) {
      const bytes = await source.read(at, CHUNK_BYTES);
      if (bytes.length === 0) return;
      yield bytes;
    }
  };
  try {
    if (kind === "gzip") await gunzip(chunks(), handOver);
    else if (kind === "zstd") await unzstd(chunks(), handOver);
    else if (kind === "xz") await xzStream(chunks(), handOver);
    else if (kind === "lz4") await unlz4(source, offset, handOver);
    else return "no-decoder";
    return "whole";
  } catch {
    return stopped ? "stopped" : "damaged";
  }
}

/** Members one after the other, each with its check sum and length (RFC 1952, 2.2 and 2.3.1). */
async function gunzip(chunks: AsyncGenerator<Uint8Array>, take: (piece: Uint8Array) => void): Promise<void> {
  let decoder: Inflate | null = null;
  for await (const chunk of chunks) {
    if (!decoder || decoder.ended) {
      // Padding after the last member is no further member.
      if (decoder && chunk[0] === 0) return;
      decoder = new Inflate();
      decoder.onData = take;
    }
    if (!decoder.push(chunk)) throw new Enough();
  }
  // At a damaged or missing end the decoder still holds what it has; it is handed over before that is said.
  if (!decoder || (!decoder.ended && !decoder.push(new Uint8Array(0), true))) throw new Enough();
}

async function unzstd(chunks: AsyncGenerator<Uint8Array>, take: (piece: Uint8Array) => void): Promise<void> {
  const guard = new ZstdGuard(ZSTD_WINDOW_MAX_BYTES);
  const decoder = new ZstdDecompress(take);
  for await (const chunk of chunks) {
    if (!guard.push(chunk)) throw new Enough();
    decoder.push(chunk);
  }
  decoder.push(new Uint8Array(0), true);
  if (!guard.isBetweenFrames) throw new Enough();
}

/** Largest block of the LZ4 legacy frame (8 MiB) and of the modern one (4 MiB). */
const LZ4_LEGACY_BLOCK_BYTES = 8 << 20;
const LZ4_BLOCK_BYTES = [0, 0, 0, 0, 64 << 10, 256 << 10, 1 << 20, 4 << 20];

/** lz4_Frame_format.md of the LZ4 project: the legacy frame, which kernels use, and independent blocks of the modern one. */
async function unlz4(source: ByteSource, offset: number, take: (piece: Uint8Array) => void): Promise<void> {
  let at = offset;
  let frame: "legacy" | { blockBytes: number; blockChecksum: boolean; contentChecksum: boolean } | null = null;
  let frames = 0;
  for (;;) {
    const bytes = await source.read(at, 4);
    at += 4;
    const size = bytes.length === 4 ? new Fields(bytes).u32le(0) : 0;
    const modern = frame === "legacy" ? null : frame;
    if (size === 0 && !modern) {
      // A legacy frame has no end mark: it ends with the file, or at padding.
      if (frames === 0 || bytes.some((byte) => byte !== 0)) throw new Enough();
      return;
    }
    if (size === 0 && modern) {
      at += modern.contentChecksum ? 4 : 0;
      if (at > source.sizeBytes) throw new Enough();
      frame = null;
      continue;
    }
    if (size === 0x184c2102) {
      frame = "legacy";
      frames++;
      continue;
    }
    if (size === 0x184d2204) {
      const head = await source.read(at, 15);
      const flags = head[0] ?? 0;
      // Blocks that depend on their forerunners are not decoded here.
      if (head.length < 3 || flags >> 6 !== 1 || !(flags & 0x20)) throw new Enough();
      const blockBytes = LZ4_BLOCK_BYTES[((head[1] ?? 0) >> 4) & 7] as number;
      frame = { blockBytes, blockChecksum: (flags & 0x10) !== 0, contentChecksum: (flags & 4) !== 0 };
      at += 3 + (flags & 8 ? 8 : 0) + (flags & 1 ? 4 : 0);
      frames++;
      continue;
    }
    if (!frame) throw new Enough();
    const raw = modern !== null && (size & 0x80000000) !== 0;
    const sizeBytes = size & 0x7fffffff;
    const limit = modern?.blockBytes ?? LZ4_LEGACY_BLOCK_BYTES;
    // A block that does not shrink may be a little longer than its content.
    if (sizeBytes > limit + limit / 128 + 64) throw new Enough();
    const block = await source.read(at, sizeBytes);
    if (block.length < sizeBytes) throw new Enough();
    const content = raw ? block : lz4Block(block, limit);
    if (!content) throw new Enough();
    take(content);
    at += sizeBytes + (modern?.blockChecksum ? 4 : 0);
  }
}
