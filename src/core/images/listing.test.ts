import { mkdirSync, utimesSync, writeFileSync } from "node:fs";
import { run } from "../../../scripts/media/workshop";
import { tempWorkshop } from "../../../test/support/workshop";
import { readListing } from "./listing";

// References: find and ls themselves; `dir` as it prints in several languages (common practice).
const w = tempWorkshop();
const FILES = { "HO-001 2026-10-30.img.zst": 5000, "old/HO-002.img": 70, "old/deep/a b.wim": 123_456 };
mkdirSync(w.path("s/old/deep"), { recursive: true });
for (const [path, bytes] of Object.entries(FILES)) {
  writeFileSync(w.path(`s/${path}`), Buffer.alloc(bytes));
  utimesSync(w.path(`s/${path}`), new Date("2026-10-30T18:05:00Z"), new Date("2026-10-30T18:05:00Z"));
}
const listed = (command: string) => run("sh", ["-c", `cd ${w.path("s")} && LC_ALL=C TZ=UTC ${command}`]);
const sizes = (text: string) => Object.fromEntries(readListing(text).files.map(({ path, bytes }) => [path, bytes]));
const times = (text: string) => [...new Set(readListing(text).files.map(({ modified }) => modified))];

test.each([
  ["find", "find . -type f -printf '%s %TY-%Tm-%Td %TH:%TM %p\\n'"],
  ["ls", "ls -lR --time-style=long-iso"],
  ["ls", "ls -lR --full-time"],
])("%s: %s", (form, command) => {
  const text = listed(command);
  expect(readListing(text)).toMatchObject({ form, left: 0 });
  expect(sizes(text)).toEqual(FILES);
  expect(times(text)).toEqual(["2026-10-30T18:05:00.000Z"]);
});

test("ls with times of its own language leaves out what it does not tell", () => {
  const text = listed("ls -lR");
  expect(sizes(text)).toEqual(FILES);
  for (const time of times(text)) expect([null, "2026-10-30T00:00:00.000Z"]).toContain(time);
});

test.each([
  [
    " Directory of E:\\store\r\n\r\n10/30/2026  06:05 PM         5,000 HO-001.img\r\n",
    { "HO-001.img": 5000 },
    "2026-10-30T18:05:00.000Z",
  ],
  [
    " Verzeichnis von E:\\store\n\n30.10.2026  18:05             5.000 HO-001.img\n\n Verzeichnis von E:\\store\\old\n\n30.10.2026  18:05    1.234.567 b c.wim\n",
    { "HO-001.img": 5000, "old/b c.wim": 1_234_567 },
    "2026-10-30T18:05:00.000Z",
  ],
])("dir", (text, files, time) => {
  expect(readListing(text).form).toBe("dir");
  expect(sizes(text)).toEqual(files);
  expect(times(text)).toEqual([time]);
});

test("dir /s with its footers is no table, and tells what is free; a sum of its own is no file", () => {
  const english = [
    " Volume in drive E is STORE",
    " Volume Serial Number is 1A2B-3C4D",
    "",
    " Directory of E:\\",
    "",
    "10/30/2026  06:05 PM    <DIR>          old",
    "10/30/2026  06:05 PM     1,234,567,890 HO-001 2026-10-30.img",
    "               1 File(s)  1,234,567,890 bytes",
    "",
    " Directory of E:\\old",
    "",
    "10/30/2026  06:05 PM             5,000 a, b.img",
    "               1 File(s)          5,000 bytes",
    "",
    "     Total Files Listed:",
    "               2 File(s)  1,234,572,890 bytes",
    "               2 Dir(s)  380,123,456,789 bytes free",
  ];
  expect(readListing(english.join("\r\n"))).toMatchObject({ form: "dir", left: 0, freeBytes: 380_123_456_789 });
  expect(sizes(english.join("\n"))).toEqual({ "HO-001 2026-10-30.img": 1_234_567_890, "old/a, b.img": 5000 });
  const german = "30.10.2026  18:05    5.000 HO-001.img\n   2 Verzeichnis(se), 380.123.456.789 Bytes frei\n";
  expect(readListing(german).freeBytes).toBe(380_123_456_789);
});

test("a table of paths, sizes and times; and what is no listing", () => {
  const table = "path;bytes;modified\nold/HO-002.img;70;2026-10-30T18:05:00Z\n";
  expect(readListing(table)).toEqual({
    files: [{ path: "old/HO-002.img", bytes: 70, modified: "2026-10-30T18:05:00.000Z" }],
    form: "table",
    left: 0,
    freeBytes: null,
  });
  expect(readListing("Dear all,\nthe images are on the share.\n")).toEqual({
    files: [],
    form: null,
    left: 0,
    freeBytes: null,
  });
  expect(readListing("")).toMatchObject({ files: [] });
});
