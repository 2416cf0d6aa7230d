import { LABEL_FORMATS, labelPlaces } from "./formats";

// ISO 216: A4 is 210 by 297 mm. ECMA-130: a disc is 120 mm across, its hole 15 mm.

test.each(LABEL_FORMATS)("$text: every label lies on the sheet, and none on another", (format) => {
  const { columns, rows, sheet, label } = format;
  const places = labelPlaces(format, columns * rows);
  expect(new Set(places.map(({ sheet: nth }) => nth))).toEqual(new Set([0]));
  const off = places.filter(
    ({ x, y }) => x < 0 || y < 0 || x + label.width > sheet.width + 0.01 || y + label.height > sheet.height + 0.01,
  );
  expect(off).toEqual([]);
  const overlaps = places.flatMap((a, at) =>
    places
      .slice(at + 1)
      .filter((b) => Math.abs(a.x - b.x) < label.width - 0.01 && Math.abs(a.y - b.y) < label.height - 0.01),
  );
  expect(overlaps).toEqual([]);
});

test("a sheet that was begun goes on at its first free place, and what does not fit goes on the next", () => {
  const [format] = LABEL_FORMATS;
  if (!format) throw new Error("There is no format.");
  const perSheet = format.columns * format.rows;
  const whole = labelPlaces(format, perSheet);
  expect(labelPlaces(format, 2, perSheet)).toEqual([whole[perSheet - 1], { ...whole[0], sheet: 1 }]);
  // What is no place of the sheet is the nearest that is one.
  expect(labelPlaces(format, 1, 0)).toEqual([whole[0]]);
  expect(labelPlaces(format, 1, 999)).toEqual([whole[perSheet - 1]]);
  expect(labelPlaces(format, 1, 2.9)).toEqual([whole[1]]);
  expect(labelPlaces(format, 0)).toEqual([]);
});
