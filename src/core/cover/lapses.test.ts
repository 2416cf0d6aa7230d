import { dice } from "../../../test/support/dice";
import { randomWorld } from "../../../test/support/fleet";
import { judgeProven } from "../judging/links/proven";
import { dayAfter } from "../kernel/days";
import { HORIZON_DAYS, Lapses, lacksFrom } from "./lapses";

test("the day is the one that asking day by day finds, over a leap day too", () => {
  let found = 0;
  for (const [seed, today] of [
    [11, "2026-11-26"],
    [12, "2027-12-30"],
    [13, "2028-02-27"],
  ] as const) {
    const base = randomWorld(dice(seed), 40, 24);
    const late = (on: string) => (on > "2026-01-01" ? dayAfter(today, -dice(seed)(40)) : on);
    const drills = base.drills.map((drill) => ({ ...drill, on: late(drill.on) }));
    const policyFor = (computer: (typeof base.computers)[number]) => base.policyFor?.(computer) ?? base.policy;
    const lapses = new Lapses({ drills, policyFor, today });
    for (const computer of base.computers)
      for (const { part } of base.media) {
        const medium = {
          ...part,
          verified: part.verified && { ...part.verified, on: late(part.verified.on) },
          writtenOn: null,
        };
        const own = drills.filter((drill) => drill.medium === medium.tag);
        const holds = (day: string) =>
          judgeProven({ computer, medium, drills: own, policy: policyFor(computer), today: day }).verdict === "holds";
        let expected: string | null = null;
        if (holds(today))
          for (let days = 1; days <= HORIZON_DAYS && expected === null; days++)
            if (!holds(dayAfter(today, days))) expected = dayAfter(today, days);
        if (expected !== null) found++;
        expect([computer.tag, medium.tag, lapses.of(computer, medium)]).toEqual([computer.tag, medium.tag, expected]);
      }
  }
  expect(found).toBeGreaterThan(10);
});

test("days are counted by the calendar, whatever the clocks do", () => {
  expect(dayAfter("2028-02-28", 1)).toBe("2028-02-29");
  expect(dayAfter("2027-02-28", 1)).toBe("2027-03-01");
  expect(dayAfter("2027-03-27", 2)).toBe("2027-03-29");
  expect(dayAfter("2026-10-24", 2)).toBe("2026-10-26");
  expect(dayAfter("2026-12-31", 1)).toBe("2027-01-01");
});

test("a need is lacking from the day on which too few are left", () => {
  expect(lacksFrom(["2027-05-01", "2027-03-01", null], 1)).toBeNull();
  expect(lacksFrom(["2027-05-01", "2027-03-01", null], 2)).toBe("2027-05-01");
  expect(lacksFrom(["2027-05-01", "2027-03-01", null], 3)).toBe("2027-03-01");
  expect(lacksFrom(["2027-05-01"], 2)).toBeNull();
  expect(lacksFrom([], 0)).toBeNull();
});
