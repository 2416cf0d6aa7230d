import { Fields } from "./fields";

const MAGIC = 0xfd2fb528;
const HEADER_MAX = 18;

/**
 * Follows the frames of a Zstandard stream (RFC 8878, 3.1) without decoding it, and says where one asks for a larger
 * window than is given to it: decoders allocate what a frame header says before they have seen any of its content.
 */
export class ZstdGuard {
  private state: "magic" | "header" | "block" | "skip" = "magic";
  private readonly held = new Uint8Array(HEADER_MAX);
  private heldBytes = 0;
  private wanted = 4;
  private skipBytes = 0;
  private afterSkip: "magic" | "block" = "magic";
  private wantedAfterSkip = 4;
  private hasChecksum = false;
  private position = 0;
  /** Bytes from the beginning to the end of the first frame; null while it has not ended. */
  firstFrameBytes: number | null = null;

  constructor(private readonly windowMaxBytes: number) {}

  /** False where the stream is none, or asks for too much. */
  push(chunk: Uint8Array): boolean {
    let at = 0;
    while (at < chunk.length) {
      if (this.state === "skip") {
        const step = Math.min(this.skipBytes, chunk.length - at);
        at += step;
        this.position += step;
        this.skipBytes -= step;
        if (this.skipBytes === 0) this.collect(this.afterSkip, this.wantedAfterSkip);
        continue;
      }
      const step = Math.min(this.wanted - this.heldBytes, chunk.length - at);
      this.held.set(chunk.subarray(at, at + step), this.heldBytes);
      this.heldBytes += step;
      this.position += step;
      at += step;
      if (this.heldBytes === this.wanted && !this.take()) return false;
    }
    return true;
  }

  /** Whether every frame so far is whole: a stream that ends elsewhere is cut short. */
  get isBetweenFrames(): boolean {
    return this.state === "magic" && this.heldBytes === 0;
  }

  private collect(state: "magic" | "header" | "block", wanted: number): void {
    this.state = state;
    if (state === "magic") this.firstFrameBytes ??= this.position;
    this.wanted = wanted;
    if (state !== "header") this.heldBytes = 0;
  }

  private skip(bytes: number, then: "magic" | "block"): void {
    const wanted = then === "magic" ? 4 : 3;
    if (bytes === 0) {
      this.collect(then, wanted);
      return;
    }
    this.state = "skip";
    this.skipBytes = bytes;
    this.afterSkip = then;
    this.wantedAfterSkip = wanted;
  }

  private take(): boolean {
    const fields = new Fields(this.held);
    if (this.state === "magic") {
      const magic = fields.u32le(0);
      if (magic !== MAGIC && magic >>> 4 !== 0x184d2a5) return false;
      // The descriptor, or the size of a frame that is skipped.
      this.collect("header", magic === MAGIC ? 5 : 8);
      return true;
    }
    if (this.state === "header") return this.takeHeader(fields);
    const block = fields.u8(0) | (fields.u8(1) << 8) | (fields.u8(2) << 16);
    const [last, type, size] = [block & 1, (block >> 1) & 3, block >> 3];
    if (type === 3) return false;
    this.skip((type === 1 ? 1 : size) + (last && this.hasChecksum ? 4 : 0), last ? "magic" : "block");
    return true;
  }

  private takeHeader(fields: Fields): boolean {
    if (fields.u32le(0) !== MAGIC) {
      this.skip(fields.u32le(4), "magic");
      return true;
    }
    const descriptor = fields.u8(4);
    const single = (descriptor & 0x20) !== 0;
    const dictionaryBytes = [0, 1, 2, 4][descriptor & 3] as number;
    const sizeFlag = descriptor >> 6;
    const sizeBytes = sizeFlag > 0 ? 2 ** sizeFlag : single ? 1 : 0;
    const headerBytes = 5 + (single ? 0 : 1) + dictionaryBytes + sizeBytes;
    if (this.wanted < headerBytes) {
      this.collect("header", headerBytes);
      return true;
    }
    this.hasChecksum = (descriptor & 4) !== 0;
    const sizeAt = headerBytes - sizeBytes;
    let contentBytes = sizeFlag === 1 ? 256 : 0;
    for (let i = sizeBytes - 1, scale = 256 ** (sizeBytes - 1); i >= 0; i--, scale /= 256)
      contentBytes += fields.u8(sizeAt + i) * scale;
    const base = 2 ** (10 + (fields.u8(5) >> 3));
    const windowBytes = single ? contentBytes : base + (base / 8) * (fields.u8(5) & 7);
    this.collect("block", 3);
    return windowBytes <= this.windowMaxBytes;
  }
}
