import { type Label, labelLines } from "./label";

/** A label of a printer that prints one behind the other; millimetres. */
export interface RollLabel {
  key: string;
  text: string;
  width: number;
  height: number;
}

/** Rolls as office suppliers sell them (common practice). */
export const ROLL_LABELS: readonly RollLabel[] = [
  { key: "roll-57", text: "57 × 32 mm", width: 57, height: 32 },
  { key: "roll-50", text: "50 × 25 mm", width: 50, height: 25 },
  { key: "roll-100", text: "100 × 50 mm", width: 100, height: 50 },
];

/** Dots in an inch that such printers have. */
export const ROLL_DPI = [203, 300, 600] as const;
const MM_IN_INCH = 25.4;
const PAD_MM = 2;
/** The smallest letters that are read at arm's length (common practice). */
const LEAST_MM = 1.9;
/** Letters of the built-in font are about so wide for their height. */
const LETTER_SHARE = 0.55;

/**
 * Labels in the language of label printers (ZPL II, "ZPL II Programming Guide": ^XA to ^XZ is a label, ^PW and ^LL its size
 * in dots, ^CI28 makes it UTF-8, ^FH has bytes told in hex, ^BQ is a QR code of model 2).
 */
export function labelsZpl(labels: readonly Label[], { width, height }: RollLabel, dpi: number): string {
  const dots = (mm: number) => Math.round((mm * dpi) / MM_IN_INCH);
  const code = Math.min(height - 2 * PAD_MM, width * 0.34);
  const room = width - 3 * PAD_MM - code;
  return labels
    .map((label) => {
      const lines = labelLines(label);
      const tagHeight = Math.min(height * 0.22, 8, room / (Math.max(4, label.tag.length) * LETTER_SHARE));
      const lineHeight = Math.min(3.2, (height - 2 * PAD_MM - tagHeight) / Math.max(1, lines.length) / 1.2);
      const fields = [
        field(dots(PAD_MM), dots(PAD_MM), dots(tagHeight), label.tag),
        ...lines.map((line, nth) => {
          // A long line is smaller, down to what can be read, and cut after that.
          const wanted = room / ([...line].length * LETTER_SHARE);
          const own = Math.min(lineHeight, Math.max(LEAST_MM, wanted));
          const letters = Math.max(1, Math.floor(room / (own * LETTER_SHARE)));
          const y = PAD_MM + tagHeight + lineHeight * (0.4 + nth * 1.2);
          return field(dots(PAD_MM), dots(y), dots(own), cut(line, letters));
        }),
        // The tag alone is some 25 modules wide; each is a whole number of dots, from 1 to 10.
        `^FO${dots(width - PAD_MM - code)},${dots(PAD_MM)}^BQN,2,${Math.min(10, Math.max(1, Math.floor(dots(code) / 27)))}^FH^FDMA,${data(label.tag)}^FS`,
      ];
      return ["^XA", "^CI28", `^PW${dots(width)}`, `^LL${dots(height)}`, ...fields, "^XZ"].join("\n");
    })
    .join("\n")
    .concat("\n");
}

const field = (x: number, y: number, height: number, text: string) =>
  `^FO${x},${y}^A0N,${height}^FH^FD${data(text)}^FS`;

const cut = (text: string, letters: number) => {
  const all = [...text];
  return all.length <= letters ? text : `${all.slice(0, letters - 1).join("")}…`;
};

/** Text as data of a field: what is a command, or begins a byte in hex, is told in hex itself. */
function data(text: string): string {
  return [...new TextEncoder().encode(text)]
    .map((byte) => {
      const letter = String.fromCharCode(byte);
      return byte < 0x20 || byte > 0x7e || "^~_\\".includes(letter)
        ? `_${byte.toString(16).toUpperCase().padStart(2, "0")}`
        : letter;
    })
    .join("");
}
