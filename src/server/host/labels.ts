import { PDFDocument, type PDFFont, type PDFPage, rgb, StandardFonts } from "@cantoo/pdf-lib";
import QRCode from "qrcode";
import { type LabelFormat, type LabelPlace, labelPlaces } from "@/core/making/labels/formats";
import { type Label, labelLines } from "@/core/making/labels/label";

/** Points in a millimetre: a PDF has 72 of them in an inch. */
const MM = 72 / 25.4;
const INK = rgb(0, 0, 0);

/** How much smaller a long line may become before it is cut. */
const LEAST_SHARE = 0.5;

interface Pen {
  page: PDFPage;
  plain: PDFFont;
  bold: PDFFont;
  code: PDFFont;
}

/** Labels as a PDF in real millimetres, to be printed at 100 %. */
export async function labelsPdf(labels: readonly Label[], format: LabelFormat, from = 1): Promise<Uint8Array> {
  const pdf = await PDFDocument.create();
  pdf.setTitle(`Labels: ${labels.map(({ tag }) => tag).join(", ")}`);
  const [plain, bold, code] = await Promise.all([
    pdf.embedFont(StandardFonts.Helvetica),
    pdf.embedFont(StandardFonts.HelveticaBold),
    pdf.embedFont(StandardFonts.CourierBold),
  ]);
  const pages: PDFPage[] = [];
  for (const [index, place] of labelPlaces(format, labels.length, from).entries()) {
    while (pages.length <= place.sheet) pages.push(pdf.addPage([format.sheet.width * MM, format.sheet.height * MM]));
    const pen = { page: pages[place.sheet] as PDFPage, plain, bold, code };
    draw(pen, labels[index] as Label, format, place);
  }
  if (pages.length === 0) pdf.addPage([format.sheet.width * MM, format.sheet.height * MM]);
  return pdf.save();
}

function draw(pen: Pen, label: Label, format: LabelFormat, place: LabelPlace): void {
  const { width, height } = format.label;
  if (format.shape === "fob")
    pen.page.drawRectangle({ ...box(format, place.x, place.y, width, height), borderColor: INK, borderWidth: 0.4 });
  if (format.shape === "disc") {
    disc(pen, label, format, place);
    return;
  }
  const pad = 2.5;
  const qr = Math.min(height - 2 * pad, width * 0.34);
  code(pen, label.tag, format, place.x + width - pad - qr, place.y + pad, qr);
  const room = width - 3 * pad - qr;
  const lines = labelLines(label);
  const tagSize = Math.min(height * 0.2, 7);
  let y = place.y + pad + tagSize * 0.8;
  write(pen, pen.code, label.tag, format, place.x + pad, y, tagSize, room);
  const size = Math.min(2.9, (height - 2 * pad - tagSize) / lines.length / 1.15);
  for (const line of lines) {
    y += size * 1.25;
    write(pen, pen.plain, line, format, place.x + pad, y, size, room);
  }
}

/** On a disc the tag stands above its hole, the rest below, the code on the right. */
function disc(pen: Pen, label: Label, format: LabelFormat, place: LabelPlace): void {
  const { width, height } = format.label;
  const [cx, cy] = [place.x + width / 2, place.y + height / 2];
  for (const radius of [width / 2, 21])
    pen.page.drawCircle({
      x: cx * MM,
      y: (format.sheet.height - cy) * MM,
      size: radius * MM,
      borderColor: INK,
      borderWidth: 0.3,
    });
  write(pen, pen.code, label.tag, format, cx - 34, cy - 32, 9, 68);
  for (const [index, line] of labelLines(label).entries())
    write(pen, pen.plain, line, format, cx - 34, cy + 29 + index * 4.4, 3.4, 68);
  code(pen, label.tag, format, cx + 26, cy - 11, 22);
}

/** A box whose place is told from above, in the PDF's own measure from below. */
function box({ sheet }: LabelFormat, x: number, y: number, width: number, height: number) {
  return { x: x * MM, y: (sheet.height - y - height) * MM, width: width * MM, height: height * MM };
}

/** The standard fonts have the letters of Western Europe; what else a name has is shown as a dot. */
function printable(text: string): string {
  return text.replace(/[^\x20-\x7e\xa0-\xff]/g, "·");
}

/** A line whose base is at `y`, made smaller where it would be too wide. Sizes in millimetres. */
function write(
  pen: Pen,
  font: PDFFont,
  text: string,
  { sheet }: LabelFormat,
  x: number,
  y: number,
  size: number,
  room: number,
): void {
  const told = printable(text);
  const wide = font.widthOfTextAtSize(told, size * MM);
  const shrunk = wide > room * MM ? Math.max(size * LEAST_SHARE, (size * room * MM * 0.99) / wide) : size;
  let fitting = told;
  while (fitting.length > 1 && font.widthOfTextAtSize(fitting, shrunk * MM) > room * MM) fitting = fitting.slice(0, -1);
  pen.page.drawText(fitting, { x: x * MM, y: (sheet.height - y) * MM, size: shrunk * MM, font, color: INK });
}

/** The tag as a QR code (ISO/IEC 18004), drawn as squares, sharp at any resolution. */
function code(pen: Pen, text: string, format: LabelFormat, x: number, y: number, side: number): void {
  const { modules } = QRCode.create(text, { errorCorrectionLevel: "M" });
  const step = side / modules.size;
  for (let row = 0; row < modules.size; row++)
    for (let column = 0; column < modules.size; column++)
      if (modules.get(row, column))
        pen.page.drawRectangle({ ...box(format, x + column * step, y + row * step, step, step), color: INK });
}
