import { PassThrough } from "node:stream";
import type { ReadStream } from "node:tty";
import { COLUMNS, Console, field, plainLetters, ROWS, screenOf, wrapped } from "./screen";

test("a screen has 24 rows of at most 79 plain letters, whatever is shown on it", () => {
  const long = "Kontor Nørre Brygge – “Søndre” ".repeat(20);
  const rows = screenOf(
    long,
    long,
    [...field("This computer", long), ...Array<string>(40).fill("x")],
    long.slice(0, 70),
  );
  expect(rows.length).toBe(ROWS);
  for (const row of rows) expect(row.length).toBeLessThanOrEqual(COLUMNS);
  expect(rows.join("")).toMatch(/^[\x20-\x7e]*$/);
});

test("letters that a console may not have become plain ones", () => {
  expect(plainLetters("“Größe” – é…")).toBe('"Gro?e" - e...');
});

test("lines end at blanks, and words that are longer than a line go on in the next", () => {
  expect(wrapped("one two three", 7)).toEqual(["one two", "three"]);
  expect(wrapped("a 0123456789abcdef b", 6)).toEqual(["a", "012345", "6789ab", "cdef b"]);
  expect(wrapped("", 10)).toEqual([""]);
});

function consoleOf(): { console: Console; type: (text: string) => void; shown: () => string } {
  const input = new PassThrough();
  let text = "";
  const console = new Console(input as unknown as ReadStream, (more) => {
    text += more;
  });
  return { console, type: (keys) => input.write(keys), shown: () => text };
}

test("a line is typed, mended and ended; Escape gives it up", async () => {
  const { console, type, shown } = consoleOf();
  const line = console.line();
  type("99x\x7f02\r");
  expect(await line).toBe("9902");
  expect(shown()).toContain("> 9902");
  const given = console.line();
  type("ab\x1b");
  expect(await given).toBeNull();
});

test("keys that come before they are waited for are not lost", async () => {
  const { console, type } = consoleOf();
  type("12");
  await new Promise((resolve) => setImmediate(resolve));
  expect([await console.key(), await console.key()]).toEqual(["1", "2"]);
});
