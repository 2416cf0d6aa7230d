import { dayAfter } from "../kernel/days";
import { storeDue } from "./store-due";

// By hand: a store that grows by 10 GB a week.
const TODAY = "2026-12-01";
const fills = (lastGb: number) =>
  [3, 2, 1, 0].map((weeks) => ({ on: dayAfter(TODAY, -7 * weeks), usedBytes: (lastGb - 10 * weeks) * 1e9 }));
const room = (capacityGb: number, lastGb: number) => ({
  ...{ capacityBytes: capacityGb * 1e9, freeBytes: (capacityGb - lastGb) * 1e9, fills: fills(lastGb) },
});

test("a store that is likely full within sixty days wants room by that day", () => {
  expect(storeDue(room(500, 450), TODAY)).toEqual({ on: "2027-01-05", freeBytes: 50e9 });
  expect(storeDue(room(500, 400), TODAY)).toBeNull();
});

test("one without room for an image wants it now, whatever it grew by", () => {
  expect(storeDue({ ...room(500, 450), freeBytes: 100e6, fills: [] }, TODAY)).toEqual({ on: null, freeBytes: 100e6 });
});

test("what is not known makes nothing due: free room, capacity, or a pace", () => {
  expect(storeDue({ ...room(500, 450), freeBytes: null }, TODAY)).toBeNull();
  expect(storeDue({ ...room(500, 450), capacityBytes: null }, TODAY)).toBeNull();
  expect(storeDue({ ...room(500, 450), fills: fills(450).slice(2) }, TODAY)).toBeNull();
});
