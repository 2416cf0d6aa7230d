import { spawnSync } from "node:child_process";
import { readdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { simpleParser } from "mailparser";
import Papa from "papaparse";
import { factsSchema } from "@/core/computer/facts/schema";
import { factsOf, MACHINES } from "../../../scripts/demo/skerry-line";
import { testInventory, value } from "../../../test/support/database";
import { tempWorkshop } from "../../../test/support/workshop";
import { drillsOf } from "../drills/drills";
import { planDrill, plannedOf } from "../drills/planned-drills";
import { outboxFile, outboxFiles, outboxFolder } from "../host/mailer";
import { addComputer } from "../inventory/computers";
import { saveRule, setTravel } from "../inventory/policies";
import { addSite } from "../inventory/sites";
import { lend } from "../media/loans";
import { addMedium, getMedium } from "../media/media";
import { DIGEST_ROUND, sendDigests } from "./digests";
import { siteReport, siteReportCsv, siteReportPdf } from "./report";
import { enterVisit, visitPlaces, visitView } from "./visits";

const inventory = testInventory();
const w = tempWorkshop();

const at = (time: string) => {
  inventory.clock.now = new Date(time);
};

beforeAll(async () => {
  process.env.CREEL_DATA = join(w.folder, "data");
  at("2026-03-02T08:00:00Z");
  const { ina } = inventory;
  const office = value(await addSite(ina, { name: "Head office" }));
  const pier = value(await addSite(ina, { name: "Nörth Pier" }));
  value(await setTravel(ina, { fromId: office, toId: pier, minutes: 25 }));
  const index = MACHINES.findIndex(({ tag }) => tag === "HO-004");
  const facts = factsSchema.parse(factsOf(MACHINES[index] as (typeof MACHINES)[number], index));
  for (const tag of ["NP-1", "NP-2"])
    value(await addComputer(ina, { tag, name: null, siteId: pier, note: null, facts }));
  const medium = { name: null, kind: "usb", lentTo: null, note: null, capacityBytes: 16e9, releaseIds: [] };
  value(await addMedium(ina, { ...medium, tag: "RM-1", siteId: office, condition: "good" }, null));
  value(await addMedium(ina, { ...medium, tag: "RM-2", siteId: pier, condition: "worn" }, null));
  value(await addMedium(ina, { ...medium, tag: "RM-3", siteId: pier, condition: "good" }, null));
  value(await saveRule(ina, { scope: "everywhere", target: "", values: { spares: 0, back: 0, files: 0 } }, null));
  value(await planDrill(ina, { medium: "RM-1", computer: "NP-1", dueOn: "2026-03-04" }));
  value(await planDrill(ina, { medium: "RM-1", computer: "NP-2", dueOn: "2026-03-04" }));
  value(await lend(ina, { tag: "RM-3", to: "Col Marrick", dueOn: "2026-03-03" }));
  at("2026-03-05T08:00:00Z");
});

afterAll(() => {
  delete process.env.CREEL_DATA;
});

const mails = async () =>
  Promise.all(
    (await outboxFiles()).map(async (file) => {
      const mail = await simpleParser((await outboxFile(file)) ?? "");
      const to = mail.to && !Array.isArray(mail.to) ? mail.to.value[0]?.name : undefined;
      return { file, to, subject: mail.subject ?? "", text: mail.text ?? "", date: mail.date };
    }),
  );

test("a digest tells each place and person what came up, then only what changed, and nothing where nothing did", async () => {
  const { ina } = inventory;
  expect(await sendDigests(ina)).toEqual({ sent: 4, quiet: 0, failed: [] });
  const first = await mails();
  expect(first.map(({ to }) => to).sort()).toEqual(["Col Marrick", "Head office", "Ina Torvald", "Nörth Pier"]);
  const pier = first.find(({ to }) => to === "Nörth Pier");
  expect(pier?.subject).toMatch(/^Nörth Pier: \d+ things new$/);
  expect(pier?.text).toContain("- Replace RM-2 at Nörth Pier. Worn.");
  expect(pier?.text).toContain("- Run a drill of RM-1 on NP-1 at Nörth Pier. Planned for 4 Mar 2026, one day ago.");
  expect(pier?.date?.toISOString()).toBe("2026-03-05T08:00:00.000Z");
  const col = first.find(({ to }) => to === "Col Marrick");
  expect(col?.text).toContain("Ask for the return of RM-3");
  expect(col?.text).not.toContain("RM-2");
  expect(await sendDigests(ina)).toEqual({ sent: 0, quiet: 4, failed: [] });
  expect(readdirSync(outboxFolder())).toHaveLength(4);
  expect(await outboxFile("../../etc/passwd")).toBeNull();
});

test("once a day they go out by themselves, and not before the hour", () => {
  const five = new Date("2026-03-06T05:00:00Z");
  for (const time of ["00:00", "05:00", "23:59"])
    expect(DIGEST_ROUND.next(new Date(`2026-03-06T${time}:00Z`))).toEqual({ once: "2026-03-06", dueAt: five });
});

test("a visit says what to take, what to do, how long and the way; its results are entered in one pass", async () => {
  const { ina, col } = inventory;
  at("2026-03-06T09:00:00Z");
  expect((await visitPlaces(ina))[0]).toMatchObject({ site: "Nörth Pier" });
  const visit = await visitView(ina, "Nörth Pier");
  expect(visit.take).toEqual([{ medium: "RM-1", from: "Head office" }]);
  expect(visit.from).toEqual([{ place: "Head office", minutes: 25 }]);
  expect(visit.minutes).toBe(visit.jobs.reduce((sum, { minutes }) => sum + minutes, 0));
  const key = (title: string) => visit.jobs.find(({ item }) => item.key.startsWith(title))?.item.key ?? "";
  const result = (title: string, said: string, note = "") => ({ key: key(title), result: said, note });
  const entered = value(
    await enterVisit(col, {
      site: "Nörth Pier",
      results: [
        result("planned-drill RM-1 NP-1", "started", "Needed the second port."),
        result("planned-drill RM-1 NP-2", "failed"),
        result("loan RM-3", "back"),
        result("wear RM-2", "retired"),
        result("stocktake", "started"),
        { key: "drill NOTHING", result: "started", note: "" },
        result("image NP-1", ""),
      ],
      tasks: [],
    }),
  );
  expect(entered.recorded).toBe(4);
  expect(entered.left).toEqual([
    "Take stock at Nörth Pier: “started” says nothing of it.",
    "drill NOTHING: it is no longer due there.",
  ]);
  const medium = await getMedium(ina, "RM-1");
  const held = await drillsOf(ina, { mediumId: medium?.row.id ?? 0 });
  expect(held.map(({ computer, result: how, note }) => [computer, how, note]).sort()).toEqual([
    ["NP-1", "started", "Needed the second port."],
    ["NP-2", "failed", null],
  ]);
  expect((await getMedium(ina, "RM-3"))?.row.lentTo).toBeNull();
  expect((await getMedium(ina, "RM-2"))?.row.retiredAt).not.toBeNull();
  expect(await plannedOf(ina)).toEqual([]);
  at("2026-03-07T06:00:00Z");
  await sendDigests(ina);
  const after = (await mails()).find(({ to, file }) => to === "Nörth Pier" && file.startsWith("2026-03-07"));
  expect(after?.text).toContain("Done or obsolete since then: 4 things.");
});

test("a report says cover, drills, what was done and what is open, as PDF and as a table", async () => {
  const { ina } = inventory;
  const report = await siteReport(ina, "Nörth Pier");
  if (!report) throw new Error("no report");
  expect(await siteReport(ina, "Nowhere")).toBeNull();
  const file = w.path("report.pdf");
  writeFileSync(file, await siteReportPdf(report));
  // Debian's poppler-utils reads what was written.
  const { stdout } = spawnSync("pdftotext", ["-layout", file, "-"], { encoding: "utf8" });
  expect(stdout).toContain("Upkeep of Nörth Pier");
  expect(stdout).toContain("2 of 2 computers meet their policy.");
  expect(stdout).toContain("2026-03-06: RM-1 on NP-1, started");
  expect(stdout).toContain("2026-03-06: Col Marrick retired RM-2");
  expect(stdout).toContain("Take stock at Nörth Pier");
  const { data, errors } = Papa.parse<string[]>(siteReportCsv(report).trim());
  expect(errors).toEqual([]);
  expect(new Set(data.map(({ length }) => length))).toEqual(new Set([5]));
  expect(data).toContainEqual(["drill", "2026-03-06", "RM-1 on NP-1", "started", "1"]);
  expect(data.filter(([part]) => part === "open").length).toBe(report.open.length);
});
