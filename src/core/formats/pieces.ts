import { itemAt } from "../kernel/item-at";
import { type ByteSource, readInto } from "../kernel/source";

/** A run of bytes that must stand on a medium: `[start, start + content.sizeBytes)`. */
export interface Piece {
  start: number;
  content: ByteSource;
}

/**
 * What is to stand on a medium: pieces in order that do not overlap. What lies between them is of no account: nothing
 * has to be written there, and nothing is compared.
 */
export interface Layout {
  sizeBytes: number;
  pieces: Piece[];
}

/** Bytes that a layout asks to be written. */
export function writtenBytes({ pieces }: Layout): number {
  return pieces.reduce((sum, { content }) => sum + content.sizeBytes, 0);
}

/** Zeros, as many as are wanted. */
export class ZeroSource implements ByteSource {
  constructor(readonly sizeBytes: number) {}
  async read(offset: number, length: number): Promise<Uint8Array> {
    return new Uint8Array(Math.max(0, Math.min(length, this.sizeBytes - offset)));
  }
  async readInto(offset: number, target: Uint8Array): Promise<number> {
    const bytes = Math.max(0, Math.min(target.length, this.sizeBytes - offset));
    target.fill(0, 0, bytes);
    return bytes;
  }
}

/** A layout as one source: what lies between its pieces reads as zeros, as on a medium that was empty before. */
export class LayoutSource implements ByteSource {
  readonly sizeBytes: number;
  private readonly pieces: Piece[];
  constructor({ sizeBytes, pieces }: Layout) {
    this.sizeBytes = sizeBytes;
    this.pieces = pieces;
  }
  async read(offset: number, length: number): Promise<Uint8Array> {
    const end = Math.min(offset + length, this.sizeBytes);
    if (!(offset >= 0) || end <= offset) return new Uint8Array(0);
    const only = this.pieces[this.firstReaching(offset)];
    // The usual case, a block within one large piece, is handed on as it is.
    if (only && only.start <= offset && only.start + only.content.sizeBytes >= end)
      return only.content.read(offset - only.start, end - offset);
    const out = new Uint8Array(end - offset);
    return out.subarray(0, await this.readInto(offset, out));
  }
  async readInto(offset: number, target: Uint8Array): Promise<number> {
    const end = Math.min(offset + target.length, this.sizeBytes);
    if (!(offset >= 0) || end <= offset) return 0;
    let filled = offset;
    for (let at = this.firstReaching(offset); at < this.pieces.length; at++) {
      const { start, content } = itemAt(this.pieces, at);
      if (start >= end) break;
      const from = Math.max(start, offset);
      const to = Math.min(start + content.sizeBytes, end);
      target.fill(0, filled - offset, from - offset);
      const got = await readInto(content, from - start, target.subarray(from - offset, to - offset));
      filled = from + got;
      // A piece that cannot give what it said ends the answer: zeros in its place would be a guess.
      if (got < to - from) return filled - offset;
    }
    target.fill(0, filled - offset, end - offset);
    return end - offset;
  }
  /** The first piece that ends behind `offset`. */
  private firstReaching(offset: number): number {
    let low = 0;
    let high = this.pieces.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      const { start, content } = itemAt(this.pieces, middle);
      if (start + content.sizeBytes <= offset) low = middle + 1;
      else high = middle;
    }
    return low;
  }
}

/** The same pieces further back: a volume at the start of its partition. */
export function shifted(pieces: Piece[], byBytes: number): Piece[] {
  return pieces.map(({ start, content }) => ({ start: start + byBytes, content }));
}

/** A part of a source as a piece of its own. */
class Part implements ByteSource {
  constructor(
    private readonly parent: ByteSource,
    private readonly from: number,
    readonly sizeBytes: number,
  ) {}
  read(offset: number, length: number): Promise<Uint8Array> {
    return this.parent.read(this.from + offset, Math.max(0, Math.min(length, this.sizeBytes - offset)));
  }
  readInto(offset: number, target: Uint8Array): Promise<number> {
    const length = Math.max(0, Math.min(target.length, this.sizeBytes - offset));
    return readInto(this.parent, this.from + offset, target.subarray(0, length));
  }
}

function partOf({ start, content }: Piece, from: number, to: number): Piece {
  if (from === start && to === start + content.sizeBytes) return { start, content };
  return { start: from, content: new Part(content, from - start, to - from) };
}

/** Pieces in order, with `over` in the place of whatever of `under` lies where they do. */
export function overlaid(under: Piece[], over: Piece[]): Piece[] {
  const top = inOrder(over);
  const rest: Piece[] = [];
  for (const piece of under) {
    let from = piece.start;
    const end = piece.start + piece.content.sizeBytes;
    for (const { start, content } of top) {
      const [cutFrom, cutTo] = [start, start + content.sizeBytes];
      if (cutTo <= from || cutFrom >= end) continue;
      if (cutFrom > from) rest.push(partOf(piece, from, cutFrom));
      from = Math.max(from, cutTo);
    }
    if (from < end) rest.push(partOf(piece, from, end));
  }
  return inOrder([...rest, ...top]);
}

/** Sorted, without empty ones. Pieces that overlap are a programmer's slip. */
export function inOrder(pieces: Piece[]): Piece[] {
  const sorted = pieces.filter(({ content }) => content.sizeBytes > 0).sort((a, b) => a.start - b.start);
  for (const [at, piece] of sorted.entries()) {
    const before = sorted[at - 1];
    if (before && before.start + before.content.sizeBytes > piece.start)
      throw new Error(`Two pieces both want the bytes at ${piece.start}.`);
  }
  return sorted;
}
