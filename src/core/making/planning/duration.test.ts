import { makingTime } from "./duration";

const unmeasured = { writeRate: null, readRate: null };

test("what was measured with a device narrows what is usual of its kind", () => {
  const usual = makingTime(8e9, { kind: "usb", ...unmeasured });
  // Included system files of 8 GB on a stick: a quarter of an hour to an hour. Common practice.
  expect(usual.likely).toBeGreaterThan(10 * 60);
  expect(usual.high).toBeLessThan(60 * 60);
  const measured = makingTime(8e9, { kind: "usb", writeRate: 20e6, readRate: 80e6 });
  expect(measured.likely).toBe(8e9 / 20e6 + 8e9 / 80e6 + 5);
  expect(measured.high / measured.low).toBeLessThan(usual.high / usual.low);
});

test.each(["usb", "card", "disk", "optical"] as const)("a %s: more takes longer, and the range is in order", (kind) => {
  const [small, large] = [makingTime(1e6, { kind, ...unmeasured }), makingTime(1e9, { kind, ...unmeasured })];
  for (const { low, likely, high } of [small, large])
    expect([low, likely, high]).toEqual([low, likely, high].sort((a, b) => a - b));
  for (const end of ["low", "likely", "high"] as const) expect(large[end]).toBeGreaterThan(small[end]);
});
