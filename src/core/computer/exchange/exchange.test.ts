import Papa from "papaparse";
import { readImportFault } from "../../problems/problem";
import { importFaultText, lineProblemText } from "../../words/imports";
import { FACTS_SCHEMA, factsSchema } from "../facts/schema";
import { COLUMNS, type ComputerRecord, emptyRecord } from "./columns";
import { readLine, writeLine } from "./lines";
import { decode, encodingOf, guardCell, guessMapping, readRow, readTable, unguardCell, writeTable } from "./table";

const bytes = (text: string, encoding: "utf8" | "utf16le" | "latin1" = "utf8") =>
  new Uint8Array(Buffer.from(text, encoding));
/** Records of a table's text, as an import reads them. */
function recordsOf(text: string, delimiter: string | null = null): { records: ComputerRecord[]; problems: string[] } {
  const table = readTable(text, delimiter);
  const mapping = guessMapping(table.header);
  const problems: string[] = table.faults.map(importFaultText);
  const records = table.rows.map((row) => {
    const record = emptyRecord();
    const faults = readRow(record, row, table.header, mapping, false);
    problems.push(...faults.map((fault) => importFaultText({ row: 1, ...fault })));
    return record;
  });
  return { records, problems };
}

const rich: ComputerRecord = {
  tag: "QX-014",
  name: 'The "old" one, by the door',
  site: "North Pier",
  note: "Line one\nline two; with = signs\r\nand 日本 and \u{1F6A2}",
  retired: "2026-02-01T00:00:00.000Z",
  provenance: {
    sources: [
      { kind: "hand", name: "form", at: "2026-01-01T00:00:00.000Z", by: "Ina" },
      // A tool that nobody stood behind.
      { kind: "collector", name: "collector", at: "2026-01-02T00:00:00.000Z", by: null },
    ],
    facts: { "computer/make": 0, "computer/model": 1 },
  },
  facts: factsSchema.parse({
    schema: FACTS_SCHEMA,
    computer: { tag: "QX-014", make: "=SUM(A1:A9)", model: "+1", serial: "-5", form: "laptop" },
    firmware: {
      kind: "uefi",
      arch: "x64",
      version: "@v",
      legacyMode: "off",
      secureBoot: { state: "on", db: "AAAA" },
      usbStart: "on",
      fastBoot: "off",
      keys: { setup: "F2" },
    },
    cpu: { arch: "x64", name: "Norlight" },
    memoryBytes: 8 * 2 ** 30,
    disks: [
      {
        name: "sda",
        bytes: 256060514304,
        bus: "sata",
        model: "'=quoted",
        serial: "\t1",
        partitions: [{ number: 1, bytes: 5, role: "esp", keyPlace: "Safe" }],
      },
      { name: "of unknown content", bytes: 1e9 },
      { name: "empty", bytes: 1e9, partitions: [] },
    ],
    devices: [{ modalias: "pci:v1", class: "storage" }],
    systems: [{ family: "linux", name: "Kittiwake", version: "9" }, { name: "Gannet Desk" }],
    ports: { usb: 3, optical: false },
  }),
};

test("what is written is read back as it was: formulas, quotes, line breaks, disks, marks and all", () => {
  const { records, problems } = recordsOf(writeTable([rich, emptyRecord("X")]));
  expect(problems).toEqual([]);
  expect(records).toEqual([{ ...rich, facts: { ...rich.facts } }, emptyRecord("X")]);
  expect(writeTable(records)).toBe(writeTable([rich, emptyRecord("X")]));
});

test("the table is RFC 4180: CRLF, quotes doubled, as many cells in each row as the heading has", () => {
  const text = writeTable([rich]);
  expect(text.startsWith("\uFEFFtag,name,site,")).toBe(true);
  expect(text).toContain('"The ""old"" one, by the door"');
  const rows = Papa.parse<string[]>(text.slice(1), { delimiter: "," }).data.filter((row) => row.length > 1);
  expect(rows.map((row) => row.length)).toEqual([COLUMNS.length, COLUMNS.length]);
});

