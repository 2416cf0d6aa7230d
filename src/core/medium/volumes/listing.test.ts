import { type FolderItem, folderItems, type ListedVolume } from "./listing";

const volume = (entries: ListedVolume["entries"]): ListedVolume => ({
  id: 1,
  kind: "ext4",
  label: null,
  start: 0,
  lengthBytes: 0,
  entries,
  cut: false,
});
const TREE = volume([
  ["/a", 0, 1, null, null],
  ["/a/one", 100, 0, "2026-01-01T00:00:00.000Z", null],
  ["/a/b", 0, 1, null, null],
  ["/a/b/two", 50, 0, null, "encrypted"],
  ["/ab", 500, 0, null, null],
  ["/empty", 0, 1, null, null],
  ["/link", 0, 0, null, "→ a/one"],
]);
const told = (items: FolderItem[]) => items.map(({ name, bytes, files, folder }) => [name, bytes, files, folder]);

test("a folder's items, the largest first, with all that is below them", () => {
  expect(told(folderItems(TREE, ""))).toEqual([
    ["ab", 500, 1, false],
    ["a", 150, 2, true],
    ["empty", 0, 0, true],
    ["link", 0, 1, false],
  ]);
  expect(told(folderItems(TREE, "/a"))).toEqual([
    ["one", 100, 1, false],
    ["b", 50, 1, true],
  ]);
  expect(folderItems(TREE, "/a/b/")[0]).toMatchObject({ path: "/a/b/two", special: "encrypted" });
});

test("a folder of a like name is another one; one that is not there is empty", () => {
  expect(told(folderItems(TREE, "/a")).map(([name]) => name)).not.toContain("ab");
  expect(folderItems(TREE, "/gone")).toEqual([]);
  expect(folderItems(TREE, "/ab")).toEqual([]);
});

test("folders that were not listed themselves are made of what is in them", () => {
  expect(told(folderItems(volume([["/x/y/z", 7, 0, null, null]]), ""))).toEqual([["x", 7, 1, true]]);
});

test("sums at every level are those of all files below", () => {
  const entries: ListedVolume["entries"] = [];
  for (let i = 0; i < 2000; i++) entries.push([`/d${i % 7}/e${i % 13}/f${i}`, i, 0, null, null]);
  const large = volume(entries);
  const total = (path: string): number =>
    folderItems(large, path).reduce((sum, item) => sum + (item.folder ? total(item.path) : item.bytes), 0);
  expect(total("")).toBe((1999 * 2000) / 2);
  expect(folderItems(large, "").reduce((sum, item) => sum + item.bytes, 0)).toBe((1999 * 2000) / 2);
});
