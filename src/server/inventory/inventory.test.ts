import { eq } from "drizzle-orm";
import { answerOf, verdictsOf, weakLink } from "@/core/judging/routes/routes";
import { inspect } from "@/core/medium/inspection/inspect";
import type { Inspection } from "@/core/medium/inspection/schema";
import { IMAGES } from "../../../scripts/demo/images";
import { testInventory, value } from "../../../test/support/database";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { listComputers, PAGE_ROWS } from "../computers/computer-list";
import { computers, disks, events } from "../db/schema";
import { overview } from "../fleet/overview";
import { routesOf } from "../fleet/routes";
import { addMedium, computersOf, getMedium, listMedia, mediumInputOf, retireMedium, saveMedium } from "../media/media";
import { addKit, addRelease, listReleases } from "../media/releases";
import { addComputer, getComputer, inputOf, retireComputer, saveComputer } from "./computers";
import { history } from "./events";
import { addSite, listSites } from "./sites";

const inventory = testInventory();
const w = tempWorkshop();
const read = async (image: keyof typeof IMAGES): Promise<Inspection> =>
  (await inspect(memory(IMAGES[image].make(w)), { name: IMAGES[image].file })).inspection;

const uefi = { kind: "uefi", arch: "x64", legacyMode: "absent", secureBoot: { state: "off" } };
const computer = (tag: string, more: object = {}, facts: object = {}) => ({
  tag,
  name: `Desk of ${tag}`,
  siteId: null,
  note: null,
  facts: {
    schema: "creel.facts/1",
    firmware: uefi,
    disks: [{ name: "sda", bytes: 500_107_862_016, partitions: [{ number: 1, bytes: 272_629_760, role: "esp" }] }],
    ...facts,
  },
  ...more,
});
const medium = (tag: string, more: object = {}) => ({
  tag,
  name: null,
  kind: "usb",
  capacityBytes: 32_000_000_000,
  siteId: null,
  lentTo: null,
  note: null,
  releaseIds: [],
  ...more,
});

