import { eq } from "drizzle-orm";
import { inspect } from "@/core/medium/inspection/inspect";
import { reportedText } from "@/core/words/reports";
import { IMAGES } from "../../../scripts/demo/images";
import { checksums, testInventory, value, wholeOrNothing } from "../../../test/support/database";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { bearerOf, makeToken } from "../accounts/tokens";
import { arrivals, computers, reportedChanges } from "../db/schema";
import { addComputer, type ComputerDetail, getComputer, retireComputer } from "../inventory/computers";
import { history } from "../inventory/events";
import { addSite } from "../inventory/sites";
import { addMedium } from "../media/media";
import {
  type ArrivalItem,
  acceptArrivals,
  countWaiting,
  dismissArrivals,
  joinArrival,
  listArrivals,
  markSeen,
  openReports,
  recallArrival,
} from "./arrivals";
import { type Reporter, takeReport } from "./reports";

const inventory = testInventory();
const w = tempWorkshop();
const get = async (tag: string) => (await getComputer(inventory.ina, tag)) as ComputerDetail;
const UUID = (nth: number) => `4c4c4544-0042-3510-8048-${String(nth).padStart(12, "0")}`;

let reporter: Reporter;
beforeAll(async () => {
  const { id } = value(await makeToken(inventory.ina, { name: "All", kind: "facts", days: 30 }));
  reporter = { tokenId: id, site: null, computer: null, origin: "10.0.0.7" };
});

const report = (facts: object, from: Reporter = reporter) => {
  const body = {
    schema: "creel.facts/1",
    collected: { at: "2026-11-20T08:00:00Z", by: "creel-collect.sh 2" },
    ...facts,
  };
  return takeReport(inventory.ina, from, new TextEncoder().encode(JSON.stringify(body)));
};
const laptop = (serial: string, more: object = {}) => ({
  computer: { make: "Corvane", model: "Slate 14", serial },
  firmware: { kind: "uefi", arch: "x64", secureBoot: { state: "off" } },
  ...more,
});
const waiting = async (): Promise<ArrivalItem[]> =>
  (await listArrivals(inventory.ina, { state: "waiting", siteId: null, page: 1 })).items;
const waitingBy = async (serial: string) => {
  const found = (await waiting()).find(({ row }) => row.serial === serial);
  if (!found) throw new Error(`${serial} does not wait`);
  return found;
};
const numbers = (prefix: string) => ({ by: "number" as const, prefix, digits: 3 });

describe("a report of a computer that is not recorded", () => {
  test("waits, counted but kept once however often it comes", async () => {
    for (const _ of [1, 2, 3]) expect(value(await report(laptop("W-1"))).state).toBe("waiting");
    expect((await waitingBy("W-1")).row).toMatchObject({ reports: 3, make: "Corvane", origin: "10.0.0.7" });
    expect(await get("W-1")).toBeNull();
  });

  test("a hundred at once, some of them twice, are each there once", async () => {
    const before = await countWaiting(inventory.ina);
    const told = Array.from({ length: 60 }, (_, nth) => laptop(`M-${nth % 40}`));
    const answers = await Promise.all(told.map((each) => report(each)));
    expect(new Set(answers.map((each) => value(each).state))).toEqual(new Set(["waiting"]));
    expect((await countWaiting(inventory.ina)) - before).toBe(40);
  });

  test("one that tells nothing to know it by is kept by its content", async () => {
    const bare = { firmware: { kind: "bios" }, memoryBytes: 2 ** 31 };
    const before = await countWaiting(inventory.ina);
    for (const _ of [1, 2]) value(await report(bare));
    value(await report({ ...bare, memoryBytes: 2 ** 30 }));
    expect((await countWaiting(inventory.ina)) - before).toBe(2);
  });

  test("one that tells more each time, or less, is the same one", async () => {
    const before = await countWaiting(inventory.ina);
    const address = "00:16:cb:77:00:01";
    for (const computer of [
      { addresses: [address] },
      { addresses: [address], serial: "GROWS-1" },
      { serial: "GROWS-1", uuid: UUID(77) },
      { uuid: UUID(77) },
      { addresses: [address] },
    ])
      expect(value(await report({ computer })).state).toBe("waiting");
    expect((await countWaiting(inventory.ina)) - before).toBe(1);
    const found = (await waiting()).find(({ row }) => row.identity.uuid === UUID(77));
    expect(found?.row).toMatchObject({ reports: 5, serial: "GROWS-1", identity: { addresses: [address] } });
    const taken = { ids: [found?.row.id], siteId: null, naming: { by: "serial" } };
    expect(value(await acceptArrivals(inventory.ina, taken))).toEqual(["GROWS-1"]);
    expect((await get("GROWS-1")).facts.computer).toMatchObject({
      serial: "GROWS-1",
      uuid: UUID(77),
      addresses: [address],
    });
    // Another board with the same disk is another computer.
    value(await report({ computer: { serial: "D-1" }, disks: [{ name: "a", bytes: 1, serial: "MOVED" }] }));
    value(await report({ computer: { serial: "D-2" }, disks: [{ name: "a", bytes: 1, serial: "MOVED" }] }));
    expect((await countWaiting(inventory.ina)) - before).toBe(2);
  });

  test("two computers with one number of their boards, or with the same filler, are two", async () => {
    const before = await countWaiting(inventory.ina);
    for (const serial of ["TWIN-1", "TWIN-2", "TWIN-1"]) value(await report({ computer: { serial, uuid: UUID(88) } }));
    for (const address of ["00:16:cb:78:00:01", "00:16:cb:78:00:02"])
      value(await report({ computer: { serial: "Default string", addresses: [address] } }));
    expect((await countWaiting(inventory.ina)) - before).toBe(4);
  });

  test("what is no report is told so, and kept nowhere", async () => {
    const before = await countWaiting(inventory.ina);
    for (const text of ["", "{", '{"schema":"creel.facts/9"}', '{"blockdevices":[]}', "\0\0"]) {
      const taken = await takeReport(inventory.ina, reporter, new TextEncoder().encode(text));
      expect(taken).toMatchObject({ ok: false, problem: { why: { code: "report-unreadable" } } });
    }
    expect(await countWaiting(inventory.ina)).toBe(before);
  });
});

