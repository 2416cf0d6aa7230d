import { likenessOfMarks, marksOf } from "./marks";

const wim = (path: string, fileBytes: number, names: string[]) =>
  ({ path, fileBytes, images: names.map((name) => ({ name, version: "11.4", bytes: 5, files: 2 })) }) as never;
const read = (more: object) =>
  marksOf({ programs: [], contents: { wims: null, kernels: [], live: [], ...more } } as never);

test("an archive is known by what it holds, packed anew or split; one that tells nothing by its size", () => {
  const [packed] = read({ wims: [wim("/SOURCES/INSTALL.WIM", 10, ["Desk"])] });
  expect(read({ wims: [wim("/sources/install.swm", 4, ["Desk"])] })).toEqual([packed]);
  expect(read({ wims: [wim("/sources/install.wim", 10, ["Other"])] })).not.toEqual([packed]);
  expect(read({ wims: [wim("/a.wim", 10, [])] })).not.toEqual(read({ wims: [wim("/a.wim", 11, [])] }));
});

test("how much of a medium is of a release, and how much of the release is on it", () => {
  expect(likenessOfMarks(["a", "b"], ["a", "b", "c", "d"])).toEqual({ of: 1, all: 0.5 });
  expect(likenessOfMarks(["a", "b"], ["a"])).toEqual({ of: 0.5, all: 1 });
  expect(likenessOfMarks([], ["a"])).toEqual({ of: 0, all: 0 });
  expect(likenessOfMarks(["a"], [])).toEqual({ of: 0, all: 0 });
});
