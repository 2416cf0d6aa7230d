import { createHash } from "node:crypto";
import { eq, sql } from "drizzle-orm";
import { COMPUTER_SCHEMA } from "@/core/computer/exchange/lines";
import { sourceOf } from "@/core/computer/facts/merge";
import { importFaultText } from "@/core/words/imports";
import { importTroubleText } from "@/core/words/problems";
import { fleetComputer } from "../../../scripts/demo/fleet";
import { testInventory, value } from "../../../test/support/database";
import { doJobs } from "../../../test/support/jobs";
import type { Context } from "../context";
import { computers, events, jobs, sites } from "../db/schema";
import { addComputer, getComputer, inputOf, saveComputer } from "../inventory/computers";
import { history } from "../inventory/events";
import { addSite } from "../inventory/sites";
import { Engine } from "../jobs/engine";
import { KINDS } from "../work/kinds";
import { exportComputers } from "./exports";
import { cancelImport, getImport, importProgress, stageImport, startImport } from "./imports";
import { type ImportOptions, WHOLE_IMPORT } from "./options";

const inventory = testInventory();
const other = testInventory();

const OPTIONS = WHOLE_IMPORT;
async function take(
  context: Context,
  content: string | Uint8Array,
  options: Partial<ImportOptions> = {},
  name = "fleet.csv",
) {
  const id = value(
    await stageImport(context, name, typeof content === "string" ? new TextEncoder().encode(content) : content),
  );
  return worked(context, id, { ...OPTIONS, ...options });
}
/** Has the server go through a staged file, or import it; its report. */
async function worked(context: Context, id: number, options: ImportOptions, what: "check" | "run" = "run") {
  value(await startImport(context, id, options, what));
  await doJobs(context);
  const report = (await getImport(context, id))?.report;
  if (!report) throw new Error((await importProgress(context, id))?.problem?.code ?? "no report");
  return report;
}
async function exported(context: Context, form: "csv" | "jsonl"): Promise<string> {
  let text = "";
  for await (const part of exportComputers(context, form, "all")) text += part;
  return text;
}
const digest = (text: string) => createHash("sha256").update(text).digest("hex");
const empty = (context: Context) =>
  context.db.transaction(async (tx) => {
    await tx.delete(events);
    await tx.delete(computers);
    await tx.delete(sites);
  });

/** `npm run bench` does the same with ten thousand, and shows how long it takes. */
const COUNT = 700;

test("more computers than are written or sent at once go out and come back the same, as a table and as lines", async () => {
  const { ina } = inventory;
  let lines = "";
  for (let index = 0; index < COUNT; index++)
    lines += `${JSON.stringify({ schema: COMPUTER_SCHEMA, ...fleetComputer(index, "short") })}\n`;
  expect(await take(ina, lines, {}, "fleet.jsonl")).toMatchObject({ rows: COUNT, added: COUNT, faultsTotal: 0 });
  expect(await ina.db.$count(computers)).toBe(COUNT);
  for (const form of ["csv", "jsonl"] as const) {
    const out = await exported(ina, form);
    await empty(other.ina);
    expect(await take(other.ina, out, {}, `fleet.${form}`)).toMatchObject({ added: COUNT, faultsTotal: 0 });
    expect(digest(await exported(other.ina, form))).toBe(digest(out));
    // Into the inventory that it came from, it changes nothing.
    expect(await take(ina, out, {}, `fleet.${form}`)).toMatchObject({ same: COUNT, changed: 0, added: 0 });
  }
  expect(await ina.db.$count(events, eq(events.action, "imported"))).toBe(COUNT);
  await empty(ina);
});