describe("deciding", () => {
  test("several are accepted at once, numbered on from what is there, with their facts and who did it", async () => {
    const siteId = value(await addSite(inventory.ina, { name: "North Pier" }));
    value(
      await addComputer(inventory.ina, {
        tag: "NP-007",
        name: null,
        siteId,
        note: null,
        facts: { schema: "creel.facts/1" },
      }),
    );
    for (const serial of ["A-1", "A-2"]) value(await report(laptop(serial)));
    const ids = [(await waitingBy("A-1")).row.id, (await waitingBy("A-2")).row.id];
    expect(value(await acceptArrivals(inventory.ina, { ids, siteId, naming: numbers("NP-") }))).toEqual([
      "NP-008",
      "NP-009",
    ]);
    const first = await get("NP-008");
    expect([first.row.serial, first.row.siteId, first.facts.firmware.arch]).toEqual(["A-1", siteId, "x64"]);
    expect((await history(inventory.ina, "computer", first.row.id))[0]).toMatchObject({
      action: "added",
      note: "reported by itself",
    });
    // Reported again it is known, and confirmed.
    expect(value(await report(laptop("A-1")))).toEqual({ state: "same", tag: "NP-008" });
    // Accepted twice is refused.
    const again = await acceptArrivals(inventory.ina, { ids, siteId, naming: numbers("NP-") });
    expect(again).toMatchObject({ ok: false, problem: { why: { code: "not-waiting" } } });
  });

  test("by the tag that they tell, or their serial; without either nothing is done", async () => {
    value(await report(laptop("B 1", { computer: { serial: "B 1", tag: "BR-1" } })));
    value(await report({ computer: { uuid: UUID(7) } }));
    const { row } = await waitingBy("B 1");
    const bare = (await waiting()).find((each) => each.row.identity.uuid === UUID(7)) as ArrivalItem;
    const both = { ids: [row.id, bare.row.id], siteId: null, naming: { by: "told" } };
    const refused = await acceptArrivals(inventory.ina, both);
    expect(refused).toMatchObject({ ok: false, problem: { why: { code: "report-without-tag", count: 1 } } });
    expect(value(await acceptArrivals(inventory.ina, { ...both, ids: [row.id] }))).toEqual(["BR-1"]);
    value(await report(laptop("C 2")));
    const bySerial = { ids: [(await waitingBy("C 2")).row.id], siteId: null, naming: { by: "serial" } };
    expect(value(await acceptArrivals(inventory.ina, bySerial))).toEqual(["C-2"]);
  });

  test("all or nothing, wherever the connection breaks", async () => {
    for (const serial of ["H-1", "H-2"]) value(await report(laptop(serial)));
    const ids = [(await waitingBy("H-1")).row.id, (await waitingBy("H-2")).row.id];
    await wholeOrNothing(inventory, (context) =>
      acceptArrivals(context, { ids, siteId: null, naming: numbers("HN-") }),
    );
  });

  test("a double is shown with what speaks for it and against it, and joined to the computer that it is", async () => {
    value(
      await addComputer(inventory.ina, {
        ...{ tag: "WS-1", name: "Workshop", siteId: null, note: null },
        facts: { schema: "creel.facts/1", computer: { make: "Corvane", serial: "OLD-1", uuid: UUID(1) } },
      }),
    );
    // The board went into another case.
    value(await report({ computer: { make: "Corvane", serial: "NEW-1", uuid: UUID(1) }, memoryBytes: 2 ** 33 }));
    const item = await waitingBy("NEW-1");
    expect(item.doubles).toEqual([
      {
        ...{ tag: "WS-1", name: "Workshop", site: null, likeness: { same: ["uuid"], other: ["serial"] } },
        identity: expect.objectContaining({ serial: "old-1", uuid: UUID(1) }),
        written: ["Corvane", "OLD-1"],
      },
    ]);
    expect(value(await joinArrival(inventory.ina, item.row.id, "WS-1"))).toBe("WS-1");
    expect((await get("WS-1")).facts.memoryBytes).toBe(2 ** 33);
    // Decided once: its next report is of that computer.
    const next = { computer: { make: "Corvane", serial: "NEW-1", uuid: UUID(1) }, memoryBytes: 2 ** 34 };
    expect(value(await report(next))).toEqual({ state: "taken", tag: "WS-1" });
  });

  test("one that is none of ours is not asked about again, until that is taken back", async () => {
    value(await report(laptop("X-1")));
    const { row } = await waitingBy("X-1");
    value(await dismissArrivals(inventory.ina, [row.id]));
    expect(value(await report(laptop("X-1"))).state).toBe("dismissed");
    const dismissed = await listArrivals(inventory.ina, { state: "dismissed", siteId: null, page: 1 });
    expect(dismissed.items.map((each) => [each.row.serial, each.row.reports])).toEqual([["X-1", 2]]);
    value(await recallArrival(inventory.ina, row.id));
    expect((await waitingBy("X-1")).row.reports).toBe(2);
  });

  test("a computer that was taken out of service since waits when it reports again", async () => {
    value(await report(laptop("R-1")));
    const { row } = await waitingBy("R-1");
    value(await acceptArrivals(inventory.ina, { ids: [row.id], siteId: null, naming: numbers("RT-") }));
    const { row: computer } = await get("RT-001");
    value(await retireComputer(inventory.ina, computer.id, computer.version, true));
    expect(value(await report(laptop("R-1"))).state).toBe("waiting");
    expect((await waitingBy("R-1")).row.id).toBe(row.id);
  });
});

