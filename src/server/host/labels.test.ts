import { writeFileSync } from "node:fs";
import type { Label } from "@/core/making/labels/label";
import { run } from "../../../scripts/media/workshop";
import { tempWorkshop } from "../../../test/support/workshop";
import { LABEL_FORMATS, labelPlaces } from "../../core/making/labels/formats";
import { labelsPdf } from "./labels";

// References: pdftotext and pdfinfo (Poppler).
const w = tempWorkshop();
const MM = 72 / 25.4;
const label = (tag: string, more: Partial<Label> = {}): Label => ({
  tag,
  name: "Rescue stick, North Pier",
  carries: ["Bollard 5.0"],
  writtenOn: "2026-11-25",
  serves: ["HO-001", "HO-002", "HO-003", "HO-004", "HO-005", "HO-006"],
  ...more,
});

async function printed(labels: Label[], key: string, from = 1): Promise<string> {
  const format = LABEL_FORMATS.find((each) => each.key === key);
  if (!format) throw new Error(key);
  writeFileSync(w.path(`${key}.pdf`), await labelsPdf(labels, format, from));
  return w.path(`${key}.pdf`);
}

/** Words with their boxes, in millimetres. */
function words(pdf: string): { text: string; x: number; y: number; page: number }[] {
  const told = run("pdftotext", ["-bbox", pdf, "-"]);
  return told
    .split("<page ")
    .slice(1)
    .flatMap((page, at) =>
      [...page.matchAll(/<word xMin="([\d.]+)" yMin="([\d.]+)"[^>]*>([^<]*)</g)].map(([, x, y, text = ""]) => ({
        text,
        x: Number(x) / MM,
        y: Number(y) / MM,
        page: at,
      })),
    );
}

test.each(LABEL_FORMATS.map(({ key }) => key))(
  "sheet %s: every label stands where its place is, whole on the sheet",
  async (key) => {
    const format = LABEL_FORMATS.find((each) => each.key === key);
    if (!format) throw new Error(key);
    const count = format.columns * format.rows + 1;
    const pdf = await printed(
      Array.from({ length: count }, (_, at) => label(`T-${100 + at}`)),
      key,
    );
    expect(run("pdfinfo", [pdf])).toMatch(/Pages:\s+2[\s\S]*Page size:\s+595\.\d+ x 841\.\d+ pts \(A4\)/);
    const found = words(pdf);
    for (const [at, place] of labelPlaces(format, count).entries()) {
      const tag = found.find(({ text }) => text === `T-${100 + at}`);
      const { width, height } = format.label;
      expect(tag && tag.page === place.sheet && tag.x >= place.x && tag.x < place.x + width).toBe(true);
      expect(tag && tag.y >= place.y && tag.y < place.y + height).toBe(true);
      expect(place.x + width).toBeLessThanOrEqual(format.sheet.width);
      expect(place.y + height).toBeLessThanOrEqual(format.sheet.height);
    }
  },
);

test("a label says what it is, and begins where the sheet is still free", async () => {
  const pdf = await printed([label("RM-09")], "21", 5);
  expect(run("pdftotext", ["-layout", pdf, "-"])).toMatch(
    /RM-09[\s\S]*Rescue stick, North Pier[\s\S]*Bollard 5\.0[\s\S]*written 2026-11-25[\s\S]*and 3 more/,
  );
  const [tag] = words(pdf);
  // The fifth place: second row, second column.
  expect(tag?.x).toBeGreaterThan(7.2 + 66);
  expect(tag?.x).toBeLessThan(7.2 + 66 + 10);
  expect(tag?.y).toBeGreaterThan(15.1 + 38.1);
});

test("names in other letters, long ones and empty ones do no harm", async () => {
  const pdf = await printed(
    [label("ÄÖ-Ωя", { name: "名".repeat(300), carries: [], writtenOn: null, serves: [] })],
    "65",
  );
  expect(run("pdftotext", [pdf, "-"])).toContain("ÄÖ-··");
});
