import { parseNumber, parseSize, unitOfHeading } from "./parse-size";

test.each([
  ["512 GB", null, 512e9],
  ["512GB", null, 512e9],
  ["476.9 GiB", null, Math.round(476.9 * 2 ** 30)],
  ["1,5 TB", null, 1.5e12],
  ["1.024 GB", null, 1.024e9],
  ["1,000,204,886,016", null, 1_000_204_886_016],
  ["1 000 204 886 016 bytes", null, 1_000_204_886_016],
  ["8589934592", null, 8589934592],
  ["16", "gib", 16 * 2 ** 30],
  ["16 MB", "gib", 16e6],
  ["8", null, null],
  ["big", null, null],
  ["12 parsecs", null, null],
  ["", null, null],
  ["-5 GB", null, null],
  ["99999999 PB", null, null],
])("%s with the heading's unit %j is %j bytes", (text, unit, bytes) => {
  expect(parseSize(text, unit)).toBe(bytes);
});

test.each([
  ["1.234.567,5", 1234567.5],
  ["1,234,567.5", 1234567.5],
  ["1'234", 1234],
  ["0,5", 0.5],
  ["1,2,3", null],
])("%s is the number %j", (text, number) => {
  expect(parseNumber(text)).toBe(number);
});

test.each([
  ["RAM (GiB)", "gib"],
  ["disk_gb", "gb"],
  ["Memory", null],
  ["Kb of cache", "kb"],
  ["B", null],
])("the heading %s names the unit %j", (heading, unit) => {
  expect(unitOfHeading(heading)).toBe(unit);
});
