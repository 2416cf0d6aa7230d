import { itemAt } from "./item-at";
import { type ByteSource, readInto } from "./source";

/** Several sources one after the other, as one: a file that was split. */
export class ConcatSource implements ByteSource {
  readonly sizeBytes: number;
  private readonly starts: number[] = [];
  constructor(private readonly parts: readonly ByteSource[]) {
    let at = 0;
    for (const { sizeBytes } of parts) {
      this.starts.push(at);
      at += sizeBytes;
    }
    this.sizeBytes = at;
  }

  async read(offset: number, length: number): Promise<Uint8Array> {
    const out = new Uint8Array(Math.max(0, Math.min(length, this.sizeBytes - offset)));
    return out.subarray(0, await this.readInto(offset, out));
  }

  /** Ends where a part gives less than it said: what follows would stand at the wrong place. */
  async readInto(offset: number, target: Uint8Array): Promise<number> {
    let filled = 0;
    for (const [at, part] of this.parts.entries()) {
      const start = itemAt(this.starts, at);
      const from = offset + filled - start;
      if (from < 0 || from >= part.sizeBytes || filled === target.length) continue;
      const wanted = Math.min(target.length - filled, part.sizeBytes - from);
      const got = await readInto(part, from, target.subarray(filled, filled + wanted));
      filled += got;
      if (got < wanted) break;
    }
    return filled;
  }
}