describe("what a token is for", () => {
  test("a site's token takes what computers there report; one of another site waits", async () => {
    const [pier, head] = [
      value(await addSite(inventory.ina, { name: "South Pier" })),
      value(await addSite(inventory.ina, { name: "Head office" })),
    ];
    const add = (tag: string, siteId: number, serial: string) =>
      addComputer(inventory.ina, {
        ...{ tag, name: null, siteId, note: null },
        facts: { schema: "creel.facts/1", computer: { serial } },
      });
    value(await add("SP-1", pier, "SP1"));
    value(await add("HO-1", head, "HO1"));
    const { secret } = value(await makeToken(inventory.ina, { name: "Pier", kind: "facts", siteId: pier, days: 7 }));
    const at = { secret, kind: "facts" as const, origin: null, now: inventory.ina.now() };
    const bearer = await bearerOf(inventory.ina.db, at);
    if (!bearer) throw new Error("no bearer");
    const from = { tokenId: bearer.id, site: bearer.site, computer: bearer.computer, origin: null };
    expect(value(await report({ computer: { serial: "SP1" }, memoryBytes: 1 }, from))).toEqual({
      state: "taken",
      tag: "SP-1",
    });
    expect(value(await report({ computer: { serial: "HO1" }, memoryBytes: 1 }, from)).state).toBe("waiting");
    expect((await get("HO-1")).facts.memoryBytes).toBeNull();
    expect((await waitingBy("HO1")).doubles.map(({ tag, site }) => [tag, site])).toEqual([["HO-1", "Head office"]]);
  });

  test("a computer's token takes what it reports, whatever little that tells, and nothing of another one", async () => {
    const add = (tag: string, serial: string | null) =>
      addComputer(inventory.ina, {
        ...{ tag, name: null, siteId: null, note: null },
        facts: { schema: "creel.facts/1", computer: { serial } },
      });
    const id = value(await add("ONE-1", null));
    value(await add("ONE-2", "ONE2"));
    const { secret } = value(await makeToken(inventory.ina, { name: "One", kind: "facts", computerId: id, days: 7 }));
    const bearer = await bearerOf(inventory.ina.db, { secret, kind: "facts", origin: null, now: inventory.ina.now() });
    expect(bearer?.computer).toBe("ONE-1");
    const from = { tokenId: reporter.tokenId, site: null, computer: "ONE-1", origin: null };
    expect(value(await report({ memoryBytes: 5 }, from))).toEqual({ state: "taken", tag: "ONE-1" });
    for (const computer of [{ serial: "ONE2" }, { tag: "ONE-2" }]) {
      const refused = await report({ computer, memoryBytes: 6 }, from);
      expect(refused).toMatchObject({ ok: false, problem: { why: { code: "facts-of-another", told: "ONE-2" } } });
    }
    expect((await get("ONE-1")).facts.memoryBytes).toBe(5);
  });
});

