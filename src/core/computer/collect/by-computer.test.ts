import { observe } from "../facts/merge";
import { byComputer } from "./by-computer";

const source = { kind: "file" as const, name: "facts.json", at: "2026-01-01T00:00:00Z", by: null };
const facts = (tag: string | null, serial: string | null) => observe(source, { computer: { tag, serial } });
const names = (...observations: ReturnType<typeof facts>[]) => {
  const { computers, loose } = byComputer(observations);
  return [computers.map(({ name, observations: own }) => `${name} ${own.length}`), loose.length];
};

test("two facts files of two computers stay two; outputs of one computer are one", () => {
  expect(names(facts("HO-1", "S1"), facts("HO-2", "S2"))).toEqual([["HO-1 1", "HO-2 1"], 0]);
  expect(names(facts("HO-1", "S1"), facts("ho-1", null), facts(null, "s1"))).toEqual([["ho-1 3"], 0]);
  expect(names(facts(null, "S1"), facts(null, "S2"))).toEqual([["S1 1", "S2 1"], 0]);
  // Two that were cloned bear one serial, and their own tags.
  expect(names(facts("HO-1", "S1"), facts("HO-2", "S1"))).toEqual([["HO-1 1", "HO-2 1"], 0]);
});

test("what names no computer is of the one that is named, and of nobody where there are several", () => {
  expect(names(facts(null, null))).toEqual([[" 1"], 0]);
  expect(names(facts("HO-1", null), facts(null, null))).toEqual([["HO-1 2"], 0]);
  expect(names(facts("HO-1", null), facts("HO-2", null), facts(null, null))).toEqual([["HO-1 1", "HO-2 1"], 1]);
});