describe("a table", () => {
  test("adds and changes by tag, or by serial where there is no tag; who, when and from what is kept", async () => {
    const { ina } = inventory;
    value(await addSite(ina, { name: "North Pier" }));
    await take(ina, "Tag;Serial;Make;RAM (GiB);Location\nT-1;S-1;Corvane;8;North Pier\nT-2;S-2;Ostrel;16;north pier\n");
    const report = await take(ina, "serial,model\nS-1,Slate 14\nS-2,Block 3\n", {}, "models.csv");
    expect(report).toMatchObject({ changed: 2, added: 0, newSites: [] });
    const detail = await getComputer(ina, "T-1");
    expect(detail).toMatchObject({
      siteName: "North Pier",
      row: { version: 2, memoryBytes: 8 * 2 ** 30 },
      facts: { computer: { make: "Corvane", model: "Slate 14" } },
    });
    expect(sourceOf(detail?.provenance as never, "computer/model")).toMatchObject({
      kind: "table",
      name: "models.csv",
      by: "Ina Torvald",
    });
    expect(sourceOf(detail?.provenance as never, "computer/make")).toMatchObject({ name: "fleet.csv" });
    expect((await history(ina, "computer", detail?.row.id as number))[0]).toMatchObject({
      action: "imported",
      before: { model: null },
      after: { model: "Slate 14" },
      note: "from models.csv",
    });
  });

  test("one row at fault, and none is imported; each fault says row, column and reason", async () => {
    const { ina } = inventory;
    const before = await ina.db.$count(computers);
    const places = await ina.db.$count(sites);
    const report = await take(
      ina,
      "tag,serial,form,site,secureBoot\nN-1,X1,laptop,New Pier,on\nN-2,X2,sofa,,on\nN-1,X3,laptop,,\n,X9,laptop,,\nhas space,X5,,,\nN-6,S-1,,,\nn-2,X7,,,\n",
    );
    expect(report.faults.map(importFaultText)).toEqual([
      expect.stringMatching(/^Row 3, form: Form: “sofa” is none of/),
      "Row 4: the tag N-1 is in row 2 already.",
      "Row 5: it has no tag, and its serial is not recorded: a new computer needs a tag.",
      expect.stringMatching(/^Row 6: A tag has letters, digits/),
      expect.stringMatching(/^Row 7: the serial S-1 is recorded for T-1/),
    ]);
    expect([await ina.db.$count(computers), await ina.db.$count(sites)]).toEqual([before, places]);
  });

  test("a place that is not recorded is a fault, unless places may be added", async () => {
    const { ina } = inventory;
    const text = "tag,site\nP-1,Far Pier\nP-2,far pier\n";
    expect((await take(ina, text, { addSites: false })).faults.map(importFaultText)[0]).toBe(
      "Row 2: site “Far Pier” not recorded. Add it first, or choose to add the table's sites.",
    );
    expect(await take(ina, text)).toMatchObject({ added: 2, newSites: ["Far Pier"] });
    expect((await getComputer(ina, "P-2"))?.siteName).toBe("Far Pier");
  });

  test("a fact set by hand is kept and counted, or replaced where that is chosen", async () => {
    const { ina } = inventory;
    value(
      await addComputer(ina, {
        tag: "H-1",
        name: null,
        siteId: null,
        note: null,
        facts: { schema: "creel.facts/1", computer: { make: "Corvane" }, firmware: { usbStart: "on" } },
      }),
    );
    const text = "tag,make,usbStart,model\nH-1,Ostrel,off,Block 3\n";
    expect(await take(ina, text)).toMatchObject({ changed: 1, keptByHand: 2 });
    expect((await getComputer(ina, "H-1"))?.facts).toMatchObject({
      computer: { make: "Corvane", model: "Block 3" },
      firmware: { usbStart: "on" },
    });
    expect(await take(ina, text, { overHand: true })).toMatchObject({ changed: 1, keptByHand: 0 });
    expect((await getComputer(ina, "H-1"))?.facts).toMatchObject({
      computer: { make: "Ostrel" },
      firmware: { usbStart: "off" },
    });
  });

  test("a check tells the same and writes nothing; the first rows are shown as they will be", async () => {
    const { ina } = inventory;
    const id = value(
      await stageImport(ina, "fleet.csv", new TextEncoder().encode("Asset no;Maker\nC-1;Corvane\nT-1;Halyde\n")),
    );
    expect((await getImport(ina, id))?.table).toMatchObject({
      header: ["Asset no", "Maker"],
      mapping: ["tag", "make"],
      delimiter: ";",
    });
    const report = await worked(ina, id, OPTIONS, "check");
    expect(report).toMatchObject({ rows: 2, added: 1, changed: 1 });
    expect(report.preview).toMatchObject([
      { row: 2, tag: "C-1", action: "add" },
      { row: 3, tag: "T-1", action: "change", changes: [{ field: "make", before: "Corvane", after: "Halyde" }] },
    ]);
    expect(await getComputer(ina, "C-1")).toBeNull();
    expect(await importProgress(ina, id)).toMatchObject({ state: "checked", done: 2, total: 2 });
  });

  test("formulas are text, a megabyte in a cell is refused by its length, mixed encodings by row", async () => {
    const { ina } = inventory;
    await take(ina, 'tag,note\nF-1,"=HYPERLINK(""http://x"",""y"")"\n');
    expect((await getComputer(ina, "F-1"))?.row.note).toBe('=HYPERLINK("http://x","y")');
    expect(await exported(ina, "csv")).toContain(`"'=HYPERLINK(""http://x"",""y"")"`);
    expect((await take(ina, `tag,name\nF-2,${"x".repeat(2 ** 20)}\n`)).faults.map(importFaultText)[0]).toMatch(
      /at most 120 characters; this cell has 1,048,576/,
    );
    const mixed = Uint8Array.from([...Buffer.from("tag,name\nF-3,caf\u00e9\nF-4,caf"), 0xe9, 0x0a]);
    expect((await take(ina, mixed)).faults.map((fault) => fault.row)).toEqual([3]);
    expect(
      await take(ina, Uint8Array.from([...Buffer.from("tag,name\nF-4,caf"), 0xe9, 0x0a]), { encoding: "windows-1252" }),
    ).toMatchObject({ added: 1 });
    expect((await getComputer(ina, "F-4"))?.row.name).toBe("caf\u00e9");
  });

  test("what its changes touch is told by kind: firmware that was updated, a setting that was changed", async () => {
    const { ina } = inventory;
    const text = (version: string, usb: string) =>
      `tag,firmwareVersion,usbStart\nU-1,${version},on\nU-2,${version},${usb}\nU-3,,\n`;
    await take(ina, text("1.0", "on"));
    expect((await take(ina, text("1.1", "off"))).touched).toMatchObject([
      { affected: { code: "firmware-updated", from: "1.0", to: "1.1" }, count: 2, tags: ["U-1", "U-2"] },
      { affected: { code: "setting-changed", setting: "usbStart" }, count: 1, tags: ["U-2"] },
    ]);
  });

  test("columns are as they were chosen, not as they were guessed", async () => {
    const { ina } = inventory;
    await take(ina, "name,tag\nM-1,Purser\n", { mapping: ["tag", "name"] });
    expect((await getComputer(ina, "M-1"))?.row.name).toBe("Purser");
    expect((await take(ina, "a,b\n1,2\n")).faults.map(importFaultText)[0]).toMatch(/No tag or serial column/);
  });

  test("somebody who edits at the same time is told, and loses nothing", async () => {
    const { ina, col } = inventory;
    const opened = inputOf((await getComputer(ina, "T-2")) as NonNullable<Awaited<ReturnType<typeof getComputer>>>);
    const version = (await getComputer(ina, "T-2"))?.row.version as number;
    await take(ina, "tag,model\nT-2,Block 9\n");
    expect(
      await saveComputer(col, (await getComputer(ina, "T-2"))?.row.id as number, version, { ...opened, name: "Till" }),
    ).toMatchObject({
      ok: false,
      problem: { code: "stale", changes: [{ field: "model", by: "Ina Torvald" }] },
    });
  });
});

