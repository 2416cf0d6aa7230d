import { damaged, dice } from "../../../../test/support/dice";
import { importFaultText, lineProblemText } from "../../words/imports";
import { FACTS_SCHEMA, factsSchema } from "../facts/schema";
import { COLUMNS, emptyRecord } from "./columns";
import { readLine } from "./lines";
import { decode, encodingOf, guessMapping, readRow, readTable, writeTable } from "./table";

const record = {
  ...emptyRecord("QX-1"),
  name: 'A "name"; with, everything\nin it',
  site: "North Pier",
  facts: factsSchema.parse({
    schema: FACTS_SCHEMA,
    computer: { make: "=1+1", serial: "S" },
    firmware: { kind: "uefi", arch: "x64", secureBoot: { state: "on" }, keys: { setup: "F2" } },
    memoryBytes: 8 * 2 ** 30,
    disks: [{ name: "sda", bytes: 5e11, partitions: [{ number: 1, bytes: 5 }] }],
    systems: [{ name: "Kittiwake", version: "9" }],
    ports: { usb: 2, optical: true },
  }),
};
const table = new TextEncoder().encode(writeTable([record, { ...record, tag: "QX-2" }, emptyRecord("QX-3")]));

test("a table, damaged 500 times: every row is a record that fits, or has its faults told", () => {
  const roll = dice(11);
  let [fit, told] = [0, 0];
  for (let round = 0; round < 500; round++) {
    const bytes = damaged(table, roll);
    const { text, damaged: broken } = decode(bytes, encodingOf(bytes));
    const { header, rows, faults } = readTable(text, null, broken);
    const mapping = guessMapping(header);
    for (const cells of rows) {
      const read = emptyRecord();
      const problems = readRow(read, cells, header, mapping, roll(2) === 0);
      for (const fault of problems) expect(importFaultText({ row: 1, ...fault }).length).toBeGreaterThan(10);
      if (problems.length === 0) expect(factsSchema.safeParse(read.facts).success).toBe(true);
      if (problems.length === 0) fit++;
      told += problems.length;
    }
    told += faults.length;
    for (const fault of faults) expect(importFaultText(fault)).toMatch(/\.$|\?$/);
  }
  expect(fit).toBeGreaterThan(100);
  expect(told).toBeGreaterThan(100);
});

test("each column writes what it reads, and can be cleared", () => {
  const other = emptyRecord("QX-9");
  for (const column of COLUMNS) {
    const cell = column.write(record);
    if (cell === "") continue;
    expect([column.key, column.read(other, cell, column.key)]).toEqual([column.key, null]);
    expect([column.key, column.write(other)]).toEqual([column.key, cell]);
  }
  const nothing = emptyRecord("QX-8");
  for (const column of COLUMNS) {
    column.clear?.(other);
    if (column.key !== "tag") column.clear?.(nothing);
  }
  // Clearing what is not there makes nothing, and so is no change.
  expect(nothing).toEqual(emptyRecord("QX-8"));
  for (const column of COLUMNS.filter((each) => each.clear && !/^disk1(Name|Bytes)$/.test(each.key)))
    expect([column.key, column.write(other)]).toEqual([column.key, ""]);
});

test("no two columns share a name, and none its aliases with another", () => {
  const names = COLUMNS.flatMap((column) => [column.key.toLowerCase(), ...column.aliases.map((alias) => `${alias}`)]);
  const twice = names.filter((name, index) => names.indexOf(name) !== index);
  expect(twice).toEqual([]);
});

test("a line, damaged 300 times, is a record or a sentence", () => {
  const roll = dice(5);
  let read = 0;
  const line = new TextEncoder().encode(
    `{"schema":"creel.computer/1","tag":"A","name":"x","facts":{"schema":"creel.facts/1","computer":{"make":"M"}}}`,
  );
  for (let round = 0; round < 300; round++) {
    const reading = readLine(new TextDecoder().decode(damaged(line, roll)));
    if (reading.ok) expect(factsSchema.safeParse(reading.record.facts).success).toBe(true);
    else expect(lineProblemText(reading.problem)).toMatch(/\.$/);
    if (reading.ok) read++;
  }
  // Some damage leaves a record, most does not.
  expect(read).toBeGreaterThan(5);
  expect(read).toBeLessThan(295);
});