test.each(["=1+1", "+1", "-1", "@cmd", "\t=1", "'=1", "''=1", "'", "plain", "5-3"])(
  "a cell that holds %j is guarded so that no spreadsheet runs it, and comes back",
  (cell) => {
    expect(guardCell(cell)).not.toMatch(/^[=+\-@\t\r]/);
    expect(unguardCell(guardCell(cell))).toBe(cell);
  },
);

test.each([
  ["tag,make\nA,B\n", ","],
  ["tag;make\nA;B\n", ";"],
  ["tag\tmake\nA\tB\n", "\t"],
  ["tag|make\r\nA|B\r\n", "|"],
  ["\uFEFFtag;make\nA;B", ";"],
  ["sep=^\ntag^make\nA^B\n", "^"],
])("the delimiter of %j is found", (text, delimiter) => {
  const table = readTable(text);
  expect(table.delimiter).toBe(delimiter);
  expect(recordsOf(text).records).toMatchObject([{ tag: "A", facts: { computer: { make: "B" } } }]);
});

test("rows may end now with CRLF, now with LF; line breaks inside quotes stay as they are", () => {
  const { records, problems } = recordsOf('tag,note\r\nA,"one\r\ntwo"\nB,"x\ny"\r\nC,z\n');
  expect(problems).toEqual([]);
  expect(records.map((record) => [record.tag, record.note])).toEqual([
    ["A", "one\r\ntwo"],
    ["B", "x\ny"],
    ["C", "z"],
  ]);
});

test("a line of megabytes and a table of thousands of columns are told at once", () => {
  expect(recordsOf("a".repeat(5_000_000)).records).toEqual([]);
  expect(recordsOf(`${"c,".repeat(20_000)}\n${"x,".repeat(20_000)}\n`).problems[0]).toMatch(/20,001 columns/);
});

test("any other delimiter can be named", () => {
  expect(recordsOf("tag~make\nA~B\n", "~").records).toMatchObject([{ tag: "A", facts: { computer: { make: "B" } } }]);
});

test.each([
  [
    ["Asset Tag", "Manufacturer", "Serial No.", "RAM (GB)", "BIOS mode", "Location"],
    ["tag", "make", "serial", "memoryBytes", "firmwareKind", "site"],
  ],
  [
    ["service_tag", "Secure-Boot", "OS", "OS Version", "HDD"],
    ["serial", "secureBoot", "systemName", "systemVersion", "disk1Bytes"],
  ],
  [
    ["Inventory no", "Manufactuer", "Quux"],
    ["tag", "make", null],
  ],
  [
    ["Tag", "tag", "TAG"],
    ["tag", null, null],
  ],
])("headings %j are guessed", (header, keys) => {
  expect(guessMapping(header)).toEqual(keys);
});

test("units come from the cell or from the heading, and are never guessed", () => {
  const memory = (heading: string, cell: string) => {
    const { records, problems } = recordsOf(`tag;${heading}\nA;${cell}\n`);
    return problems[0] ?? records[0]?.facts.memoryBytes;
  };
  expect(memory("RAM (GiB)", "8")).toBe(8 * 2 ** 30);
  expect(memory("memory", "16 GiB")).toBe(16 * 2 ** 30);
  expect(memory("memory", "8589934592")).toBe(8589934592);
  expect(memory("memory", "8")).toMatch(/“8” is no size\. Write it with its unit/);
  expect(recordsOf("tag;disk\nA;1,5 TB\n").records[0]?.facts.disks?.[0]?.bytes).toBe(1.5e12);
  expect(recordsOf("tag;disk\nA;476.9 GiB\n").records[0]?.facts.disks?.[0]?.bytes).toBe(Math.round(476.9 * 2 ** 30));
});

