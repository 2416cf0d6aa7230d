import { likenessText, reportAnswerText, reportedText, sideBySide } from "./reports";

const NONE = { tag: null, make: null, serial: null, uuid: null, addresses: [], disks: [] };
const change = (path: string, after: string | null) => ({ path, before: null, after });
const shift = (tag: string, before: string, after: string) => ({ tag, before, after });

test("what a report changed is told with the media that it concerns", () => {
  const secured = [change("firmware/secureBoot/state", "on"), change("firmware/version", "2.19")];
  expect(reportedText("NP-003", { changes: secured, shifts: [shift("RM-02", "holds", "broken")] })).toBe(
    "Secure Boot was switched on at NP-003: RM-02 no longer starts it.",
  );
  const many = ["A", "B", "C", "D", "E"].map((tag) => shift(tag, "broken", "holds"));
  expect(reportedText("X", { changes: [change("firmware/secureBoot/dbx", null)], shifts: many })).toBe(
    "The list of revoked signers changed at X: A starts it now; B starts it now; C starts it now; 2 more media are affected.",
  );
  expect(reportedText("X", { changes: [], shifts: [shift("A", "holds", "unknown")] })).toBe(
    "Facts of X changed: unknown whether A starts it.",
  );
  expect(
    reportedText("X", {
      changes: [change("firmware/version", "2")],
      shifts: [shift("A", "holds", "holds-after-change")],
    }),
  ).toBe("Firmware's version changed at X: A no longer starts it until a setting is changed.");
});

test("why two may be one is told in a sentence, and side by side", () => {
  expect(likenessText({ same: ["disk"], other: ["serial", "uuid"] })).toBe("Same disk, different serial and board");
  expect(likenessText({ same: ["uuid", "address", "disk"], other: [] })).toBe("Same board, network address and disk");
  expect(
    sideBySide({ ...NONE, serial: "a", disks: ["d"] }, { ...NONE, serial: "b", disks: ["d", "e"], make: "m" }),
  ).toEqual([
    { title: "Maker", told: "–", recorded: "m", isOther: false },
    { title: "Serial", told: "a", recorded: "b", isOther: true },
    { title: "Disks", told: "d", recorded: "d, e", isOther: false },
  ]);
  // As they are written, though letter case says nothing.
  expect(sideBySide({ ...NONE, serial: "hx1" }, { ...NONE, serial: "hx2" }, ["HX1", " Hx2 "])).toEqual([
    { title: "Serial", told: "HX1", recorded: "Hx2", isOther: true },
  ]);
});

test("whoever sends a report hears what became of it", () => {
  const texts = (["taken", "same", "dismissed", "waiting"] as const).map((state) =>
    reportAnswerText({ state, tag: "A-1" }),
  );
  expect(new Set(texts).size).toBe(4);
  expect(texts[0]).toBe("Facts of A-1 imported.");
});
