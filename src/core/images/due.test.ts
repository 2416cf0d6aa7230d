import { factsSchema } from "../computer/facts/schema";
import { type ImageCheck, planImage } from "./checks";
import { type ComputerEvent, imageDue, rankImagesDue } from "./due";
import type { StoredPoint } from "./lineage";

const point = (on: string, more: Partial<StoredPoint> = {}): StoredPoint => ({
  ...{ id: on, computer: "A", takenAt: `${on}T18:00:00.000Z`, kind: "full", parent: null, isThere: true },
  verified: { on, whole: true },
  ...more,
});
const TODAY = { today: "2026-11-26" };

test.each<[string, StoredPoint[], ComputerEvent[], string[]]>([
  ["none", [], [], ["no-image"]],
  ["young and whole", [point("2026-10-01")], [], []],
  ["180 days are the most", [point("2026-05-30")], [], []],
  ["a day older", [point("2026-05-29")], [], ["old"]],
  ["damaged", [point("2026-10-01", { verified: { on: "2026-11-01", whole: false } })], [], ["none-usable"]],
  ["an older one that is whole", [point("2026-01-01"), point("2026-10-01", { isThere: false })], [], ["old"]],
  ["never verified", [point("2026-10-01", { verified: null })], [], ["only-unverified"]],
  [
    "updated since",
    [point("2026-10-01")],
    [{ at: "2026-10-09T08:00:00Z", code: "system-changed" }],
    ["system-changed"],
  ],
  ["updated before", [point("2026-10-01")], [{ at: "2026-09-09T08:00:00Z", code: "system-changed" }], []],
  [
    "another disk, and old",
    [point("2026-01-01")],
    [{ at: "2026-10-09T08:00:00Z", code: "disk-replaced" }],
    ["disk-replaced", "old"],
  ],
  ["another computer's", [point("2026-10-01", { computer: "B" })], [], ["no-image"]],
])("due: %s", (_what, points, events, codes) => {
  expect(imageDue("A", points, events, TODAY).reasons.map(({ code }) => code)).toEqual(codes);
});

test.each<[string, string, { on: string; what: string }[], string[]]>([
  ["an image of the week before", "2026-11-23", [{ on: "2026-11-30", what: "a" }], []],
  ["an image a day too old", "2026-11-22", [{ on: "2026-11-30", what: "a" }], ["change-ahead"]],
  ["seven days ahead", "2026-10-01", [{ on: "2026-12-03", what: "a" }], ["change-ahead"]],
  ["eight days ahead", "2026-10-01", [{ on: "2026-12-04", what: "a" }], []],
  ["today", "2026-10-01", [{ on: "2026-11-26", what: "a" }], ["change-ahead"]],
  ["made, with an image after it", "2026-11-11", [{ on: "2026-11-10", what: "a" }], []],
  ["made on the day of the image", "2026-11-10", [{ on: "2026-11-10", what: "a" }], ["changed"]],
  [
    "made, and another ahead",
    "2026-11-01",
    [
      { on: "2026-11-10", what: "a" },
      { on: "2026-11-27", what: "b" },
    ],
    ["change-ahead", "changed"],
  ],
])("due by a change that was noted: %s", (_what, imageOn, noted, codes) => {
  expect(imageDue("A", [point(imageOn)], [], { ...TODAY, noted }).reasons.map(({ code }) => code)).toEqual(codes);
});

test("of several changes ahead the nearest is named", () => {
  const noted = ["2026-12-01", "2026-11-28", "2026-11-30"].map((on) => ({ on, what: `on ${on}` }));
  expect(imageDue("A", [point("2026-10-01")], [], { ...TODAY, noted }).reasons).toEqual([
    { code: "change-ahead", on: "2026-11-28", what: "on 2026-11-28", days: 2 },
  ]);
});