test.each([
  ['tag,make\nA,"B\nC,D\n', /Row 2: a quoted cell begins here and never ends/],
  ['tag,make\nA,"B"x"\n', /Row 2: a quote/],
  ["tag,make\nA,B,C\n", /Row 2 has 3 cells, the heading has 2/],
  ["tag,secureBoot\nA,perhaps\n", /Secure Boot: “perhaps” is none of “on”, “off”, “setup”, “absent”/],
  ["tag,form\nA,sofa\n", /Form: “sofa” is none of/],
  ["tag,firmwareArch\nA,z80\n", /“z80” is none of “x64”/],
  ["tag,usbPorts\nA,2.5\n", /no whole number/],
  ["tag,facts\nA,{\n", /“facts” is no facts file: it is not JSON/],
  ["tag,disk1Model\nA,Norlight\n", /Disk 1 has no size/],
  ["tag,systemVersion\nA,9\n", /a version but no name/],
  ["tag,retired\nA,soon\n", /neither “no” nor a date/],
  [`tag,make\nA,${"x".repeat(1_048_576)}\n`, /Make has at most 200 characters; this cell has 1,048,576/],
  ["tag,make\nA,B\0C\n", /zero byte/],
  ["", /^Empty:/],
])("bad table %# is told with its row and reason", (text, problem) => {
  expect(recordsOf(text).problems.join("\n")).toMatch(problem);
});

test("encodings: a mark tells, without one UTF-8 is meant; bytes that are not are told by row", () => {
  expect(encodingOf(bytes("\uFEFFtag", "utf16le"))).toBe("utf-16le");
  expect(decode(bytes("\uFEFFtag,make\nA,Ü\n", "utf16le"), "utf-16le").text.replace(/^\uFEFF/, "")).toBe(
    "tag,make\nA,Ü\n",
  );
  const mixed = Uint8Array.from([...bytes("tag,make\nA,Ä\nB,"), 0xc4, 0x0a]);
  const { text, damaged } = decode(mixed, "utf-8");
  expect(readTable(text, null, damaged).faults.map((fault) => fault.row)).toEqual([3]);
  expect(decode(mixed.slice(-2), "windows-1252").text).toBe("Ä\n");
});

test("empty cells leave what is there, or clear it where that is chosen", () => {
  const record = (): ComputerRecord => ({ ...structuredClone(rich), note: "kept" });
  const [left, cleared] = [record(), record()];
  const header = ["tag", "note", "make"];
  readRow(left, ["QX-014", "", ""], header, guessMapping(header), false);
  readRow(cleared, ["QX-014", "", ""], header, guessMapping(header), true);
  expect([left.note, left.facts.computer.make]).toEqual(["kept", "=SUM(A1:A9)"]);
  expect([cleared.note, cleared.facts.computer.make, cleared.tag]).toEqual([null, null, "QX-014"]);
});

describe("JSON lines", () => {
  test("a line comes back as it was", () => {
    expect(readLine(writeLine(rich))).toEqual({ ok: true, bare: false, record: rich });
  });
  test("bare facts are a line too, by the tag in them", () => {
    expect(readLine(JSON.stringify({ schema: FACTS_SCHEMA, computer: { tag: "A" } }))).toMatchObject({
      ok: true,
      record: { tag: "A" },
    });
  });
  test.each([
    ["{", /not JSON/],
    ['{"schema":"creel.computer/1","tag":5}', /^tag: /],
    ['{"schema":"creel.computer/1","tag":"A","facts":{}}', /facts: its "schema" is missing/],
    ["7", /creel\.computer\/1 or creel\.facts\/1/],
  ])("%s is told", (line, problem) => {
    const reading = readLine(line);
    expect(reading.ok ? "" : lineProblemText(reading.problem)).toMatch(problem);
  });
});

test("a fault that was kept as a sentence is told as it was", () => {
  const kept = { row: 2, column: "tag", text: "Row 2: the tag A is in row 1 already." };
  expect(importFaultText(readImportFault(kept))).toBe(kept.text);
  const coded = { row: 2, column: "tag", problem: { code: "tag-twice", tag: "A", row: 1 } } as const;
  expect(importFaultText(readImportFault(coded))).toBe(kept.text);
});
