import { loanText } from "./places";
import { reasonText } from "./reasons";
import { binaryText, bytesText } from "./sizes";
import { visible } from "./visible";

// Arithmetic, and what the trade sees: a "16 GB" stick shows as 14.9 GiB, a "64 GB" one as 59.6.
test.each([
  [0, "0 bytes", "0 bytes"],
  [999, "999 bytes", "999 bytes"],
  [1024, "1.02 kB", "1 KiB"],
  [16_000_000_000, "16 GB", "14.9 GiB"],
  [64_000_000_000, "64 GB", "59.6 GiB"],
  [1_000_204_886_016, "1 TB", "932 GiB"],
])("%d bytes are %s or %s", (bytes, decimal, binary) => {
  expect(bytesText(bytes)).toBe(decimal);
  expect(binaryText(bytes)).toBe(binary);
});

test.each([
  ["plain", "plain"],
  ["a\u001b[31mred", "a‹001b›[31mred"],
  ["two\nlines", "two‹000a›lines"],
  ["right\u202eleft", "right‹202e›left"],
  ["<b>markup</b>", "<b>markup</b>"],
])("hostile text %j is shown as %j", (text, shown) => {
  expect(visible(text)).toBe(shown);
});

test("long text is cut in the middle", () => {
  const shown = visible(`begin${"x".repeat(70_000)}end`, 100);
  expect(shown.length).toBeLessThanOrEqual(100);
  expect(shown).toMatch(/^begin.*…x*end$/);
});

test("a reason is told from its code and facts", () => {
  expect(reasonText({ code: "no-loader", arch: "ia32", path: "/EFI/BOOT/BOOTIA32.EFI", others: ["x64"] })).toBe(
    "Its firmware is 32-bit (ia32) and looks for /EFI/BOOT/BOOTIA32.EFI; the medium has a loader only for 64-bit (x64).",
  );
});

test.each([
  [{ dueOn: null, returnedOn: null }, "Col Marrick, 13 Oct 2026 to now"],
  [{ dueOn: "2026-12-01", returnedOn: null }, "Col Marrick, 13 Oct 2026 to now, due 1 Dec 2026"],
  [{ dueOn: "2026-11-30", returnedOn: null }, "Col Marrick, 13 Oct 2026 to now, due 30 Nov 2026, overdue"],
  [{ dueOn: "2026-11-30", returnedOn: "2026-12-01" }, "Col Marrick, 13 Oct 2026 to 1 Dec 2026"],
])("a loan in a line: %o", (loan, text) => {
  expect(loanText({ to: "Col Marrick", since: "2026-10-13", ...loan }, "2026-12-01")).toBe(text);
});
