import type { Verdict } from "../../judging/model/schema";
import { type Candidate, propose, stickSizeFor, together } from "./propose";

/** A candidate by what it would be for each computer. */
function candidate(releaseId: number, verdicts: Record<string, Verdict>, more: Partial<Candidate> = {}): Candidate {
  return {
    releaseId,
    way: { way: "laid-out", store: false, table: "gpt" },
    neededBytes: 2e9,
    computers: Object.entries(verdicts).map(([tag, verdict]) => ({ tag, verdict, reason: null })),
    ...more,
  };
}

test.each([
  [3.7e9, 4e9],
  [3.73e9, 8e9],
  // A kit that wants 32 GB does not go on what is sold as 32 GB.
  [32e9, 64e9],
  [29e9, 32e9],
])("%d bytes want a stick of %d", (needed, bytes) => {
  expect(stickSizeFor("laid-out", needed)).toEqual({ kind: "stick", bytes });
});

test("a disc is the least that holds it; what no medium holds says so", () => {
  expect(stickSizeFor("disc", 700_000_000)).toMatchObject({ kind: "disc", disc: { name: "CD-R, 80 min" } });
  expect(stickSizeFor("disc", 360_000 * 2048 + 1)).toMatchObject({ disc: { name: "DVD+R" } });
  expect(stickSizeFor("disc", 1e12)).toEqual({ kind: "none" });
  expect(stickSizeFor("as-it-is", 3e12)).toEqual({ kind: "none" });
});

test("whoever serves more comes first; of a release its best way; what serves nobody is left out", () => {
  const proposals = propose([
    candidate(1, { A: "holds", B: "broken" }),
    candidate(1, { A: "holds", B: "holds-after-change" }, { way: { way: "disc", store: false, table: "gpt" } }),
    candidate(2, { A: "holds", B: "holds" }),
    candidate(2, { A: "holds", B: "holds" }, { way: { way: "as-it-is", store: false, table: "gpt" } }),
    candidate(3, { A: "unknown", B: "broken" }),
  ]);
  expect(proposals.map(({ releaseId, way }) => [releaseId, way.way])).toEqual([
    [2, "as-it-is"],
    [1, "disc"],
  ]);
  expect(proposals[1]).toMatchObject({ serves: ["A"], afterChange: [{ tag: "B", reason: null }], notServed: [] });
  expect(proposals[1]?.others).toEqual([{ way: { way: "laid-out", store: false, table: "gpt" }, served: 1 }]);
});

test("several together serve what none serves alone, and none is taken that adds nothing", () => {
  const proposals = propose([
    candidate(1, { A: "holds", B: "holds", C: "broken", D: "broken" }),
    candidate(2, { A: "broken", B: "holds", C: "holds", D: "broken" }),
    candidate(3, { A: "holds", B: "broken", C: "broken", D: "broken" }),
  ]);
  expect(together(proposals).map(({ releaseId }) => releaseId)).toEqual([1, 2]);
  expect(together([])).toEqual([]);
});
