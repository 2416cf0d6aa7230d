import { PDFDocument, type PDFFont, type PDFPage, rgb, StandardFonts } from "@cantoo/pdf-lib";

/** What a report says, in its order: headings, lines, and pictures where they were taken. */
export type ReportBlock =
  | { kind: "title" | "heading" | "line" | "quiet"; text: string }
  | { kind: "picture"; bytes: Uint8Array; type: string };

/** A4, in points. */
const PAGE = { width: 595.28, height: 841.89, margin: 56 } as const;
const SIZES = { title: 18, heading: 13, line: 10.5, quiet: 9 } as const;
const PICTURE_HEIGHT = 180;
const INK = rgb(0, 0, 0);
const GREY = rgb(0.35, 0.35, 0.35);

/** A report as a PDF on A4. Characters that its fonts lack are left as question marks. */
export async function reportPdf(title: string, blocks: readonly ReportBlock[]): Promise<Uint8Array> {
  const pdf = await PDFDocument.create();
  pdf.setTitle(title);
  const [plain, bold] = await Promise.all([
    pdf.embedFont(StandardFonts.Helvetica),
    pdf.embedFont(StandardFonts.HelveticaBold),
  ]);
  let page: PDFPage = pdf.addPage([PAGE.width, PAGE.height]);
  let y = PAGE.height - PAGE.margin;
  const room = (height: number) => {
    if (y - height >= PAGE.margin) return;
    page = pdf.addPage([PAGE.width, PAGE.height]);
    y = PAGE.height - PAGE.margin;
  };
  for (const block of blocks) {
    if (block.kind === "picture") {
      const picture = await (block.type === "image/png" ? pdf.embedPng(block.bytes) : pdf.embedJpg(block.bytes)).catch(
        () => null,
      );
      if (!picture) continue;
      const { width, height } = picture.scaleToFit(PAGE.width - 2 * PAGE.margin, PICTURE_HEIGHT);
      room(height + 8);
      y -= height + 8;
      page.drawImage(picture, { x: PAGE.margin, y, width, height });
      continue;
    }
    const size = SIZES[block.kind];
    const font = block.kind === "title" || block.kind === "heading" ? bold : plain;
    if (block.kind === "heading") y -= 8;
    for (const line of wrapped(printable(block.text), font, size, PAGE.width - 2 * PAGE.margin)) {
      room(size * 1.4);
      y -= size * 1.4;
      page.drawText(line, { x: PAGE.margin, y, size, font, color: block.kind === "quiet" ? GREY : INK });
    }
  }
  return pdf.save();
}

/** The standard fonts of PDF have the characters of Windows-1252. */
function printable(text: string): string {
  return text
    .replace(/\s+/g, " ")
    .replace(/[^\u0020-\u007e\u00a0-\u00ff\u2013\u2014\u2018\u2019\u201c\u201d\u2022\u2026\u20ac]/g, "?");
}

function wrapped(text: string, font: PDFFont, size: number, width: number): string[] {
  const lines: string[] = [];
  let line = "";
  for (const word of text.split(" ")) {
    const longer = line ? `${line} ${word}` : word;
    if (font.widthOfTextAtSize(longer, size) <= width) line = longer;
    else {
      if (line) lines.push(line);
      line = word;
      // A word longer than the page is cut.
      while (font.widthOfTextAtSize(line, size) > width) {
        let fits = line.length - 1;
        while (fits > 1 && font.widthOfTextAtSize(line.slice(0, fits), size) > width) fits--;
        lines.push(line.slice(0, fits));
        line = line.slice(fits);
      }
    }
  }
  if (line) lines.push(line);
  return lines;
}