test("what changes which media start a computer is told in a sentence, until somebody has seen it", async () => {
  const { inspection } = await inspect(memory(IMAGES.spindle3.make(w)), { name: "spindle.img" });
  const medium = {
    ...{ tag: "RM-02", name: null, kind: "usb", capacityBytes: null, siteId: null, lentTo: null },
    note: null,
  };
  value(await addMedium(inventory.ina, { ...medium, releaseIds: [] }, inspection));
  const told = (arch: string, more: object = {}) => ({
    computer: { serial: "NP3" },
    firmware: { kind: "uefi", arch, legacyMode: "absent", secureBoot: { state: "off" }, ...more },
  });
  value(await report(told("ia32")));
  const naming = { by: "number", prefix: "NP-00", digits: 1 };
  const ids = [(await waitingBy("NP3")).row.id];
  const [tag] = value(await acceptArrivals(inventory.ina, { ids, siteId: null, naming }));
  expect(value(await report(told("ia32", { version: "2.1" }))).state).toBe("taken");
  expect(await openReports(inventory.ina)).toEqual([]);
  const lists = { state: "on", pk: "", kek: "", db: "", dbx: "" };
  expect(
    value(
      await report({
        ...told("ia32", { version: "2.1", secureBoot: lists }),
        collected: { at: "2026-11-21T08:00:00Z", by: "c" },
      }),
    ).state,
  ).toBe("taken");
  const [open, ...others] = await openReports(inventory.ina);
  expect(others).toEqual([]);
  if (!open) throw new Error("nothing is told");
  expect(reportedText(open.computer, open)).toBe(
    `Secure Boot was switched on at ${tag}: RM-02 no longer starts it until a setting is changed.`,
  );
  const { row } = await get(tag as string);
  expect((await history(inventory.ina, "computer", row.id))[0]).toMatchObject({
    ...{ action: "reported a change of", note: expect.stringContaining("RM-02 no longer starts it") },
  });
  value(await markSeen(inventory.ina, open.id));
  expect(await openReports(inventory.ina)).toEqual([]);
  expect(
    (await inventory.ina.db.select().from(reportedChanges).where(eq(reportedChanges.id, open.id)))[0]?.seenById,
  ).toBe(inventory.ina.person.id);
});

test("a report of a known computer that comes again writes nothing but when it was told", async () => {
  const facts = laptop("A-2");
  value(await report(facts));
  const before = await checksums(inventory.ina.db, ["computer_facts"]);
  expect(value(await report(facts)).state).toBe("same");
  expect(await checksums(inventory.ina.db, ["computer_facts"])).toEqual(before);
  expect((await inventory.ina.db.select().from(computers)).length).toBeGreaterThan(5);
  expect((await inventory.ina.db.select().from(arrivals)).length).toBeGreaterThan(40);
});
