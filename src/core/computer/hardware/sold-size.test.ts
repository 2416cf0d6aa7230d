import { soldBytes, soldGigabytes } from "./sold-size";

// IDEMA Standard LBA1-03; the sizes are those of disks on the market.
test.each([
  [250, 250_059_350_016],
  [256, 256_060_514_304],
  [500, 500_107_862_016],
  [512, 512_110_190_592],
  [960, 960_197_124_096],
  [1000, 1_000_204_886_016],
  [4000, 4_000_787_030_016],
])("sold as %i GB: %i bytes, and back", (gigabytes, bytes) => {
  expect([soldBytes(gigabytes), soldGigabytes(bytes)]).toEqual([bytes, gigabytes]);
});

test("other sizes have no such class", () => {
  expect([soldBytes(32), soldBytes(256.5), soldBytes(-1), soldGigabytes(512e9)]).toEqual([null, null, null, null]);
});
