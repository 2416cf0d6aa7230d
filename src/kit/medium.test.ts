import type { ComputerRecord } from "@/core/computer/exchange/columns";
import { checkFacts } from "@/core/computer/facts/schema";
import type { Machine } from "./machine";
import { plainLines, recordOf } from "./medium";

const MACHINE = { uuid: "4c4c4544-0037-1111-8031-b4c04f4e3aaa", serial: "HB-1" } as Machine;

function record(tag: string, serial: string | null, uuid: string | null): ComputerRecord {
  const reading = checkFacts({ schema: "creel.facts/1", computer: { serial, uuid } });
  if (!reading.ok) throw new Error(reading.problem.code);
  return {
    ...{ tag, name: null, site: null, note: null, retired: null, provenance: null },
    facts: reading.facts,
  };
}

const among = (machine: Machine, ...records: ComputerRecord[]) =>
  recordOf(machine, { computers: records.map((each) => ({ record: each, text: "" })) } as never)?.tag ?? null;

test("a computer is known by its board's number before its serial, and by nothing else", () => {
  const [byUuid, bySerial] = [
    record("HO-001", "X", "4C4C4544-0037-1111-8031-B4C04F4E3AAA"),
    record("HO-002", "hb-1", null),
  ];
  expect(among(MACHINE, bySerial, byUuid)).toBe("HO-001");
  expect(among(MACHINE, bySerial)).toBe("HO-002");
  expect(among({ ...MACHINE, uuid: null, serial: null }, bySerial, record("HO-003", null, null))).toBeNull();
  expect(recordOf(MACHINE, null)).toBeNull();
});

test("a run sheet becomes lines of text, a block a line", () => {
  const page = `<html><head><title>T</title><style>p { color: red }</style></head><body><h1>HO-001</h1>
    <ol><li>Put in <b>LN-01</b> &amp; start</li><li>Press F12</li></ol></body></html>`;
  expect(plainLines(page)).toEqual(["HO-001", "Put in LN-01 & start", "Press F12"]);
});