describe("JSON lines", () => {
  test("bare facts change facts and leave name, place and note", async () => {
    const { ina } = inventory;
    await take(ina, "tag,name,note,make\nJ-1,Purser,Hinge is loose,Corvane\n");
    await take(ina, '{"schema":"creel.facts/1","computer":{"tag":"J-1","model":"Slate 13"}}\n', {}, "facts.jsonl");
    expect(await getComputer(ina, "J-1")).toMatchObject({
      row: { name: "Purser", note: "Hinge is loose" },
      facts: { computer: { make: "Corvane", model: "Slate 13" } },
    });
  });

  test("a line at fault is told by its number", async () => {
    const report = await take(
      inventory.ina,
      '{"schema":"creel.facts/1","computer":{"tag":"J-2"}}\n{"schema":"creel.facts/1","disks":3}\n',
      {},
      "x.jsonl",
    );
    expect(report.faults.map(importFaultText)[0]).toMatch(/^Line 2: disks: /);
    expect(await getComputer(inventory.ina, "J-2")).toBeNull();
  });
});

test("an import that a server left in the middle is taken up; nothing of it is there twice", async () => {
  const { ina } = inventory;
  const id = value(await stageImport(ina, "fleet.csv", new TextEncoder().encode("tag\nR-1\n")));
  value(await startImport(ina, id, OPTIONS, "run"));
  expect(await startImport(ina, id, OPTIONS, "run")).toMatchObject({ problem: { why: { code: "import-busy" } } });
  await ina.db.update(jobs).set({ state: "running", token: "gone", leaseUntil: new Date(0) });
  await doJobs(ina);
  expect(await getImport(ina, id)).toMatchObject({ state: "done", report: { added: 1 } });
  expect(await startImport(ina, id, OPTIONS, "run")).toMatchObject({ problem: { why: { code: "import-done" } } });
});