describe("computers", () => {
  test("one that was added comes back whole, disks and all, with who added it and when", async () => {
    const id = value(await addComputer(inventory.ina, computer("AA-1")));
    const detail = await getComputer(inventory.ina, "AA-1");
    expect(detail).toMatchObject({
      row: { id, tag: "AA-1", version: 1, firmwareKind: "uefi" },
      facts: { firmware: { arch: "x64" }, disks: [{ bytes: 500_107_862_016, partitions: [{ role: "esp" }] }] },
    });
    expect(await history(inventory.ina, "computer", id)).toMatchObject([
      { personName: "Ina Torvald", action: "added", before: null, after: { tag: "AA-1" }, at: inventory.clock.now },
    ]);
  });

  test("a tag can be used once; nothing is half-written", async () => {
    value(await addComputer(inventory.ina, computer("AA-2")));
    const before = await inventory.ina.db.$count(disks);
    expect(await addComputer(inventory.ina, computer("AA-2"))).toEqual({
      ok: false,
      problem: { code: "taken", field: "tag", value: "AA-2" },
    });
    expect(await inventory.ina.db.$count(disks)).toBe(before);
  });

  test.each([
    [{ tag: "" }, "tag"],
    [{ tag: "has space" }, "tag"],
    [{ tag: "<b>" }, "tag"],
    [{ name: "x".repeat(121) }, "name"],
    [{ facts: { schema: "creel.facts/1", firmware: { kind: "coreboot" } } }, "facts.firmware.kind"],
    [{ facts: { schema: "creel.facts/1", disks: [{ name: "sda", bytes: -1 }] } }, "facts.disks.0.bytes"],
  ])("bad input %j is refused at the door, by field", async (bad, field) => {
    const result = await addComputer(inventory.ina, computer("AA-BAD", bad));
    expect(
      result.ok ? [] : result.problem.code === "invalid" ? Object.keys(result.problem.fields) : result.problem,
    ).toContain(field);
  });

  test("a change is logged field by field, before and after", async () => {
    const id = value(await addComputer(inventory.ina, computer("AA-3")));
    const input = inputOf(
      (await getComputer(inventory.ina, "AA-3")) as NonNullable<Awaited<ReturnType<typeof getComputer>>>,
    );
    inventory.clock.now = new Date("2026-03-02T09:30:00Z");
    value(await saveComputer(inventory.col, id, 1, { ...input, name: "Purser" }));
    expect((await history(inventory.ina, "computer", id))[0]).toMatchObject({
      personName: "Col Marrick",
      action: "changed",
      before: { name: "Desk of AA-3" },
      after: { name: "Purser" },
      at: new Date("2026-03-02T09:30:00Z"),
      entityVersion: 2,
    });
  });

  test("saving without a change writes nothing", async () => {
    const id = value(await addComputer(inventory.ina, computer("AA-4")));
    const input = inputOf(
      (await getComputer(inventory.ina, "AA-4")) as NonNullable<Awaited<ReturnType<typeof getComputer>>>,
    );
    expect(value(await saveComputer(inventory.ina, id, 1, input))).toBe(1);
    expect(await history(inventory.ina, "computer", id)).toHaveLength(1);
  });

  test("a stale save changes nothing and says what changed meanwhile, and by whom", async () => {
    const id = value(await addComputer(inventory.ina, computer("AA-5")));
    const opened = inputOf(
      (await getComputer(inventory.ina, "AA-5")) as NonNullable<Awaited<ReturnType<typeof getComputer>>>,
    );
    value(await saveComputer(inventory.col, id, 1, { ...opened, note: "Fan is loud" }));
    const stale = await saveComputer(inventory.ina, id, 1, { ...opened, name: "Bridge" });
    expect(stale).toMatchObject({
      ok: false,
      problem: {
        code: "stale",
        version: 2,
        changes: [{ field: "note", before: null, after: "Fan is loud", by: "Col Marrick" }],
      },
    });
    expect(await getComputer(inventory.ina, "AA-5")).toMatchObject({
      row: { name: "Desk of AA-5", note: "Fan is loud", version: 2 },
      facts: { disks: [{ name: "sda" }] },
    });
  });

  test("of many who save the same version at once, one wins and the others are told", async () => {
    const id = value(await addComputer(inventory.ina, computer("AA-6")));
    const opened = inputOf(
      (await getComputer(inventory.ina, "AA-6")) as NonNullable<Awaited<ReturnType<typeof getComputer>>>,
    );
    const results = await Promise.all(
      Array.from({ length: 6 }, (_, i) => saveComputer(inventory.ina, id, 1, { ...opened, name: `Name ${i}` })),
    );
    expect(results.filter((result) => result.ok)).toHaveLength(1);
    const told = results.flatMap((result) =>
      !result.ok && result.problem.code === "stale" ? [result.problem.changes] : [],
    );
    expect(told).toHaveLength(5);
    for (const changes of told) expect(changes).toMatchObject([{ field: "name", by: "Ina Torvald" }]);
    expect(await history(inventory.ina, "computer", id)).toHaveLength(2);
  });

  test("retired ones leave the lists and can come back", async () => {
    const id = value(await addComputer(inventory.ina, computer("AA-7")));
    value(await retireComputer(inventory.ina, id, 1, true));
    expect((await listComputers(inventory.ina, { text: "AA-7" })).total).toBe(0);
    expect((await listComputers(inventory.ina, { text: "AA-7", retired: true })).total).toBe(1);
    value(await retireComputer(inventory.ina, id, 2, false));
    expect((await listComputers(inventory.ina, { text: "AA-7" })).total).toBe(1);
    expect((await history(inventory.ina, "computer", id)).map((event) => event.action)).toEqual([
      "brought back",
      "retired",
      "added",
    ]);
  });

  test("letters that mean something to LIKE are only letters", async () => {
    value(await addComputer(inventory.ina, computer("AA_8")));
    expect((await listComputers(inventory.ina, { text: "A_8" })).items.map((item) => item.tag)).toEqual(["AA_8"]);
    expect((await listComputers(inventory.ina, { text: "%" })).total).toBe(0);
  });
});

