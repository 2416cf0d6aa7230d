import { digestText } from "../words/digest";
import { changedSince } from "./digest";
import { type DueItem, someOf } from "./due";
import { visitOf } from "./visit";

const item = (nth: number, more: Partial<DueItem> = {}): DueItem => ({
  ...{ key: `drill ${nth}`, kind: "drill", medium: `M-${nth % 7}`, computer: `C-${String(nth).padStart(3, "0")}` },
  ...{
    site: "Workshop",
    reason: { code: "not-proven", reason: { code: "no-drill-recorded" } },
    breaksOn: null,
    loses: someOf([]),
  },
  ...more,
});

test("a visit takes what breaks most, by computer, and says what is left for another one", () => {
  const due = Array.from({ length: 200 }, (_, nth) => item(nth)).reverse();
  const visit = visitOf("Workshop", [...due, item(900, { site: "Elsewhere" })], (medium) =>
    medium === "M-1" ? "Head office" : medium === "M-2" ? undefined : "Workshop",
  );
  expect([visit.jobs.length, visit.left]).toEqual([150, 50]);
  expect(visit.minutes).toBe(150 * 15);
  // Ranked first are the last computers; they are told in order.
  expect(visit.jobs[0]?.item.computer).toBe("C-050");
  expect(visit.jobs.at(-1)?.item.computer).toBe("C-199");
  expect(visit.take).toEqual([{ medium: "M-1", from: "Head office" }]);
});

test("what is due for several reasons is done once, and says all of them", () => {
  const pair = { medium: "RM-01", computer: "C-1" };
  const anew = (kind: DueItem["kind"]) => item(1, { kind, key: `${kind} RM-01`, ...pair });
  const { jobs, minutes } = visitOf(
    "Workshop",
    [anew("superseded"), anew("environment"), anew("drill"), anew("planned-drill"), anew("image")],
    () => "Workshop",
  );
  const told = jobs.map((job) => [job.item.kind, job.also.map(({ kind }) => kind)]);
  expect(Object.fromEntries(told)).toEqual({ superseded: ["environment"], drill: ["planned-drill"], image: [] });
  expect(minutes).toBe(30 + 15 + 45);
});

test("a digest tells what came up, counts what is done, and is silent where nothing changed", () => {
  const before = ["drill 1", "drill 2"];
  const change = changedSince([item(2), item(3, { breaksOn: "2026-12-24", loses: someOf(["C-003"]) })], before);
  expect(change).toMatchObject({ fresh: [{ key: "drill 3" }], gone: 1, still: 1 });
  expect(digestText("Workshop", change, "2026-11-26")).toEqual({
    subject: "Workshop: one thing new",
    text: [
      "New since the last digest:",
      "",
      "- Run a drill of M-3 on C-003 at Workshop. No drill of this medium on this computer.",
      "  C-003 stops meeting its policy on 24 Dec 2026.",
      "",
      "Done or obsolete since then: one thing.",
      "Still open: one thing.",
      "",
    ].join("\n"),
  });
  expect(digestText("Workshop", changedSince([item(1), item(2)], before), "2026-11-26")).toBeNull();
  expect(digestText("Workshop", changedSince([], before), "2026-11-26")?.subject).toBe("Workshop: 2 things done");
  const many = digestText(
    "Workshop",
    changedSince(
      Array.from({ length: 300 }, (_, nth) => item(nth)),
      [],
    ),
    "2026-11-26",
  );
  expect(many?.text).toContain("And 200 things more.");
  expect(many?.text.split("\n").filter((line) => line.startsWith("- "))).toHaveLength(100);
});
