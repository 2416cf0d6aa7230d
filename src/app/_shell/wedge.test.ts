import { Wedge } from "./wedge";

beforeEach(() => jest.useFakeTimers());
afterEach(() => jest.useRealTimers());

function told(keys: [key: string, at: number][]): { pressed: string[]; scanned: string[]; taken: boolean[] } {
  const [pressed, scanned]: [string[], string[]] = [[], []];
  const wedge = new Wedge(
    (key) => pressed.push(key),
    (text) => scanned.push(text),
  );
  let now = 0;
  const taken = keys.map(([key, at]) => {
    jest.advanceTimersByTime(at - now);
    now = at;
    return wedge.takes(key, at);
  });
  jest.advanceTimersByTime(1_000);
  return { pressed, scanned, taken };
}
const typed = (text: string, everyMs: number, from = 0): [string, number][] =>
  [...text].map((key, nth) => [key, from + nth * everyMs]);

test("what a scanner types and ends with Enter is one tag, and no key of it does anything else", () => {
  const keys: [string, number][] = [...typed("mh-05", 8), ["Enter", 40]];
  expect(told(keys)).toMatchObject({ pressed: [], scanned: ["mh-05"] });
  // Capital letters come with Shift between them.
  const capitals: [string, number][] = [
    ["Shift", 0],
    ["R", 2],
    ["Shift", 9],
    ["M", 11],
    ["-", 20],
    ["0", 28],
    ["Enter", 36],
  ];
  expect(told(capitals).scanned).toEqual(["RM-0"]);
});

test("a key that is pressed alone does what it does, also after a scan", () => {
  expect(told([["m", 0]]).pressed).toEqual(["m"]);
  expect(told([...typed("rm-05", 8), ["Enter", 40], ["c", 500]])).toMatchObject({ pressed: ["c"], scanned: ["rm-05"] });
});

test("the key of the one field is heard at once, so that what is typed behind it goes there", () => {
  expect(told([["/", 0]])).toEqual({ pressed: ["/"], scanned: [], taken: [true] });
  expect(told([...typed("a/b-1", 8), ["Enter", 40]])).toMatchObject({ pressed: [], scanned: ["a/b-1"] });
});

test("two keys of a person, and Enter on a button, are no scan", () => {
  expect(
    told([
      ["m", 0],
      ["c", 300],
      ["Enter", 600],
    ]),
  ).toMatchObject({ pressed: ["m", "c"], scanned: [] });
  expect(told([["Enter", 0]]).taken).toEqual([false]);
  expect(
    told([
      ["a", 0],
      ["b", 5],
      ["Enter", 10],
    ]).scanned,
  ).toEqual([]);
});
