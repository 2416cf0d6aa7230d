import { HAPPENINGS, needsDay, sensibleOutcomes } from "../callout/happenings";
import { OUTCOMES } from "../judging/routes/outcome";
import { calloutOutcomeText, cameBackText, fitText, happeningText, lostText, shrinkText } from "./callout";
import {
  checkText,
  durationText,
  growthText,
  imageDueText,
  imageRangeText,
  keepText,
  lineageProblemText,
  patternProblemText,
  ratioText,
  scanStateText,
  storedFindingText,
  storedText,
  storeFitText,
} from "./images";

const exactly = (value: number) => ({ low: value, likely: value, high: value });

test.each([
  [exactly(40), "about 40 seconds"],
  [{ low: 240, likely: 300, high: 480 }, "4 to 8 minutes"],
  [{ low: 30, likely: 60, high: 300 }, "1 to 5 minutes"],
  [exactly(3600), "about 60 minutes"],
  [{ low: 1800, likely: 4000, high: 7200 }, "0.5 to 2 hours"],
  [{ low: 0, likely: 0, high: 0 }, "about 1 second"],
])("%j is told as %s", (range, text) => {
  expect(durationText(range)).toBe(text);
});

test("sizes are told as ranges, and as one where there is one", () => {
  expect(imageRangeText(exactly(3e9))).toBe("3 GB");
  expect(imageRangeText({ low: 2.5e9, likely: 3e9, high: 3.5e9 })).toBe("2.5 GB to 3.5 GB, likely 3 GB");
  expect(ratioText({ from: "own", images: 1 })).toBe("based on its last image");
  expect(ratioText({ from: "own", images: 4 })).toBe("based on its last 4 images");
});

test("whether it fits says how much is left or lacking", () => {
  const margin = (least: number, most: number) => ({ least, most });
  expect(storeFitText({ verdict: "fits", marginBytes: margin(1e9, 2e9) })).toBe("Fits, with at least 1 GB to spare.");
  expect(storeFitText({ verdict: "may-not-fit", marginBytes: margin(-1e9, 2e9) })).toContain("up to 1 GB short");
  expect(storeFitText({ verdict: "does-not-fit", marginBytes: margin(-3e9, -2e9) })).toContain("at least 2 GB short");
});

test("growth says when it is full, and between which days that may be", () => {
  const bytesPerDay = { low: 1e9, likely: 2e9, high: 3e9 };
  const full = { early: "2027-01-01", likely: "2027-03-01", late: "2027-06-01" };
  expect(growthText({ bytesPerDay, full })).toBe(
    "Grows about 14 GB a week, full about 1 Mar 2027 (between 1 Jan 2027 and 1 Jun 2027).",
  );
  expect(growthText({ bytesPerDay, full: { ...full, late: null } })).toContain("(not before 1 Jan 2027)");
  expect(growthText({ bytesPerDay, full: { early: "2027-01-01", likely: null, late: null } })).toContain(
    "full not before 1 Jan 2027",
  );
  expect(growthText({ bytesPerDay: exactly(0), full: null })).toContain("No growth measured");
});

test("names of files that are not to be trusted are shown, not run or hidden", () => {
  const path = "a\u202eb\u0007.img";
  for (const text of [
    storedFindingText({ code: "damaged", path }),
    storedFindingText({ code: "unknown-content", path }),
    scanStateText({ state: "moved", image: "x", from: path }),
    patternProblemText({ code: "unknown-part", part: path }),
  ])
    expect(text).not.toMatch(/[\p{Cc}\p{Cf}]/u);
});

test("what an image holds is told in a line, by its container", () => {
  const nothing = {
    diskBytes: null,
    sectorBytes: null,
    table: null,
    mode: null,
    partitions: [],
    usedBytes: null,
    systems: [],
    findings: [],
  };
  const part = { name: "sda1", role: "esp", filesystem: "fat32", label: null, lengthBytes: 1, active: null };
  expect(
    storedText({
      ...nothing,
      container: "disk",
      compression: "zstd",
      diskBytes: 5e11,
      table: "gpt",
      mode: "uefi",
      partitions: [part, part],
    }),
  ).toBe("A whole disk of 500 GB, zstd: GPT, 2 partitions, starts by UEFI.");
  expect(storedText({ ...nothing, container: "partitions", compression: null, partitions: [part] })).toBe(
    "One partition: sda1 fat32.",
  );
  expect(
    storedText({ ...nothing, container: "wim", compression: "lzx", usedBytes: 3e9, systems: ["Gannet Desk 11"] }),
  ).toBe("An archive, lzx with Gannet Desk 11, 3 GB unpacked.");
  expect(storedText({ ...nothing, container: "unknown", compression: null })).toBe("Content not recognised.");
});

