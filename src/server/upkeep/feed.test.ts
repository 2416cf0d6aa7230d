import ICAL from "ical.js";
import { factsSchema } from "@/core/computer/facts/schema";
import { factsOf, MACHINES } from "../../../scripts/demo/skerry-line";
import { testInventory, value } from "../../../test/support/database";
import { planDrill, withdrawDrill } from "../drills/planned-drills";
import { addComputer } from "../inventory/computers";
import { saveRule } from "../inventory/policies";
import { addSite } from "../inventory/sites";
import { addMedium } from "../media/media";
import { putOff } from "./due";
import { calendarFeed, refreshEntries } from "./feed";

// Read by another library than the one that writes it.
const inventory = testInventory();

const at = (day: string) => {
  inventory.clock.now = new Date(`${day}T23:30:00Z`);
};

interface Entry {
  uid: string;
  day: string;
  isDate: boolean;
  end: string;
  sequence: number;
  status: unknown;
}

async function entries(of: { site?: string; person?: string } = {}): Promise<Map<string, Entry>> {
  await refreshEntries(inventory.ina);
  const text = await calendarFeed(inventory.ina, { site: of.site ?? null, person: of.person ?? null });
  expect(text.startsWith("BEGIN:VCALENDAR\r\nVERSION:2.0\r\n")).toBe(true);
  // RFC 5545, 3.1: lines of at most 75 octets, ended by CRLF.
  for (const line of text.split("\r\n")) expect(Buffer.byteLength(line)).toBeLessThanOrEqual(75);
  expect(text.replaceAll("\r\n", "")).not.toContain("\n");
  const calendar = new ICAL.Component(ICAL.parse(text));
  return new Map(
    calendar.getAllSubcomponents("vevent").map((component) => {
      const event = new ICAL.Event(component);
      const { startDate, endDate } = event;
      return [
        event.summary,
        {
          ...{ uid: event.uid, day: startDate.toString(), isDate: startDate.isDate, end: endDate.toString() },
          ...{ sequence: event.sequence, status: component.getFirstPropertyValue("status") },
        },
      ];
    }),
  );
}

beforeAll(async () => {
  const { ina } = inventory;
  const siteId = value(await addSite(ina, { name: "Workshop; quay, north" }));
  const index = MACHINES.findIndex(({ tag }) => tag === "HO-004");
  const facts = factsSchema.parse(factsOf(MACHINES[index] as (typeof MACHINES)[number], index));
  value(await addComputer(ina, { tag: "WS-1", name: null, siteId, note: null, facts }));
  const medium = { name: null, kind: "usb", lentTo: null, note: null, siteId, capacityBytes: 16e9, releaseIds: [] };
  value(await addMedium(ina, { ...medium, tag: "RM-1", condition: "good" }, null));
  value(await saveRule(ina, { scope: "everywhere", target: "", values: { spares: 0, imageDays: null } }, null));
});

test("whole days stay on their date, over a leap day and clock changes, whatever the server's time zone", async () => {
  const { ina } = inventory;
  for (const [now, day, next] of [
    ["2028-02-20", "2028-02-29", "2028-03-01"],
    ["2027-03-01", "2027-03-28", "2027-03-29"],
    ["2026-10-01", "2026-10-25", "2026-10-26"],
    ["2026-12-01", "2026-12-31", "2027-01-01"],
  ] as const) {
    at(now);
    const id = value(await planDrill(ina, { medium: "RM-1", computer: "WS-1", dueOn: day }));
    const zone = process.env.TZ;
    for (const tz of ["Pacific/Kiritimati", "America/Los_Angeles", "Europe/Lisbon"]) {
      process.env.TZ = tz;
      expect((await entries()).get("Run a drill of RM-1 on WS-1")).toMatchObject({ day, end: next, isDate: true });
    }
    if (zone === undefined) delete process.env.TZ;
    else process.env.TZ = zone;
    value(await withdrawDrill(ina, id));
  }
});

test("an entry keeps its identity; a change has a higher number, what is void is called off, and can come back", async () => {
  const { ina } = inventory;
  at("2026-04-01");
  value(await planDrill(ina, { medium: "RM-1", computer: "WS-1", dueOn: "2026-04-20" }));
  const first = (await entries()).get("Run a drill of RM-1 on WS-1");
  expect(first?.status).toBe("CONFIRMED");
  expect((await entries()).get("Run a drill of RM-1 on WS-1")).toEqual(first);
  const id = value(await planDrill(ina, { medium: "RM-1", computer: "WS-1", dueOn: "2026-04-25" }));
  const moved = (await entries()).get("Run a drill of RM-1 on WS-1");
  expect(moved).toMatchObject({ uid: first?.uid, day: "2026-04-25", sequence: (first?.sequence ?? 0) + 1 });
  value(await withdrawDrill(ina, id));
  const off = (await entries()).get("Run a drill of RM-1 on WS-1");
  expect(off).toMatchObject({ uid: first?.uid, status: "CANCELLED", sequence: (moved?.sequence ?? 0) + 1 });
  at("2026-08-01");
  expect((await entries()).has("Run a drill of RM-1 on WS-1")).toBe(false);
  value(await planDrill(ina, { medium: "RM-1", computer: "WS-1", dueOn: "2026-08-20" }));
  expect((await entries()).get("Run a drill of RM-1 on WS-1")).toMatchObject({ uid: first?.uid, status: "CONFIRMED" });
});

test("what has no day stays on the one on which it came up; put off it goes to that day", async () => {
  const { ina } = inventory;
  at("2026-09-01");
  const title = "Take stock at Workshop; quay, north";
  const first = (await entries()).get(title);
  at("2026-09-05");
  expect((await entries()).get(title)).toEqual(first);
  value(await putOff(ina, { key: "stocktake Workshop; quay, north", until: "2026-09-30", why: "Holidays." }));
  expect((await entries()).get(title)).toMatchObject({ uid: first?.uid, day: "2026-09-30" });
});

test("a feed is of a place or of a person", async () => {
  at("2026-08-02");
  expect((await entries({ site: "Workshop; quay, north" })).size).toBeGreaterThan(1);
  expect((await entries({ site: "Nowhere" })).size).toBe(0);
  expect([...(await entries({ person: "Ina Torvald" })).keys()]).toEqual(["Run a drill of RM-1 on WS-1"]);
});