test("a change ahead is named where there is no image at all, and comes before everything else", () => {
  const noted = [{ on: "2026-11-28", what: "a" }];
  const bare = imageDue("A", [], [], { ...TODAY, noted });
  expect(bare.reasons.map(({ code }) => code)).toEqual(["change-ahead", "no-image"]);
  expect(imageDue("A", [], [], { ...TODAY, noted: [{ on: "2026-11-20", what: "a" }] }).reasons).toHaveLength(1);
  const soon = imageDue("soon", [point("2026-10-01", { computer: "soon" })], [], { ...TODAY, noted });
  expect(rankImagesDue([imageDue("none", [], [], TODAY), soon]).map(({ computer }) => computer)).toEqual([
    "soon",
    "none",
  ]);
});

test("whoever has least to fall back on comes first", () => {
  const due = [
    imageDue("old", [point("2026-01-01", { computer: "old" })], [], TODAY),
    imageDue("fine", [point("2026-11-01", { computer: "fine" })], [], TODAY),
    imageDue("none", [], [], TODAY),
    imageDue("older", [point("2025-01-01", { computer: "older" })], [], TODAY),
  ];
  expect(rankImagesDue(due).map(({ computer }) => computer)).toEqual(["none", "older", "old"]);
});

describe("before an image is taken", () => {
  const GB = 1e9;
  const partition = (number: number, role: string | null, usedBytes: number | null, more: object = {}) => ({
    number,
    role,
    bytes: 20 * GB,
    usedBytes,
    ...more,
  });
  const facts = (partitions: object[], more: object = {}) =>
    factsSchema.parse({
      schema: "creel.facts/1",
      computer: { tag: "HO-001", form: "laptop" },
      firmware: { kind: "uefi", arch: "x64" },
      disks: [{ name: "sda", bytes: 40 * GB, serial: "D1", partitions }],
      ...more,
    });
  const store = { name: "Share", kind: "share", computer: null, diskSerial: null, freeBytes: 5.1 * GB } as const;
  const none = { own: [], sameKit: [] };
  const stateOf = (checks: ImageCheck[], code: ImageCheck["code"]) =>
    checks.find((check) => check.code === code)?.state;

  test("40 GB with 5.0 GB used go on 5.1 GB; data is left out on purpose", () => {
    const { take, leave, usedBytes, size, checks } = planImage(
      "HO-001",
      facts([partition(1, "esp", 0.1 * GB), partition(2, "system", 4.9 * GB), partition(3, "data", 12 * GB)]),
      store,
      none,
    );
    expect([take, leave, usedBytes]).toEqual([["EFI system (1)", "system (2)"], ["data (3)"], 5 * GB]);
    expect(size?.bytes.likely).toBe(3 * GB);
    expect(
      ["start-up-included", "data-left-out", "store-left-out", "fits"].map((code) =>
        stateOf(checks, code as ImageCheck["code"]),
      ),
    ).toEqual(["right", "see", "right", "right"]);
  });

  test("a set without its start-up partition, a key that nobody knows, a store on the same disk", () => {
    const own = facts([partition(2, "system", 4 * GB, { encryption: "bitlocker" })]);
    const { checks } = planImage(
      "HO-001",
      own,
      { ...store, kind: "computer", computer: "HO-001", diskSerial: "D1" },
      none,
    );
    expect(
      ["start-up-included", "key-known", "store-left-out"].map((code) => stateOf(checks, code as ImageCheck["code"])),
    ).toEqual(["wrong", "wrong", "wrong"]);
    const other = planImage("HO-001", own, { ...store, kind: "computer", computer: "HO-001", diskSerial: "D2" }, none);
    expect(stateOf(other.checks, "store-left-out")).toBe("do");
  });

  test("what is not recorded is looked for, not guessed", () => {
    const { size, checks } = planImage(
      "HO-001",
      facts([partition(1, "esp", null), partition(2, "system", 4 * GB)]),
      store,
      none,
    );
    expect([size, stateOf(checks, "fits")]).toEqual([null, "see"]);
  });
});
