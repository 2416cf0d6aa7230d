/**
 * Bits out of little-endian words of 16, the highest first, as XPRESS and LZX have them (MS-XCA 2.1.4.1; MS-PATCH 2.2).
 * Behind the end there are zeros: whoever decodes has an end of their own.
 */
export class WordBits {
  /** The next bits, from the top down, and how many there are. Hot loops keep them at hand, and give them back. */
  bits = 0;
  left = 0;
  /** What is read, with room behind its end: reading beyond what a memory has is slow. */
  readonly bytes: Uint8Array;
  private readonly end: number;
  constructor(
    bytes: Uint8Array,
    public at: number,
  ) {
    this.end = bytes.length;
    this.bytes = new Uint8Array(bytes.length + 8);
    this.bytes.set(bytes);
  }

  private fill(wanted: number): void {
    while (this.left < wanted) {
      // What is not there at all comes to 0 here, too.
      const word = (this.bytes[this.at] as number) | ((this.bytes[this.at + 1] as number) << 8);
      this.at += 2;
      this.bits |= word << (16 - this.left);
      this.left += 16;
    }
  }

  /** The next bits without taking them: 1 to 16. */
  peek(count: number): number {
    if (this.left < count) this.fill(count);
    return this.bits >>> (32 - count);
  }

  skip(count: number): void {
    this.bits <<= count;
    this.left -= count;
  }

  /** The next bits: 0 to 16. */
  take(count: number): number {
    if (count === 0) return 0;
    const value = this.peek(count);
    this.skip(count);
    return value;
  }

  /** The next byte behind the words that were begun. */
  byte(): number {
    return this.bytes[this.at++] ?? 0;
  }

  word(): number {
    return this.byte() | (this.byte() << 8);
  }

  /** Leaves the word that was begun, or a whole one where none was; what follows stands in bytes. Gives where. */
  align(): number {
    // Words that were read ahead are not begun.
    this.at -= (this.left >> 4) * 2;
    if ((this.left & 15) === 0) this.at += 2;
    this.bits = 0;
    this.left = 0;
    return this.at;
  }

  /** Goes on behind bytes that were read directly. */
  moveTo(at: number): void {
    this.at = at;
  }

  /** Whether more was taken than there is. */
  get isPastEnd(): boolean {
    return this.at - (this.left >> 3) > this.end + 1;
  }
}
