import { nextPath } from "./next-path";

it("goes on to pages of Creel alone", () => {
  expect(["/", "/media/RM-01", "/computers?q=a%20b&page=2", "/find?q=//x"].map(nextPath)).toEqual([
    "/",
    "/media/RM-01",
    "/computers?q=a%20b&page=2",
    "/find?q=//x",
  ]);
  const elsewhere = ["//evil.example", "/\\evil.example", "https://evil.example", "javascript:alert(1)", "", "media"];
  expect(elsewhere.map(nextPath)).toEqual(elsewhere.map(() => "/"));
  expect([undefined, ["/a", "/b"]].map(nextPath)).toEqual(["/", "/"]);
});
