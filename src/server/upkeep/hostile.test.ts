import { USUAL_SETTINGS } from "@/core/cover/result";
import { testInventory } from "../../../test/support/database";
import { acceptPlan, cancelPlan, getPlan, startPlan } from "../cover/plans";
import { coverView } from "../cover/view";
import { coverPlans, events, policies, snoozes, travels } from "../db/schema";
import { tickTask } from "../drills/cover-tasks";
import { saveRule, setTravel } from "../inventory/policies";
import { aheadView } from "./ahead";
import { dueView, putOff } from "./due";
import { calendarFeed } from "./feed";
import { siteReport } from "./report";
import { takeUp } from "./snoozes";
import { enterVisit, visitView } from "./visits";

const inventory = testInventory();

/** Nothing, of the wrong kind, too much, or one thing wrong in what is right otherwise. */
const NONSENSE: unknown[] = [null, undefined, 7, "x", [], {}, [[]], { scope: {} }, { key: 1, until: 2, why: 3 }];
const LONG = "x".repeat(100_000);

const RULES: unknown[] = [
  { scope: "everyone", target: "", values: {} },
  { scope: "everywhere", target: LONG, values: { back: 1 } },
  { scope: "everywhere", target: "", values: { back: -1 } },
  { scope: "everywhere", target: "", values: { back: 1.5 } },
  { scope: "everywhere", target: "", values: { back: Number.NaN } },
  { scope: "everywhere", target: "", values: { proof: "a word" } },
  { scope: "everywhere", target: "", values: { withinMinutes: 1e9 } },
  { scope: "everywhere", target: "", values: { changesAllowed: "yes" } },
  { scope: "form", target: "toaster'; DROP TABLE policies; --", values: { back: 1 } },
];
const WAYS: unknown[] = [
  { fromId: 1, toId: 2, minutes: 0 },
  { fromId: 1, toId: 2, minutes: 1.5 },
  { fromId: 1, toId: 2, minutes: -4 },
  { fromId: -1, toId: 2, minutes: 4 },
  { fromId: "1", toId: 2, minutes: 4 },
  { fromId: 1, toId: 2, minutes: 99_999 },
];
const PLANS: unknown[] = [
  { name: LONG, settings: USUAL_SETTINGS },
  { name: "", settings: { ...USUAL_SETTINGS, seconds: 1e6 } },
  { name: "", settings: { ...USUAL_SETTINGS, workHour: -1 } },
  { name: "", settings: { ...USUAL_SETTINGS, workHour: Number.POSITIVE_INFINITY } },
  { name: "", settings: { ...USUAL_SETTINGS, prices: { "8 GB": "cheap" } } },
  { name: "", settings: { ...USUAL_SETTINGS, keep: Array.from({ length: 5000 }, () => "A") } },
];
const SNOOZES: unknown[] = [
  { key: "", until: "2026-12-24", why: "Because." },
  { key: "k", until: "tomorrow", why: "Because." },
  { key: "k", until: "2026-02-30", why: "Because." },
  { key: LONG, until: "2026-12-24", why: "Because." },
  { key: "k", until: "2026-03-10", why: LONG },
];
const VISITS: unknown[] = [
  { site: "", results: [], tasks: [] },
  { site: "X", results: [{ key: "k" }], tasks: [] },
  { site: "X", results: [], tasks: [0] },
  { site: "X", results: [], tasks: ["1"] },
];

test.each<[string, (input: unknown) => Promise<{ ok: boolean }>, unknown[]]>([
  ["a rule", (input) => saveRule(inventory.ina, input, null), RULES],
  ["a way", (input) => setTravel(inventory.ina, input), WAYS],
  ["a plan", (input) => startPlan(inventory.ina, input), PLANS],
  ["putting off", (input) => putOff(inventory.ina, input), SNOOZES],
  ["a visit", (input) => enterVisit(inventory.ina, input), VISITS],
])("%s that makes no sense is refused, and nothing is written", async (_, act, inputs) => {
  for (const input of [...NONSENSE, ...inputs]) expect([input, (await act(input)).ok]).toEqual([input, false]);
  for (const table of [policies, travels, coverPlans, snoozes, events])
    expect(await inventory.ina.db.$count(table)).toBe(0);
});

test("what is not there is said not to be", async () => {
  const { ina } = inventory;
  for (const id of [0, -1, 2 ** 31, Number.NaN]) {
    expect(await getPlan(ina, id || 0)).toBeNull();
    expect(await acceptPlan(ina, id || 0, 1)).toMatchObject({ ok: false, problem: { code: "not-found" } });
    expect(await tickTask(ina, id || 0, true)).toMatchObject({ ok: false, problem: { code: "not-found" } });
    expect(await takeUp(ina, id || 0)).toMatchObject({ ok: false, problem: { code: "not-found" } });
    expect(await cancelPlan(ina, id || 0)).toEqual({ ok: true, value: false });
  }
  expect(await siteReport(ina, LONG)).toBeNull();
});

test("an inventory with nothing in it has nothing due, and nothing fails", async () => {
  const { ina } = inventory;
  expect(await dueView(ina, { kind: null, site: LONG, page: 99 })).toMatchObject({
    items: [],
    total: 0,
    page: 1,
    pages: 1,
  });
  expect(await coverView(ina, { site: LONG, need: "files", page: 99 })).toMatchObject({
    total: 0,
    lacking: [],
    page: 1,
  });
  const ahead = await aheadView(ina, { day: "9999-12-31", site: LONG, cause: null });
  expect(ahead).toMatchObject({ total: 0, bySite: [], past: [], chosen: { computers: [], total: 0 } });
  expect(await visitView(ina, LONG)).toMatchObject({ jobs: [], take: [], minutes: 0, tasks: [], from: [] });
  expect(await calendarFeed(ina, { site: LONG, person: LONG })).toContain("END:VCALENDAR");
});
