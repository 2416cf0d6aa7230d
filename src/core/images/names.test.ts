import { dice } from "../../../test/support/dice";
import { compilePattern, NAME_PARTS, type NameFacts, type NamePattern, nameBy, readName, USUAL_PATTERN } from "./names";

function pattern(text: string): NamePattern {
  const compiled = compilePattern(text);
  if (!compiled.ok) throw new Error(JSON.stringify(compiled.problems));
  return compiled.pattern;
}
const codes = (text: string) => {
  const compiled = compilePattern(text);
  return compiled.ok ? [] : compiled.problems.map(({ code }) => code);
};

test.each([
  ["{computer}", ["part-missing"]],
  ["{computer}{date}", ["parts-touch"]],
  ["{computer} {date} {colour}", ["unknown-part"]],
  ["{computer} {date} {date}", ["part-twice"]],
  ["{computer}/{date}", ["not-in-a-file-name"]],
  ["{computer {date}", ["unclosed", "part-missing"]],
  ["image of {Computer} on {date}", []],
])("%s has the problems %j", (text, expected) => {
  expect(codes(text)).toEqual(expected);
});

const facts: NameFacts = {
  computer: "HO-001",
  system: "Gannet Desk",
  version: "11.4",
  date: "2026-10-30",
  state: "before update",
};

test("a name is made from what is known, and what is not recorded leaves no hole", () => {
  expect(nameBy(pattern(USUAL_PATTERN), facts)).toBe("HO-001 2026-10-30 Gannet Desk 11.4 before update");
  expect(nameBy(pattern(USUAL_PATTERN), { ...facts, system: null, version: null })).toBe(
    "HO-001 2026-10-30 before update",
  );
  expect(nameBy(pattern("{computer}_{date}_{state}"), { ...facts, state: "a/b: c?" })).toBe(
    "HO-001_2026-10-30_a_b_ c_",
  );
});

test.each<[string, NameFacts, string]>([
  ["{site}-{computer} {date}", { computer: "A", date: "2026-10-30" }, "A 2026-10-30"],
  ["image of {site}, {computer} {date}", { computer: "A", date: "2026-10-30" }, "image of A 2026-10-30"],
  ["{computer} {date} ({state})", { computer: "A", date: "2026-10-30", state: "ok" }, "A 2026-10-30 (ok)"],
])("%s", (text, given, name) => {
  expect(nameBy(pattern(text), given)).toBe(name);
});

test("a name is read again, by what stands between its parts", () => {
  const own = pattern("{computer}_{date}_{system}_{state}");
  const read = { computer: "HO-001", date: "2026-10-30", system: "Gannet Desk", state: "clean" };
  expect(readName(own, "HO-001_20261030_Gannet Desk_clean")[0]).toEqual(read);
  expect(readName(own, "HO-001_2026-02-30_x_y")).toEqual([]);
  expect(readName(own, "notes.txt")).toEqual([]);
});

test("several words in a field, and what the file ends in", () => {
  const usual = pattern("{computer} {date} {system} {version} {state}");
  const [first] = readName(usual, "HO-001 2026-02-01 Gannet Desk 11.4 clean, with all updates.img.zst", ["HO-001"]);
  expect(first).toEqual({
    ...{ computer: "HO-001", date: "2026-02-01", system: "Gannet Desk", version: "11.4" },
    state: "clean, with all updates",
  });
  const [bare] = readName(usual, "HO-001 2026-02-01.wim", ["HO-001"]);
  expect(bare).toEqual({ computer: "HO-001", date: "2026-02-01" });
  const under = pattern("{date}_{computer}_{state}");
  expect(readName(under, "20260201_HO-002_clean.img.001")[0]).toMatchObject({ computer: "HO-002", state: "clean" });
});

test("of several readings the one that names a computer that is known comes first", () => {
  const own = pattern("{site}-{computer} {date}");
  const readings = readName(own, "North-Pier-NP-001 2026-03-01", ["NP-001", "NP-002"]);
  expect(readings.length).toBeGreaterThan(1);
  expect(readings[0]).toEqual({ site: "North-Pier", computer: "NP-001", date: "2026-03-01" });
});

test("what a pattern makes it can read, whatever the facts", () => {
  const roll = dice(7);
  const words = ["HO-001", "a b", "Desk 11", "x_y", "Ü-2", "clean"];
  const pick = () => words[roll(words.length)] as string;
  for (let round = 0; round < 300; round++) {
    const parts = NAME_PARTS.filter(
      (part) => part === "computer" || part === "date" || (part !== "kind" && roll(2) === 0),
    );
    const own = pattern(parts.map((part) => `{${part}}`).join(" ~ "));
    const given: NameFacts = Object.fromEntries(parts.map((part) => [part, part === "date" ? "2024-02-29" : pick()]));
    expect(readName(own, nameBy(own, given), [given.computer as string])[0]).toEqual(given);
  }
});
