/** A sheet of labels, in millimetres from the sheet's upper left corner. */
export interface LabelFormat {
  key: string;
  text: string;
  sheet: { width: number; height: number };
  label: { width: number; height: number };
  columns: number;
  rows: number;
  /** Of the first label. */
  left: number;
  top: number;
  /** From one label to the next. */
  stepX: number;
  stepY: number;
  /** A disc has a hole of 42 mm that nothing is printed over; a fob is cut out along its edge. */
  shape: "label" | "disc" | "fob";
}

const A4 = { width: 210, height: 297 };

/** Sheets as office suppliers sell them (common practice); discs after ECMA-130: 120 mm across, printed to 116. */
export const LABEL_FORMATS: readonly LabelFormat[] = [
  {
    key: "21",
    text: "A4, 21 labels of 63.5 × 38.1 mm",
    sheet: A4,
    label: { width: 63.5, height: 38.1 },
    columns: 3,
    rows: 7,
    left: 7.2,
    top: 15.1,
    stepX: 66,
    stepY: 38.1,
    shape: "label",
  },
  {
    key: "24",
    text: "A4, 24 labels of 70 × 37 mm",
    sheet: A4,
    label: { width: 70, height: 37 },
    columns: 3,
    rows: 8,
    left: 0,
    top: 0.5,
    stepX: 70,
    stepY: 37,
    shape: "label",
  },
  {
    key: "65",
    text: "A4, 65 labels of 38.1 × 21.2 mm",
    sheet: A4,
    label: { width: 38.1, height: 21.2 },
    columns: 5,
    rows: 13,
    left: 4.7,
    top: 10.7,
    stepX: 40.6,
    stepY: 21.2,
    shape: "label",
  },
  {
    key: "disc",
    text: "A4, two discs",
    sheet: A4,
    label: { width: 116, height: 116 },
    columns: 1,
    rows: 2,
    left: 47,
    top: 20,
    stepX: 0,
    stepY: 140,
    shape: "disc",
  },
  {
    key: "fob",
    text: "A4, key fobs to cut out, 25 × 60 mm",
    sheet: A4,
    label: { width: 60, height: 25 },
    columns: 3,
    rows: 9,
    left: 10,
    top: 15,
    stepX: 64,
    stepY: 30,
    shape: "fob",
  },
];

export interface LabelPlace {
  sheet: number;
  x: number;
  y: number;
}

/** Where so many labels go; `from` is the first place that is still free on the first sheet, from 1. */
export function labelPlaces(format: LabelFormat, count: number, from = 1): LabelPlace[] {
  const perSheet = format.columns * format.rows;
  const first = Math.min(Math.max(1, Math.floor(from)), perSheet) - 1;
  return Array.from({ length: count }, (_, index) => {
    const place = first + index;
    const within = place % perSheet;
    return {
      sheet: Math.floor(place / perSheet),
      x: format.left + (within % format.columns) * format.stepX,
      y: format.top + Math.floor(within / format.columns) * format.stepY,
    };
  });
}
