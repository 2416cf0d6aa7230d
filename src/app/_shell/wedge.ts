/** Between two keys of a scanner pass some milliseconds, between two of a person more than fifty (common practice). */
const SCANNER_MS = 50;
/** A tag has more letters than this; what is shorter was typed. */
const LEAST_LETTERS = 3;

/**
 * Tells a handheld scanner, which types what it reads and ends it with Enter, from a person who presses one key: wherever the
 * focus is, so that a tag is found from every page.
 */
export class Wedge {
  private text = "";
  private at = Number.NEGATIVE_INFINITY;
  private waiting: ReturnType<typeof setTimeout> | undefined;

  constructor(
    private readonly pressed: (key: string) => void,
    private readonly scanned: (text: string) => void,
  ) {}

  /** Takes a key, `at` in milliseconds; false where it is nothing for either. */
  takes(key: string, at: number): boolean {
    const isFast = at - this.at < SCANNER_MS;
    if (key === "Enter") {
      const { text } = this;
      this.text = "";
      if (!isFast || text.length < LEAST_LETTERS) return false;
      this.end();
      this.scanned(text);
      return true;
    }
    // Shift and the like come between the letters of a scanner, too.
    if ([...key].length !== 1) return false;
    this.end();
    // No tag begins with it, and what is typed behind it is for the field.
    if (key === "/" && !isFast) {
      this.pressed(key);
      return true;
    }
    this.text = isFast ? this.text + key : key;
    this.at = at;
    // A key alone is a person's: that is known once no other follows at a scanner's pace.
    if (this.text === key) this.waiting = setTimeout(() => this.pressed(key), SCANNER_MS + 10);
    return isFast;
  }

  end(): void {
    clearTimeout(this.waiting);
  }
}