test("an import can be cancelled: what it did is taken back, and it can be run again", async () => {
  const { ina } = inventory;
  const rows = Array.from({ length: 3000 }, (_, index) => `CAN-${index},Till ${index}`).join("\n");
  const id = value(await stageImport(ina, "fleet.csv", new TextEncoder().encode(`tag,name\n${rows}\n`)));
  expect(await cancelImport(ina, id)).toEqual({ ok: true, value: false });
  value(await startImport(ina, id, OPTIONS, "run"));
  const engine = new Engine(ina.db, KINDS, { now: ina.now, times: { beatMs: 20, lookMs: 20 } });
  engine.start();
  while (!(await importProgress(ina, id))?.done) await new Promise((resolve) => setTimeout(resolve, 5));
  expect(await cancelImport(ina, id)).toEqual({ ok: true, value: true });
  while ((await importProgress(ina, id))?.state !== "staged") await new Promise((resolve) => setTimeout(resolve, 5));
  await engine.stop();
  expect(await importProgress(ina, id)).toMatchObject({ problem: { code: "cancelled" } });
  expect(await getComputer(ina, "CAN-0")).toBeNull();
  expect(await worked(ina, id, OPTIONS)).toMatchObject({ added: 3000 });
});

test("tags that the database holds for the same take everything back, with a sentence", async () => {
  const { ina } = inventory;
  const id = value(await stageImport(ina, "fleet.csv", new TextEncoder().encode("tag\nstrasse-1\nstra\u00dfe-1\n")));
  await expect(worked(ina, id, OPTIONS)).rejects.toThrow("tags-alike");
  expect((await importProgress(ina, id))?.problem).toEqual({ code: "tags-alike" });
  const [row] = await ina.db
    .select({ count: sql<number>`COUNT(*)` })
    .from(computers)
    .where(eq(computers.tag, "strasse-1"));
  expect(Number(row?.count)).toBe(0);
});

test("why an import came to nothing is kept as a code; a sentence of an earlier version is told as it is", async () => {
  const { ina } = inventory;
  const staged = value(await stageImport(ina, "earlier.csv", new TextEncoder().encode("tag\nEV-1\n")));
  await ina.db.execute(sql`UPDATE imports SET problem = 'It was cut off.' WHERE id = ${staged}`);
  const { problem } = (await importProgress(ina, staged)) ?? {};
  expect(problem).toEqual({ code: "told-in-words", text: "It was cut off." });
  expect(problem && importTroubleText(problem)).toBe("It was cut off.");
});

test("an import whose worker was lost behind its last write is done, also where it was tried too often or cancelled", async () => {
  const { ina } = inventory;
  for (const [tag, lost] of [
    ["LW-1", { attempts: 5, wish: null }],
    ["LW-2", { attempts: 1, wish: "cancel" as const }],
  ] as const) {
    const id = value(await stageImport(ina, `${tag}.csv`, new TextEncoder().encode(`tag\n${tag}\n`)));
    await worked(ina, id, OPTIONS);
    // As it stands where the worker is killed before it says that the job has ended.
    const leaseUntil = new Date(Date.now() - 60_000);
    await ina.db
      .update(jobs)
      .set({ state: "running", token: "gone", leaseUntil, endedAt: null, result: null, ...lost })
      .where(sql`kind = 'import' AND JSON_VALUE(payload, '$.import') = ${id}`);
    await doJobs(ina);
    expect([(await importProgress(ina, id))?.state, (await getComputer(ina, tag))?.row.tag]).toEqual(["done", tag]);
  }
});
