import { mkdirSync, writeFileSync } from "node:fs";
import { run } from "../../../scripts/media/workshop";
import { damaged, dice } from "../../../test/support/dice";
import { mayMount } from "../../../test/support/mounted";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { MemorySource } from "../kernel/source";
import { volumesOf } from "../medium/volumes/volumes";
import { openPath } from "./file-tree";
import { linearVolumes } from "./lvm";

// Reference: LVM2's own tools, which write the group that is described here; what lies in its volumes is put there by us,
// since the volumes themselves need a kernel with device mapper.
const w = tempWorkshop();
run("mkfs.ext2", ["-q", w.blank("probe.img", 8)]);
const whereMounted = mayMount(w.path("probe.img")) ? test : test.skip;
const EXTENT = 4 << 20;
const FIRST = 1 << 20;

type Segment = { start: number; count: number; at: number; type?: string; stripes?: string };
const volume = (name: string, nth: number, segments: Segment[]) =>
  `${name} { id = "${nth}bcdef-abcd-abcd-abcd-abcd-abcd-abcdef" status = ["READ", "WRITE", "VISIBLE"] flags = [] segment_count = ${segments.length}
${segments
  .map(
    ({ start, count, at, type = "striped" }, each) =>
      `segment${each + 1} { start_extent = ${start} extent_count = ${count} type = "${type}" stripe_count = 1 stripes = [ "pv0", ${at} ] }`,
  )
  .join("\n")} }`;

/** A disk whose only partition is a physical volume with two logical ones, the first in two pieces. */
function disk(): string {
  const image = w.blank("lvm.img", 100);
  const loop = run("losetup", ["-f", "--show", image]).trim();
  try {
    const tool = (name: string, ...args: string[]) => run(name, ["-q", ...args]);
    tool("pvcreate", "-ff", "-y", loop);
    tool("vgcreate", "kit", loop);
    tool("vgcfgbackup", "-f", w.path("kit.vg"), "kit");
    const text = w.bytes(w.path("kit.vg")).toString();
    const end = text.lastIndexOf("}");
    const volumes = [
      volume("root", 1, [
        { start: 0, count: 4, at: 0 },
        { start: 4, count: 4, at: 10 },
      ]),
      volume("data", 2, [{ start: 0, count: 3, at: 5 }]),
    ].join("\n");
    writeFileSync(w.path("own.vg"), `${text.slice(0, end)}\nlogical_volumes {\n${volumes}\n}\n${text.slice(end)}`);
    tool("vgcfgrestore", "-f", w.path("own.vg"), "kit", "--force");
  } finally {
    run("losetup", ["-d", loop]);
  }
  const put = (from: Buffer, segments: Segment[]) => {
    for (const { start, count, at } of segments)
      w.put(image, FIRST + at * EXTENT, from.subarray(start * EXTENT, (start + count) * EXTENT));
  };
  mkdirSync(w.path("root"), { recursive: true });
  w.text("root/name.txt", "in two pieces");
  writeFileSync(w.path("root/large.bin"), Buffer.alloc(20 << 20, "0123456789abcdef"));
  const root = w.blank("root.img", 32);
  run("mke2fs", ["-q", "-t", "ext4", "-d", w.path("root"), root]);
  put(w.bytes(root), [
    { start: 0, count: 4, at: 0 },
    { start: 4, count: 4, at: 10 },
  ]);
  const data = w.fat("data.img", 12, 16, { "notes.txt": w.text("notes", "kept") }, ["-s", "4"]);
  put(w.bytes(data), [{ start: 0, count: 3, at: 5 }]);
  return w.mbr("disk.img", 104, "2048,204800,8e", { 1048576: image });
}

whereMounted("what lies linear in a group is read like any volume", async () => {
  const image = disk();
  const volumes = await volumesOf(memory(image));
  expect(volumes.map(({ id, kind }) => [id, kind])).toEqual([
    ["lvm:kit/root", "ext4"],
    ["lvm:kit/data", "fat16"],
  ]);
  const [root, data] = volumes;
  const text = async (tree: typeof root, path: string) => {
    const content = tree && (await openPath(tree.tree, path));
    return content && new TextDecoder().decode(await content.read(0, 100));
  };
  expect(await text(root, "/name.txt")).toBe("in two pieces");
  expect(await text(data, "/notes.txt")).toBe("kept");
  const large = root && (await openPath(root.tree, "/large.bin"));
  expect(Buffer.from((await large?.read((20 << 20) - 16, 16)) ?? []).toString()).toBe("0123456789abcdef");

  const bytes = new Uint8Array(w.bytes(image).subarray(1 << 20, (1 << 20) + (2 << 20)));
  const roll = dice(17);
  let many = 0;
  for (let round = 0; round < 60; round++) {
    const found = await linearVolumes(new MemorySource(damaged(bytes.subarray(0, 8192 + roll(4096)), roll)));
    expect(found.length).toBeLessThanOrEqual(2);
    many += found.length;
  }
  expect(many).toBeGreaterThan(10);
});

test("what is no physical volume has none", async () => {
  expect(await linearVolumes(new MemorySource(new Uint8Array(100)))).toEqual([]);
  expect(await linearVolumes(new MemorySource(new Uint8Array(1 << 20)))).toEqual([]);
});