describe("media and routes", () => {
  const ids: Record<string, number> = {};
  beforeAll(async () => {
    await inventory.ina.db.update(computers).set({ retiredAt: new Date() });
    ids.harbour = value(await addSite(inventory.ina, { name: "Harbour", place: null }));
    ids.pier = value(await addSite(inventory.ina, { name: "Pier", place: null }));
    const kitId = value(await addKit(inventory.ina, { name: "Bollard", purpose: null }));
    ids.release = value(await addRelease(inventory.ina, { kitId, name: "5.0", madeOn: "2025-09-30" }));
    value(
      await addMedium(
        inventory.ina,
        medium("M-ALL", { siteId: ids.pier, releaseIds: [ids.release] }),
        await read("bollard5"),
      ),
    );
    value(await addMedium(inventory.ina, medium("M-X64", { siteId: ids.harbour }), await read("lantern12")));
    value(await addMedium(inventory.ina, medium("M-CUT", { siteId: ids.harbour }), await read("bollardCut")));
    value(await addMedium(inventory.ina, medium("M-DISC", { kind: "optical" }), await read("spindleDisc")));
    value(await addMedium(inventory.ina, medium("M-NONE"), null));
    value(await addComputer(inventory.ina, computer("C-X64", { siteId: ids.harbour })));
    value(
      await addComputer(
        inventory.ina,
        computer("C-IA32", { siteId: ids.harbour }, { firmware: { ...uefi, arch: "ia32" } }),
      ),
    );
    value(await addComputer(inventory.ina, computer("C-ARM", {}, { firmware: { ...uefi, arch: "aa64" } })));
    value(await addComputer(inventory.ina, computer("C-BIOS", {}, { firmware: { kind: "bios" } })));
    value(await addComputer(inventory.ina, computer("C-DARK", {}, { firmware: {} })));
    value(
      await addComputer(
        inventory.ina,
        computer("C-SECURE", {}, { firmware: { ...uefi, secureBoot: { state: "on" } } }),
      ),
    );
  });

  const routes = async (tag: string) =>
    routesOf(
      inventory.ina,
      (await getComputer(inventory.ina, tag)) as NonNullable<Awaited<ReturnType<typeof getComputer>>>,
    );

  test("routes come best first: fewer open links, then what is at hand; a fault of the medium is told", async () => {
    const found = await routes("C-X64");
    const told = found.map((route) => [route.medium, route.links.starts.verdict, route.links.atHand.verdict]);
    expect(told).toEqual(
      expect.arrayContaining([
        ["M-X64", "holds", "holds"],
        ["M-ALL", "holds", "holds-after-change"],
        ["M-DISC", "holds", "unknown"],
        ["M-CUT", "holds", "holds"],
        ["M-NONE", "unknown", "unknown"],
      ]),
    );
    const of = (medium: string) => found.find((route) => route.medium === medium);
    expect(of("M-X64")?.links.sees.reasons[0]).toMatchObject({ code: "release-not-recorded" });
    expect(of("M-ALL")?.links.sees.reasons[0]).toMatchObject({
      code: "release-drivers-unknown",
      release: "Bollard 5.0",
    });
    expect(of("M-CUT")?.links.starts.reasons.at(-1)?.code).toBe("medium-fault");
    expect(of("M-NONE")?.links.starts.reasons[0]?.code).toBe("medium-not-read");
  });

  test("links that cannot be judged are unknown and say which fact is missing", async () => {
    for (const route of await routes("C-IA32")) {
      expect(route.links.restores.verdict).toBe("unknown");
      expect(route.links.proven).toMatchObject({
        verdict: "unknown",
        reasons: [{ code: "no-drill-recorded" }, { code: "never-verified" }],
      });
    }
  });

  test("a medium's computers by what the whole chain comes to", async () => {
    const of = async (tag: string) => {
      const detail = (await getMedium(inventory.ina, tag)) as NonNullable<Awaited<ReturnType<typeof getMedium>>>;
      return computersOf(inventory.ina, detail.row.id);
    };
    const found = await of("M-X64");
    // Its release is not recorded, so none is known to come back; which do not start is known all the same.
    expect(found?.counts).toEqual({ holds: 0, "holds-after-change": 0, unknown: 3, broken: 3 });
    expect(found?.items.map((item) => item.tag)).toEqual(["C-DARK", "C-SECURE", "C-X64", "C-ARM", "C-BIOS", "C-IA32"]);
    expect(found?.items[3]?.route.links.starts.verdict).toBe("broken");
    expect((await of("M-NONE"))?.counts.unknown).toBe(6);
    expect(await computersOf(inventory.ina, 0)).toBeNull();
  });

  test("lists say of each computer and medium what their pages say", async () => {
    const { items } = await listMedia(inventory.ina, {});
    expect(items.find((item) => item.tag === "M-NONE")?.isRead).toBe(false);
    for (const item of items) expect((await computersOf(inventory.ina, item.id))?.counts).toEqual(item.computers);
    for (const item of (await listComputers(inventory.ina, {})).items) {
      const all = await routes(item.tag);
      const answer = answerOf(all);
      if (!answer) throw new Error(item.tag);
      expect(item.cover).toMatchObject({ verdict: answer.weakest, at: weakLink(answer.links) });
      expect(item.cover?.links).toEqual(verdictsOf(answer.links));
      const ways = all.filter(({ weakest }) => weakest.startsWith("holds"));
      expect(item.cover?.ways).toBe(new Set(ways.map(({ medium }) => medium)).size);
    }
  });

  test("the first page says which cannot be brought back, where their best chains break, and why", async () => {
    const today = await overview(inventory.ina);
    expect(today.totals).toEqual({ holds: 0, "holds-after-change": 0, unknown: 6, broken: 0, none: 0 });
    for (const gap of today.gaps) {
      const [first = ""] = gap.tags;
      const [best] = await routes(first);
      expect(gap.at && best?.links[gap.at].verdict).toBe(gap.state);
      expect(gap.example).toMatchObject({ computer: first, reason: gap.at && best?.links[gap.at].reasons[0] });
      const found = await listComputers(inventory.ina, { best: gap.state, at: gap.at ?? undefined });
      expect(found.items.map((item) => item.tag)).toEqual(expect.arrayContaining(gap.tags));
    }
    expect(today.gaps.reduce((sum, gap) => sum + gap.count, 0)).toBe(6);
    expect(today.bySite.find((site) => site.siteName === "Harbour")?.counts.unknown).toBe(2);
    expect((await listComputers(inventory.ina, { best: "broken" })).total).toBe(0);
  });

  test("a medium read anew is judged by what is on it now, and its history says so", async () => {
    const detail = (await getMedium(inventory.ina, "M-NONE")) as NonNullable<Awaited<ReturnType<typeof getMedium>>>;
    value(await saveMedium(inventory.ina, detail.row.id, 1, mediumInputOf(detail), await read("spindle3")));
    const anew = (await routes("C-IA32")).find((route) => route.medium === "M-NONE");
    expect(anew?.links.starts.reasons[0]?.code).not.toBe("medium-not-read");
    expect((await history(inventory.ina, "medium", detail.row.id))[0]).toMatchObject({
      action: "changed",
      before: { file: null },
      after: { file: { name: "spindle-3.0.img" } },
    });
    value(await retireMedium(inventory.ina, detail.row.id, 2, true));
    expect((await routes("C-IA32")).map((route) => route.medium)).not.toContain("M-NONE");
  });

  test("a made-up inspection is refused", async () => {
    expect(await addMedium(inventory.ina, medium("M-FAKE"), { schema: "creel.inspection/1", views: {} })).toMatchObject(
      { ok: false, problem: { code: "invalid" } },
    );
    expect(await getMedium(inventory.ina, "M-FAKE")).toBeNull();
  });

  test("places and releases count what they have", async () => {
    expect((await listSites(inventory.ina)).map(({ name, computers: count, media }) => [name, count, media])).toEqual([
      ["Harbour", 2, 2],
      ["Pier", 0, 1],
    ]);
    expect(await listReleases(inventory.ina)).toMatchObject([{ kitName: "Bollard", name: "5.0", media: 1 }]);
    expect(await addSite(inventory.ina, { name: "harbour" })).toMatchObject({ ok: false, problem: { code: "taken" } });
  });
});

test("a long list comes page by page, each computer once", async () => {
  const before = (await listComputers(inventory.ina, {})).total;
  for (let i = 0; i < PAGE_ROWS + 5; i++)
    value(await addComputer(inventory.ina, computer(`L-${String(i).padStart(3, "0")}`)));
  const pages = [
    await listComputers(inventory.ina, { page: 1 }),
    await listComputers(inventory.ina, { page: 2 }),
    await listComputers(inventory.ina, { page: 99 }),
  ];
  expect(pages.map((page) => page.items.length)).toEqual([PAGE_ROWS, before + 5, 0]);
  expect(new Set(pages.flatMap((page) => page.items.map((item) => item.tag))).size).toBe(before + PAGE_ROWS + 5);
});

test("the event log is complete: one event for each version of each computer", async () => {
  for (const row of await inventory.ina.db.select().from(computers)) {
    // Those retired in bulk at the start of a block above were not changed through a service.
    const own = await inventory.ina.db.select().from(events).where(eq(events.entityId, row.id));
    expect(
      own
        .filter((event) => event.entity === "computer")
        .map((event) => event.entityVersion)
        .sort((a, b) => a - b),
    ).toEqual(Array.from({ length: row.version }, (_, i) => i + 1));
  }
});
