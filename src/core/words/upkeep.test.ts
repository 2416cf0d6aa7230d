import { DUE_KINDS, type DueItem, type DueReason, someOf } from "../upkeep/due";
import { consequenceText, dueKindTitle, dueReasonText, dueTitle } from "./upkeep";

const item = (more: Partial<DueItem>): DueItem => ({
  ...{ key: "k", kind: "drill", medium: "RM-01", computer: "HO-003", site: "Head office", breaksOn: null },
  ...{ reason: { code: "worn" }, loses: someOf([]) },
  ...more,
});

test.each<[Partial<DueItem>, string]>([
  [{ kind: "drill" }, "Run a drill of RM-01 on HO-003"],
  [{ kind: "planned-drill" }, "Run a drill of RM-01 on HO-003"],
  [{ kind: "verification" }, "Verify RM-01"],
  [{ kind: "wear" }, "Replace RM-01"],
  [{ kind: "image" }, "Take an image of HO-003"],
  [
    { kind: "store", reason: { code: "store-full", storeId: 1, store: "Image share", freeBytes: 9e9, on: null } },
    "Make room in Image share",
  ],
  [{ kind: "superseded" }, "Rewrite RM-01"],
  [{ kind: "system-files" }, "Rewrite RM-01"],
  [{ kind: "environment" }, "Rewrite RM-01"],
  [{ kind: "ended" }, "Rewrite RM-01"],
  [
    {
      kind: "ended",
      medium: null,
      reason: { code: "system-ended", system: "Gannet Desk 10.2", on: "2025-10-14", computers: 2 },
    },
    "Replace Gannet Desk 10.2",
  ],
  [{ kind: "loan" }, "Ask for the return of RM-01"],
  [{ kind: "spares" }, "Bring blank spares to Head office"],
  [{ kind: "facts" }, "Collect the facts of HO-003"],
  [{ kind: "stocktake" }, "Take stock at Head office"],
])("%j is called %s", (given, title) => {
  expect(dueTitle(item(given))).toBe(title);
});

test("each kind has a name of its own", () => {
  expect(new Set(DUE_KINDS.map(dueKindTitle)).size).toBe(DUE_KINDS.length);
});

test.each<[DueReason, string]>([
  [
    { code: "drill-lapses", model: "Ostrel Block 9", on: "2027-01-11" },
    "Its last drill on a computer of the model Ostrel Block 9 expires on 11 Jan 2027.",
  ],
  [{ code: "drill-lapses", model: null, on: "2027-01-11" }, "Its last drill expires on 11 Jan 2027."],
  [{ code: "verification-lapses", on: "2026-07-06" }, "Its last verification expires on 6 Jul 2026."],
  [{ code: "not-proven", reason: { code: "no-drill-recorded" } }, "No drill of this medium on this computer."],
  [
    { code: "secure-boot-changed", on: "2026-11-26", drilledOn: "2026-04-02" },
    "Secure Boot changed on 26 Nov 2026, after the drill of 2 Apr 2026.",
  ],
  [{ code: "drill-planned", on: "2026-12-05", days: 0, by: "Ina Torvald" }, "Planned for 5 Dec 2026."],
  [{ code: "drill-planned", on: "2026-11-20", days: 1, by: "Ina Torvald" }, "Planned for 20 Nov 2026, one day ago."],
  [{ code: "drill-planned", on: "2026-11-20", days: 6, by: "Ina Torvald" }, "Planned for 20 Nov 2026, 6 days ago."],
  [{ code: "worn" }, "Worn."],
  [{ code: "distrusted" }, "Marked “do not use”: it counts for nothing."],
  [{ code: "image", reasons: [{ code: "no-image" }] }, "No image recorded."],
  [
    { code: "store-full", storeId: 1, store: "Image share", freeBytes: 90e9, on: "2027-01-05" },
    "90 GB free. At the current rate it is full about 5 Jan 2027.",
  ],
  [{ code: "store-full", storeId: 1, store: "Image share", freeBytes: 1e6, on: null }, "Full: no further image fits."],
  [{ code: "release-superseded", release: "Lantern 11", by: "Lantern 12" }, "Lantern 11 has a successor, Lantern 12."],
  [{ code: "release-ended", release: "Bollard 4.1", on: "2026-04-01" }, "Bollard 4.1 ended on 1 Apr 2026."],
  [
    { code: "system-ended", system: "Gannet Desk 10.2", on: "2025-10-14", computers: 1 },
    "Gannet Desk 10.2 ended on 14 Oct 2025; one computer runs it.",
  ],
  [
    { code: "system-ended", system: "Gannet Desk 10.2", on: "2025-10-14", computers: 1200 },
    "Gannet Desk 10.2 ended on 14 Oct 2025; 1,200 computers run it.",
  ],
  [
    { code: "system-files-old", release: "Lantern 11", days: 800, most: 730 },
    "The system files of Lantern 11 are 800 days old; the limit is 730 days.",
  ],
  [
    { code: "system-files-older", release: "Lantern 11", has: "11.2", runs: "11.4" },
    "Lantern 11 includes 11.2; computers there run 11.4.",
  ],
  [
    {
      ...{ code: "environment-older", release: "Lantern 11", madeOn: "2024-01-01" },
      ...{ system: "Gannet Desk 11.4", releasedOn: "2024-10-01" },
    },
    "Lantern 11 was made on 1 Jan 2024, before Gannet Desk 11.4 came out on 1 Oct 2024: it may be unable to repair it.",
  ],
  [{ code: "loan-overdue", to: "Runa Esk", on: "2026-03-20" }, "Runa Esk was to return it by 20 Mar 2026."],
  [{ code: "spares-lacking", has: 0, wanted: 2 }, "0 of 2 available."],
  [{ code: "facts-old", days: 400, most: 365 }, "They are 400 days old; the limit is 365 days."],
  [{ code: "facts-never" }, "Never collected."],
  [{ code: "stock-never" }, "No stock-taking recorded."],
  [{ code: "stock-old", days: 200, most: 180 }, "Last taken 200 days ago; the limit is 180 days."],
])("%j says %s", (reason, text) => {
  expect(dueReasonText(reason)).toBe(text);
});

test("a name that tries to write more than a name stays on its line", () => {
  const text = dueReasonText({ code: "loan-overdue", to: "Runa\nEsk\u202e", on: "2026-03-20" });
  expect(text).not.toMatch(/[\n\u202e]/);
});

test.each<[string[], string | null, string]>([
  [["HO-1"], "2026-12-24", "HO-1 stops meeting its policy on 24 Dec 2026."],
  [["HO-1", "HO-2"], "2026-12-24", "2 computers (HO-1, HO-2) stop meeting their policy on 24 Dec 2026."],
  [["HO-1"], null, "HO-1 misses its policy until this is done."],
  [["A", "B", "C", "D", "E"], null, "5 computers (A, B, C, D …) miss their policy until this is done."],
  [["HO-1"], "2026-11-26", "HO-1 misses its policy until this is done."],
  [[], "2026-12-24", "Nobody loses a route."],
  [[], null, ""],
])("what %j lose on %s", (tags, breaksOn, text) => {
  expect(consequenceText({ loses: someOf(tags), breaksOn }, "2026-11-26")).toBe(text);
});
