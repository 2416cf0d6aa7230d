import { latin1 } from "../kernel/fields";

/** Archives of the "newc" form, one or several after each other, as initrd images are; the kernel's Documentation/driver-api/early-userspace/buffer-format.rst. */
const HEADER_BYTES = 110;
const NAME_MAX_BYTES = 4096;
/** Zeros between archives are padding up to a sector or a page; a longer run is no archive. */
const PADDING_MAX_BYTES = 1 << 20;
const MODE_TYPE = 0xf000;
const MODE_FILE = 0x8000;

interface CpioFile {
  /** Without leading "./" or "/". */
  path: string;
  sizeBytes: number;
}

/** What is wanted of a file: its content, handed over once it is whole, or nothing. */
export type CpioTaker = (file: CpioFile) => ((content: Uint8Array) => void) | null;

/**
 * Takes archives in pieces of any size. What is not wanted is passed over; `skippable` says how many of the bytes
 * to come need not even be read. It ends at the first byte that is no archive, at `endedAt`.
 */
export class CpioReader {
  private held: Uint8Array = new Uint8Array(HEADER_BYTES + NAME_MAX_BYTES);
  private heldBytes = 0;
  private wanted = 0;
  private state: "between" | "header" | "name" | "content" | "skip" | "ended" = "between";
  private left = 0;
  private content: { bytes: Uint8Array; filled: number; done: (content: Uint8Array) => void; padding: number } | null =
    null;
  private sizeBytes = 0;
  private mode = 0;
  private nameBytes = 0;
  private position = 0;
  private paddingBytes = 0;
  /** Files seen. */
  files = 0;
  /** Bytes from the start at which something that is no archive begins; null while there is none. */
  endedAt: number | null = null;

  /** `contentMaxBytes`: a wanted file larger than this is passed over. */
  constructor(
    private readonly taker: CpioTaker,
    private readonly contentMaxBytes: number,
  ) {}

  get skippable(): number {
    return this.state === "skip" ? this.left : 0;
  }

  /** Says that so many bytes of what may be skipped were not handed over. */
  skipped(bytes: number): void {
    this.position += bytes;
    this.left -= bytes;
    if (this.left === 0) this.state = "between";
  }

  /** False once nothing further can be read. */
  push(chunk: Uint8Array): boolean {
    let at = 0;
    while (at < chunk.length) {
      const before = at;
      at = this.step(chunk, at);
      this.position += at - before;
      if (this.state === "ended") return false;
    }
    return true;
  }

  private step(chunk: Uint8Array, at: number): number {
    switch (this.state) {
      case "between": {
        let next = at;
        while (next < chunk.length && chunk[next] === 0) next++;
        this.paddingBytes += next - at;
        if (this.paddingBytes > PADDING_MAX_BYTES) return this.end(0, next);
        if (next < chunk.length) {
          this.paddingBytes = 0;
          if (chunk[next] !== 0x30) return this.end(next - at, next);
          this.collect("header", HEADER_BYTES);
        }
        return next;
      }
      case "skip": {
        const step = Math.min(this.left, chunk.length - at);
        this.left -= step;
        if (this.left === 0) this.state = "between";
        return at + step;
      }
      case "content":
        return this.takeContent(chunk, at);
      default: {
        const step = Math.min(this.wanted - this.heldBytes, chunk.length - at);
        this.held.set(chunk.subarray(at, at + step), this.heldBytes);
        this.heldBytes += step;
        if (this.heldBytes === this.wanted) {
          if (this.state === "header") this.takeHeader(at + step);
          else this.takeName();
        }
        return at + step;
      }
    }
  }

  private end(ahead: number, next: number): number {
    this.state = "ended";
    this.endedAt = this.position + ahead;
    return next;
  }

  private collect(state: "header" | "name", bytes: number): void {
    this.state = state;
    this.wanted = bytes;
    this.heldBytes = 0;
  }

  private takeHeader(at: number): void {
    const text = latin1(this.held.subarray(0, HEADER_BYTES));
    if (!/^07070[12][0-9A-Fa-f]{104}$/.test(text)) {
      this.end(0, at);
      return;
    }
    const field = (index: number) => Number.parseInt(text.slice(6 + index * 8, 14 + index * 8), 16);
    this.mode = field(1);
    this.sizeBytes = field(6);
    this.nameBytes = field(11);
    if (this.nameBytes === 0 || this.nameBytes > NAME_MAX_BYTES) {
      this.end(0, at);
      return;
    }
    // Header and name together end at a multiple of four.
    this.collect("name", Math.ceil((HEADER_BYTES + this.nameBytes) / 4) * 4 - HEADER_BYTES);
  }

  private takeName(): void {
    const path = new TextDecoder().decode(this.held.subarray(0, this.nameBytes - 1)).replace(/^(\.?\/)+/, "");
    const padding = (4 - (this.sizeBytes % 4)) % 4;
    this.files++;
    const isFile = (this.mode & MODE_TYPE) === MODE_FILE && this.sizeBytes <= this.contentMaxBytes;
    const done = isFile ? this.taker({ path, sizeBytes: this.sizeBytes }) : null;
    if (done && this.sizeBytes === 0) done(new Uint8Array(0));
    if (done && this.sizeBytes > 0) {
      this.content = { bytes: new Uint8Array(this.sizeBytes), filled: 0, done, padding };
      this.state = "content";
      return;
    }
    this.left = this.sizeBytes + padding;
    this.state = this.left > 0 ? "skip" : "between";
  }

  private takeContent(chunk: Uint8Array, at: number): number {
    const { content } = this;
    if (!content) return chunk.length;
    const piece = chunk.subarray(at, at + content.bytes.length - content.filled);
    content.bytes.set(piece, content.filled);
    content.filled += piece.length;
    if (content.filled === content.bytes.length) {
      this.content = null;
      this.left = content.padding;
      this.state = this.left > 0 ? "skip" : "between";
      content.done(content.bytes);
    }
    return at + piece.length;
  }
}
