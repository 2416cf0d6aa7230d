import { compressionOf, decompressStream, type StreamEnd } from "../kernel/decompress";
import type { ByteSource } from "../kernel/source";
import { CpioReader, type CpioTaker } from "./cpio";

/** What became of reading an initrd image. */
export interface InitrdReading {
  /** It unpacks to more than was allowed. */
  tooLarge: boolean;
  /** What was unpacked of it. */
  unpackedBytes: number;
  /** Files seen in all its archives. */
  files: number;
  /** Null where it is no initrd image at all. */
  end: StreamEnd | null;
  compression: string | null;
}

const STEP_BYTES = 256 * 1024;
const SEGMENTS_MAX = 8;

/**
 * Reads an initrd image: archives one after the other, plain or compressed, as the kernel unpacks them (the kernel's
 * init/initramfs.c). Wanted files up to `contentBytes` are handed over.
 */
export async function readInitrd(
  source: ByteSource,
  taker: CpioTaker,
  limits: { contentBytes: number; unpackedBytes: number },
): Promise<InitrdReading> {
  const reading: InitrdReading = { tooLarge: false, unpackedBytes: 0, files: 0, end: null, compression: null };
  let at = 0;
  for (let segment = 0; segment < SEGMENTS_MAX; segment++) {
    const start = await firstByte(source, at);
    if (start === null) return reading;
    const head = await source.read(start, 16);
    const kind = compressionOf(head);
    const reader = new CpioReader(taker, limits.contentBytes);
    if (kind) {
      let unpacked = 0;
      const end = await decompressStream(kind, source, start, (piece) => {
        unpacked += piece.length;
        return unpacked <= limits.unpackedBytes && reader.push(piece);
      });
      if (reader.files === 0 && end !== "no-decoder")
        return { ...reading, tooLarge: unpacked > limits.unpackedBytes, unpackedBytes: unpacked };
      const tooLarge = unpacked > limits.unpackedBytes;
      // What follows the last archive and is none is left alone, as the kernel does.
      const ended = end === "stopped" && !tooLarge ? "whole" : end;
      return { tooLarge, unpackedBytes: unpacked, files: reading.files + reader.files, end: ended, compression: kind };
    }
    at = await readPlain(source, start, reader);
    if (reader.files === 0) return reading;
    reading.files += reader.files;
    reading.end = "whole";
    if (reader.endedAt === null) return reading;
    at = start + reader.endedAt;
  }
  return reading;
}

/** Zeros between archives are padding. */
async function firstByte(source: ByteSource, from: number): Promise<number | null> {
  for (let at = from; at < source.sizeBytes; at += STEP_BYTES) {
    const bytes = await source.read(at, STEP_BYTES);
    const found = bytes.findIndex((byte) => byte !== 0);
    if (found >= 0) return at + found;
  }
  return null;
}

async function readPlain(source: ByteSource, start: number, reader: CpioReader): Promise<number> {
  let at = start;
  while (at < source.sizeBytes) {
    const skip = Math.min(reader.skippable, source.sizeBytes - at);
    if (skip > 0) {
      reader.skipped(skip);
      at += skip;
      continue;
    }
    const bytes = await source.read(at, STEP_BYTES);
    if (bytes.length === 0 || !reader.push(bytes)) break;
    at += bytes.length;
  }
  return at;
}
