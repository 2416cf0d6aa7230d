import { spawnSync } from "node:child_process";
import { mkdirSync, readdirSync, readFileSync, statSync, truncateSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { run } from "../../scripts/media/workshop";
import { tempWorkshop } from "../support/workshop";

const w = tempWorkshop();
const root = join(__dirname, "..", "..");
function creel(...args: string[]) {
  const { status, stdout, stderr } = spawnSync(
    process.execPath,
    [join(root, "scripts", "creel.mjs"), "image", ...args],
    {
      cwd: w.folder,
      maxBuffer: 64 << 20,
    },
  );
  return { status, stdout: stdout.toString(), stderr: stderr.toString() };
}

const FILE = w.text("log", "left the pier at 08:10\n".repeat(40_000));
const disk = w.blank("disk.img", 64);
const part = w.blank("part.img", 60);
run("sgdisk", ["-n", "1:2048:+60M", "-t", "1:8300", disk]);
run("mke2fs", ["-q", "-t", "ext4", part]);
run("debugfs", ["-w", "-R", `write ${FILE} log`, part]);
run("dd", [`if=${part}`, `of=${disk}`, "bs=1M", "seek=1", "conv=notrunc"]);

test("a disk is saved, looked into, verified and written back", () => {
  const saved = creel("save", "disk.img", "--to", "monday.creel-image", "--tag", "HO-001", "--json");
  expect([saved.status, saved.stderr]).toEqual([0, ""]);
  expect(JSON.parse(saved.stdout)).toMatchObject({
    schema: "creel.image/1",
    computer: { tag: "HO-001" },
    table: "gpt",
  });
  expect(statSync(w.path("monday.creel-image")).size).toBeLessThan(1 << 20);
  expect(creel("info", "monday.creel-image").stdout).toMatch(/^computer {3}HO-001$/m);
  expect(creel("cat", "monday.creel-image", "/log").stdout).toBe(readFileSync(FILE, "utf8"));
  expect(creel("verify", "monday.creel-image", "--check")).toMatchObject({
    status: 0,
    stdout: expect.stringMatching(/^Intact: \d+ blocks verified\.\n$/),
  });
  expect(creel("restore", "monday.creel-image", "--to", "back.img", "--size", "100MB")).toMatchObject({ status: 0 });
  expect(run("sgdisk", ["-v", w.path("back.img")])).toContain("No problems found");
  run("dd", [`if=${w.path("back.img")}`, `of=${part}`, "bs=1M", "skip=1", "count=60"]);
  run("e2fsck", ["-fn", part]);
});

test("a second image goes on from the first, which is found beside it", () => {
  expect(creel("save", "disk.img", "--to", "tuesday.creel-image", "--before", "monday.creel-image").status).toBe(0);
  expect(statSync(w.path("tuesday.creel-image")).size).toBeLessThan(20_000);
  expect(creel("verify", "tuesday.creel-image", "--check").status).toBe(0);
  mkdirSync(w.path("alone"));
  run("cp", [w.path("tuesday.creel-image"), w.path("alone/tuesday.creel-image")]);
  expect(creel("info", "alone/tuesday.creel-image")).toMatchObject({
    status: 2,
    stderr: expect.stringMatching(
      /requires image [0-9a-f]{32}, which is not in its folder\. Copy that image there\.\n$/,
    ),
  });
});

test("a store that is looked through has it with its disk and its partitions", () => {
  const { stdout } = spawnSync(process.execPath, [join(root, "scripts", "creel.mjs"), "scan", w.folder, "--json"]);
  const found = stdout
    .toString()
    .trim()
    .split("\n")
    .map((line) => JSON.parse(line));
  expect(found.find(({ files }) => files.join() === "monday.creel-image")).toMatchObject({
    name: "monday",
    container: "disk",
    compression: "zstd",
    diskBytes: 64 << 20,
    table: "gpt",
    partitions: [{ name: "1", filesystem: "ext4", lengthBytes: 60 << 20 }],
    findings: [],
  });
});

test("an image is never written over itself, nor kept half where it is damaged", () => {
  expect(creel("restore", "monday.creel-image", "--to", "monday.creel-image", "--erase")).toMatchObject({
    status: 2,
    stderr: expect.stringContaining("the image itself is there"),
  });
  const bytes = readFileSync(w.path("monday.creel-image"));
  // In the middle of the first packed block.
  bytes.fill(0xff, 300, 340);
  writeFileSync(w.path("bad.creel-image"), bytes);
  expect(creel("verify", "bad.creel-image", "--check").status).toBe(1);
  expect(creel("restore", "bad.creel-image", "--to", "from-bad.img")).toMatchObject({
    status: 2,
    stderr: expect.stringContaining("the image is damaged; the disk has no usable system"),
  });
  expect(readdirSync(w.folder)).not.toContain("from-bad.img");
});

test("nothing is erased or written over unasked, and what is refused leaves nothing behind", () => {
  expect(creel("restore", "monday.creel-image", "--to", "disk.img")).toMatchObject({
    status: 2,
    stderr: expect.stringContaining("add --erase to allow that"),
  });
  expect(creel("save", "disk.img", "--to", "monday.creel-image")).toMatchObject({
    status: 2,
    stderr: expect.stringContaining("exists already"),
  });
  expect(creel("restore", "monday.creel-image", "--to", "small.img", "--size", "30MB")).toMatchObject({
    status: 1,
    stdout: expect.stringMatching(
      /^Disk too small: the image requires 64 MB, the disk has 30 MB\. Use a larger disk\.\n$/,
    ),
  });
  expect(creel("save", "disk.img", "--to", "none/x.creel-image").status).toBe(2);
  expect(creel("save", "disk.img", "--to", "x.creel-image", "--partitions", "7")).toMatchObject({
    status: 2,
    stderr: expect.stringContaining("it has no partition 7"),
  });
  expect(readdirSync(w.folder).filter((name) => /small|\.part$|^x\./.test(name))).toEqual([]);
  run("cp", [w.path("monday.creel-image"), w.path("cut.creel-image")]);
  truncateSync(w.path("cut.creel-image"), 9000);
  expect(creel("info", "cut.creel-image")).toMatchObject({
    status: 2,
    stderr: expect.stringContaining("Incomplete: "),
  });
  expect(creel("info", "disk.img")).toMatchObject({
    status: 2,
    stderr: expect.stringContaining("Not a disk image of Creel"),
  });
});
