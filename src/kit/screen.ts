import { openSync, writeSync } from "node:fs";
import type { ReadStream } from "node:tty";

/** Of the plainest console: 80 columns, of which the last stays empty, and 24 rows. */
export const COLUMNS = 79;
export const ROWS = 24;

/** Text in lines of at most `width` letters, divided at blanks; a word that is longer is divided where the line ends. */
export function wrapped(text: string, width: number): string[] {
  const lines: string[] = [];
  let line = "";
  for (const word of plainLetters(text).split(" ")) {
    let rest = word;
    if (line !== "" && line.length + 1 + rest.length > width) {
      lines.push(line);
      line = "";
    }
    while (rest.length > width) {
      lines.push(rest.slice(0, width));
      rest = rest.slice(width);
    }
    line = line === "" ? rest : `${line} ${rest}`;
  }
  return [...lines, line];
}

/** What every console has: other letters by the nearest plain one, and a question mark where there is none. */
export function plainLetters(text: string): string {
  return text
    .replace(/[“”„]/g, '"')
    .replace(/[‘’]/g, "'")
    .replace(/[–—]/g, "-")
    .replace(/…/g, "...")
    .normalize("NFD")
    .replace(/[\u0300-\u036f]/g, "")
    .replace(/[^\x20-\x7e]/g, "?");
}

/** A heading before a text, the text's further lines below its first one. */
export function field(name: string, text: string): string[] {
  const width = 18;
  return wrapped(text, COLUMNS - width).map((line, at) => `${(at === 0 ? name : "").padEnd(width)}${line}`);
}

/** A screen: a line that says where one is, the lines, and what to press, at the end. */
export function screenOf(title: string, right: string, lines: readonly string[], press: string): string[] {
  const head = `${plainLetters(title)
    .slice(0, 40)
    .padEnd(COLUMNS - 38)}${plainLetters(right).slice(0, 38).padStart(38)}`;
  const room = ROWS - 4;
  const shown = lines.slice(0, room);
  return [head, "-".repeat(COLUMNS), ...shown, ...Array<string>(room - shown.length).fill(""), "", plainLetters(press)];
}

/** A console: draws screens and waits for keys. */
export class Console {
  private readonly waiting: ((key: string) => void)[] = [];
  private pending: string[] = [];

  constructor(
    input: ReadStream,
    private readonly write: (text: string) => void,
  ) {
    if (input.isTTY) input.setRawMode(true);
    input.setEncoding("latin1");
    input.on("data", (text: string) => {
      for (const key of text) {
        const next = this.waiting.shift();
        if (next) next(key);
        else this.pending = [...this.pending.slice(-100), key];
      }
    });
  }

  show(lines: readonly string[]): void {
    this.write(`\x1b[2J\x1b[H${lines.join("\r\n")}`);
  }

  /** One line at the bottom, over what stands there. */
  status(text: string): void {
    this.write(`\x1b[${ROWS};1H\x1b[K${plainLetters(text).slice(0, COLUMNS)}`);
  }

  key(): Promise<string> {
    const key = this.pending.shift();
    return key === undefined ? new Promise((resolve) => this.waiting.push(resolve)) : Promise.resolve(key);
  }

  /** What is typed until Enter, shown at the bottom; null where Escape is pressed. */
  async line(): Promise<string | null> {
    let text = "";
    for (;;) {
      this.status(`> ${text}`);
      const key = await this.key();
      if (key === "\r" || key === "\n") return text;
      if (key === "\x1b") return null;
      if (key === "\x7f" || key === "\b") text = text.slice(0, -1);
      else if (key >= " " && text.length < 70) text += key;
    }
  }
}

/** Writes to the console at once, so that nothing is lost when the computer is shut down. */
export function consoleWriter(path: string): (text: string) => void {
  const handle = openSync(path, "w");
  return (text) => {
    writeSync(handle, text);
  };
}
