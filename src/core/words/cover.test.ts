import type { CoverLack, CoverWhy } from "../cover/result";
import { lacksByReason } from "./cover";

const nearest = (release: string): CoverWhy => ({
  ...{ code: "nearest", release, reason: { code: "disk-empty" }, change: null },
});
const lack = (tags: string[], more: Partial<CoverLack> = {}): CoverLack => ({
  ...{ computers: { count: tags.length, tags }, need: "files", site: "Sandsay", lacking: 1 },
  ...{ why: [{ code: "nothing-gives-it-back" }], ...more },
});

test("what no plan can give is told by reason, once for all whom it concerns, the most first", () => {
  const told = lacksByReason([
    lack(["SA-001"], { why: [{ code: "no-purchase", site: "Sandsay" }] }),
    lack(["HO-001", "HO-002"], { site: "Head office" }),
    lack(["HO-002", "NP-001"], { need: "back", lacking: 2 }),
  ]);
  expect(told.map(({ reasons, computers, lacks }) => [reasons, computers, lacks.length])).toEqual([
    [["No release in the library restores that."], 3, 2],
    [["No purchases for Sandsay, by your constraint."], 1, 1],
  ]);
});

test("the same reason is one, whichever release comes nearest", () => {
  const told = lacksByReason([
    lack(["HO-001"], { why: [nearest("Bollard 5.0")] }),
    lack(["HO-001"], { need: "back", why: [nearest("Lantern 12")] }),
  ]);
  expect(told.map(({ computers, lacks }) => [computers, lacks.map((each) => each.nearest)])).toEqual([
    [1, [["Bollard 5.0"], ["Lantern 12"]]],
  ]);
});

test("where not all are named, they are counted by the need that most have", () => {
  const many = (count: number) => ({ computers: { count, tags: ["HO-001"] } });
  const [told] = lacksByReason([lack([], many(40)), lack([], many(30)), lack([], { ...many(50), need: "back" })]);
  expect(told?.computers).toBe(70);
});