test("each thing that stands against a point, keeps it, or makes a new one due is a sentence of its own", () => {
  const problems = (["parent-unknown", "part-missing", "part-unverified", "circle"] as const).map((code) =>
    lineageProblemText({ code, part: "A" }),
  );
  expect(new Set(problems).size).toBe(4);
  for (const text of problems) expect(text).toMatch(/\bA\b.*\.$/);
  const kept = (["daily", "weekly", "monthly", "yearly"] as const).map((code) => keepText({ code, period: "2026" }));
  expect(new Set(kept).size).toBe(4);
  const due = (["system-changed", "disk-replaced", "restored"] as const).map((code) =>
    imageDueText({ code, on: "2026-01-02" }),
  );
  for (const text of due) expect(text).toContain("2 Jan 2026");
  const ahead = [0, 1, 3].map((days) =>
    imageDueText({ code: "change-ahead", on: "2026-01-02", what: "\u202eBIOS", days }),
  );
  expect(ahead.map((text) => text.split(" (")[0])).toEqual([
    ...["Planned change today", "Planned change tomorrow", "Planned change in 3 days"],
  ]);
  for (const text of ahead) expect(text).not.toMatch(/\p{Cf}/u);
  expect(imageDueText({ code: "changed", on: "2026-01-02", what: "Office" })).toContain("2 Jan 2026 (Office)");
  const lacks = checkText({
    when: "before",
    state: "wrong",
    code: "start-up-included",
    partitions: [],
    lacks: ["esp", "system"],
  });
  expect(lacks).toBe(
    "Without the EFI system partition and the system partition it restores files, not a bootable computer.",
  );
});

test("call-outs: every happening has outcomes that make sense, and words", () => {
  for (const happening of HAPPENINGS) {
    expect(happeningText(happening)).toMatch(/\w/);
    expect(sensibleOutcomes(happening).length).toBeGreaterThan(1);
    for (const outcome of sensibleOutcomes(happening)) expect(OUTCOMES).toContain(outcome);
  }
  expect(HAPPENINGS.filter(needsDay)).toEqual(["malware", "bad-update"]);
  expect(new Set(OUTCOMES.map(calloutOutcomeText)).size).toBe(OUTCOMES.length);
  expect(cameBackText("not-back")).toBe("not recovered");
  const since = (days: number) => lostText({ code: "since-image", on: "2026-10-01", days });
  expect([lostText({ code: "everything" }), lostText({ code: "nothing" }), since(1), since(30)]).toEqual([
    "Lost: everything on its disk.",
    "Nothing lost.",
    "Lost: changes of the last day.",
    "Lost: changes of the last 30 days.",
  ]);
});

test("a new disk: what fits, what is lacking, and what to make smaller", () => {
  expect(fitText({ state: "too-small", lackingBytes: 20e9 })).toBe("does not fit: the disk is 20 GB too small");
  expect(fitText({ state: "other-sectors", image: 512, disk: 4096 })).toContain("sectors of 512 bytes");
  const steps = [{ partition: "data", freeBytes: 50e9, giveBytes: 20e9 }];
  expect(shrinkText({ lackingBytes: 20e9, steps, stillLackingBytes: 0, unknown: [] })).toBe(
    "The new disk is 20 GB smaller. Make data by 20 GB smaller before an image is taken.",
  );
  expect(shrinkText({ lackingBytes: 90e9, steps, stillLackingBytes: 70e9, unknown: ["x"] })).toContain(
    "70 GB still missing. Use a larger disk. Used space not recorded: x.",
  );
  expect(shrinkText({ lackingBytes: 5e9, steps: [], stillLackingBytes: 0, unknown: [] })).toContain(
    "the old one has that much unused",
  );
});
