import { MemorySource } from "../kernel/source";
import { type FileTree, findEntry, openPath, pathSegment, type TreeEntry, walk } from "./file-tree";

/** A tree that a medium could only have by damage, or by malice. */
interface Node extends TreeEntry {
  children?: Node[];
  text?: string;
}

const file = (name: string, text = ""): Node => ({
  name,
  directory: false,
  sizeBytes: text.length,
  modified: null,
  text,
});
const link = (name: string, to: string): Node => ({ ...file(name), link: to });
let ids = 0;
const folder = (name: string, children: Node[] = []): Node => ({
  name,
  directory: true,
  sizeBytes: 0,
  modified: null,
  id: ++ids,
  children,
});
const treeOf = (root: Node[]): FileTree<Node> => ({
  label: null,
  list: async (directory) => directory?.children ?? (directory ? [] : root),
  open: async (entry) => (entry.text === undefined ? null : new MemorySource(Buffer.from(entry.text))),
});

async function paths(tree: FileTree<Node>, entries?: number): Promise<{ paths: string[]; cuts: string[] }> {
  const found: string[] = [];
  const cuts: string[] = [];
  for await (const { path } of walk(tree, null, { ...(entries ? { entries } : {}), onCut: (why) => cuts.push(why) }))
    found.push(path);
  return { paths: found, cuts };
}

test("each folder before what is in it, in stored order", async () => {
  const tree = treeOf([folder("b", [file("2"), folder("c", [file("3")])]), file("a")]);
  expect(await paths(tree)).toEqual({ paths: ["/b", "/a", "/b/2", "/b/c", "/b/c/3"], cuts: [] });
});

test("a folder that contains itself is entered once", async () => {
  const loop = folder("loop", [file("in")]);
  loop.children?.push(loop);
  expect(await paths(treeOf([loop]))).toEqual({ paths: ["/loop", "/loop/in", "/loop/loop"], cuts: ["circle"] });
});

test("folders without end end, also where nothing tells them apart", async () => {
  const endless: Node = { name: "deeper", directory: true, sizeBytes: 0, modified: null };
  endless.children = [endless];
  const { paths: found, cuts } = await paths(treeOf([endless]));
  expect(cuts).toEqual(["depth"]);
  expect(found.length).toBeLessThan(200);
  const wide: Node = { ...endless, name: "w" };
  const other: Node = { ...endless, name: "v" };
  wide.children = [wide, other];
  other.children = wide.children;
  expect((await paths(treeOf([wide]), 5000)).cuts).toContain("entries");
});

test("names that would lead elsewhere do not", async () => {
  const tree = treeOf([
    file(".."),
    file("."),
    file(""),
    file("a/../../etc"),
    file("nul\0l"),
    folder("real", [file("x")]),
  ]);
  expect((await paths(tree)).paths).toEqual(["/a\u2215..\u2215..\u2215etc", "/nul\u2400l", "/real", "/real/x"]);
  expect((await findEntry(tree, `/${pathSegment("a/../../etc")}`))?.name).toBe("a/../../etc");
});

describe("finding", () => {
  const tree = treeOf([
    folder("EFI", [folder("Boot", [file("bootx64.efi", "loader")])]),
    file("readme", "small"),
    file("README", "large"),
    folder("usr", [folder("lib", [file("os-release", "NAME=Kit")])]),
    folder("etc", [link("os-release", "../usr/lib/os-release"), link("abs", "/usr/lib/os-release")]),
    link("lib", "usr/lib"),
    link("round", "round"),
    link("ping", "pong"),
    link("pong", "./ping"),
    link("out", "../../../../usr/lib/os-release"),
  ]);
  const text = async (path: string) => {
    const content = await openPath(tree, path);
    return content && Buffer.from(await content.read(0, 100)).toString();
  };

  test.each([
    ["/efi/BOOT/BOOTX64.EFI", "loader"],
    ["README", "large"],
    ["/readme", "small"],
    ["/etc/os-release", "NAME=Kit"],
    ["/etc/abs", "NAME=Kit"],
    ["/lib/os-release", "NAME=Kit"],
    ["//usr/./lib/../lib/os-release", "NAME=Kit"],
    // Above the root there is nothing: links stay inside their volume.
    ["/out", "NAME=Kit"],
    ["/round", null],
    ["/ping", null],
    ["/efi", null],
    ["/readme/further", null],
    ["/gone", null],
    ["", null],
  ])("%s", async (path, expected) => {
    expect(await text(path)).toBe(expected);
  });
});
