import { spawnSync } from "node:child_process";
import { randomBytes } from "node:crypto";
import { mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { IMAGES } from "../../scripts/demo/images";
import { run } from "../../scripts/media/workshop";
import { tempWorkshop } from "../support/workshop";

const w = tempWorkshop();
const root = join(__dirname, "..", "..");
function creel(...args: string[]) {
  const { status, stdout, stderr } = spawnSync(process.execPath, [join(root, "scripts", "creel.mjs"), ...args], {
    cwd: w.folder,
    maxBuffer: 64 << 20,
  });
  return { status, bytes: stdout, stdout: stdout.toString(), stderr: stderr.toString() };
}
const jsonLines = (text: string) =>
  text
    .trim()
    .split("\n")
    .map((line) => JSON.parse(line));
const disc = IMAGES.bollard5.make(w);
const stick = IMAGES.lantern12.make(w);

describe("ls", () => {
  test("one JSON line for every file, volume by volume", () => {
    const { stdout, status, stderr } = creel("ls", disc, "--json");
    expect([status, stderr]).toEqual([0, ""]);
    const lines = jsonLines(stdout);
    expect(lines[0]).toEqual({
      volume: "iso9660",
      path: expect.stringMatching(/^\//),
      bytes: expect.any(Number),
      dir: expect.any(Boolean),
      modified: expect.stringMatching(/^\d{4}-.*Z$/),
    });
    // Reference: xorriso's own list of the disc.
    const told = run("xorriso", ["-indev", `stdio:${disc}`, "-find", "/", "-type", "f", "-exec", "echo"], {})
      .split("\n")
      .filter((line) => line.startsWith("'/"))
      .map((line) => line.replaceAll("'", ""));
    expect(
      lines
        .filter((each) => each.volume === "iso9660" && !each.dir)
        .map((each) => each.path)
        .sort(),
      // xorriso does not count the catalogue among the files.
    ).toEqual([...told, "/isolinux/boot.cat"].sort());
    expect(new Set(lines.map((each) => each.volume))).toEqual(new Set(["iso9660", 2, "eltorito:1"]));
  });

  test("for people, below a path; what is not there is said", () => {
    const { stdout } = creel("ls", stick, "/efi/boot");
    expect(stdout).toMatch(/^partition 1, FAT32, "KIT"\n/);
    expect(stdout).toContain("BOOTX64.EFI");
    expect(creel("ls", stick, "/nowhere")).toMatchObject({
      status: 2,
      stderr: expect.stringMatching(/^creel: .*there is no \/nowhere on it\n$/),
    });
    expect(creel("ls", w.text("noise.bin", "noise".repeat(999)))).toMatchObject({
      status: 2,
      stderr: expect.stringContaining("no file system that Creel reads"),
    });
  });

  test("hostile names are shown as what they are, and lead nowhere", () => {
    const names = [
      "\u202Egnp.exe",
      "a\u001b[31mred",
      "..",
      "line\nbreak",
      "<script>alert(1)</script>",
      "x".repeat(240),
    ];
    run("mkdir", ["-p", w.path("evil")]);
    for (const name of names.filter((each) => each !== ".."))
      writeFileSync(w.path(`evil/${name.replaceAll("/", "\u2215")}`), "x");
    run("mksquashfs", [w.path("evil"), w.path("evil.squashfs"), "-quiet", "-no-progress", "-noappend"]);
    const { stdout } = creel("ls", w.path("evil.squashfs"));
    // biome-ignore lint/suspicious/noControlCharactersInRegex: that they are not there is what is tested
    expect(stdout).not.toMatch(/[\u0000-\u0009\u000b-\u001f\u202a-\u202e]/);
    expect(stdout.trim().split("\n")).toHaveLength(names.length);
    expect(stdout).toContain("\u2039202e\u203agnp.exe");
  });
});

describe("cat", () => {
  test("a file of the disc, of a partition and of the boot image in the catalogue", () => {
    // References: the loader that was put there, and what xorriso takes out.
    const loader = readFileSync(w.efi("x64"));
    const readme = w.path("README.out");
    run("xorriso", ["-osirrox", "on", "-indev", `stdio:${disc}`, "-extract", "/README.TXT", readme]);
    expect(creel("cat", disc, "/README.TXT").bytes.equals(readFileSync(readme))).toBe(true);
    expect(creel("cat", disc, "/EFI/BOOT/BOOTX64.EFI", "--volume", "eltorito:1").bytes.equals(loader)).toBe(true);
    expect(creel("cat", disc, "/efi/boot/bootx64.efi", "--volume", "2").bytes.equals(loader)).toBe(true);
  });

  test("what cannot be written is said in one line", () => {
    for (const [args, said] of [
      [["/EFI/BOOT"], "is a folder"],
      [["/gone.txt"], "there is no /gone.txt on it"],
      [["/README.TXT", "--volume", "udf"], "it has no volume udf"],
    ] as const) {
      const { status, stderr, stdout } = creel("cat", disc, ...args);
      expect([status, stdout]).toEqual([2, ""]);
      expect(stderr).toMatch(/^creel: [^\n]+\n$/);
      expect(stderr).toContain(said);
    }
  });
});

describe("archives on a medium", () => {
  const tree = w.path("archived");
  mkdirSync(join(tree, "tools"), { recursive: true });
  writeFileSync(join(tree, "tools", "one.txt"), "one");
  for (let nth = 0; nth < 3; nth++) writeFileSync(join(tree, `part-${nth}.bin`), randomBytes(900_000));
  run("wimcapture", [tree, w.path("kit.wim"), "Kit", "--quiet"]);
  run("wimcapture", [join(tree, "tools"), w.path("tools.wim"), "Tools", "--quiet"]);
  run("wimexport", [w.path("tools.wim"), "1", w.path("kit.wim"), "--quiet"]);
  run("mksquashfs", [tree, w.path("live.squashfs"), "-quiet", "-no-progress"]);
  const around = w.iso(
    "archives.iso",
    { "a/kit.wim": w.path("kit.wim"), "live.squashfs": w.path("live.squashfs") },
    [],
  );

  test("a path leads through them, image by number", () => {
    const paths = (...args: string[]) =>
      jsonLines(creel("ls", around, ...args, "--json").stdout).map(({ path }) => path);
    expect(paths("/a/kit.wim")).toEqual(["/a/kit.wim"]);
    expect(paths("/a/kit.wim/")).toEqual(
      expect.arrayContaining(["/a/kit.wim/1/tools/one.txt", "/a/kit.wim/1/part-2.bin", "/a/kit.wim/2/one.txt"]),
    );
    expect(paths("/a/kit.wim/2")).toEqual(["/a/kit.wim/2/one.txt"]);
    expect(paths("/live.squashfs/tools")).toEqual(["/live.squashfs/tools", "/live.squashfs/tools/one.txt"]);
    expect(creel("cat", around, "/a/kit.wim/1/tools/one.txt").stdout).toBe("one");
    expect(creel("cat", around, "/live.squashfs/part-1.bin").bytes).toEqual(readFileSync(join(tree, "part-1.bin")));
    expect(creel("ls", around, "/a/kit.wim/3")).toMatchObject({
      status: 2,
      stderr: expect.stringContaining("there is no"),
    });
    expect(creel("cat", around, "/a/kit.wim/1/gone")).toMatchObject({ status: 2 });
  });

  test("the parts of a split one are found beside it, on a disk and on a medium", () => {
    run("wimsplit", [w.path("kit.wim"), w.path("split.swm"), "1", "--quiet"]);
    const parts = readdirSync(w.folder).filter((name) => /^split\d*\.swm$/.test(name));
    expect(parts.length).toBeGreaterThan(2);
    const wanted = readFileSync(join(tree, "part-2.bin"));
    expect(creel("cat", w.path("split.swm"), "/part-2.bin").bytes).toEqual(wanted);
    const files = Object.fromEntries(parts.map((name) => [`s/${name}`, w.path(name)]));
    const disc = w.iso("split.iso", files, []);
    expect(creel("cat", disc, "/s/split.swm/1/part-2.bin").bytes).toEqual(wanted);
    rmSync(w.path("split2.swm"));
    expect(creel("ls", w.path("split.swm")).stdout).toContain("its content is in another part or on another volume");
  });
});

test("siglist: entries as JSON, and the offset of what is wrong", () => {
  run("hash-to-efi-sig-list", [w.efi("x64"), w.path("one.esl")]);
  const good = creel("siglist", w.path("one.esl"), "--json");
  expect(good.status).toBe(0);
  expect(JSON.parse(good.stdout)).toMatchObject({
    schema: "creel.siglist/1",
    form: "lists",
    entries: [{ kind: "sha256" }],
  });
  writeFileSync(w.path("cut.esl"), readFileSync(w.path("one.esl")).subarray(0, 50));
  const bad = creel("siglist", w.path("cut.esl"));
  expect(bad.status).toBe(2);
  expect(bad.stderr).toMatch(/^creel: .*cut\.esl: at byte 0: .*\n$/);
});

test("drives: a line for each device, null where nothing claims it", () => {
  const { stdout, status } = creel(
    "drives",
    disc,
    "pci:v00008086d00009A0Bsv00001028sd00000AB0bc01sc04i00",
    "8086:15bc",
    "10ec:ffff",
    "--json",
  );
  expect(status).toBe(0);
  expect(jsonLines(stdout).map(({ modalias, driver }) => [modalias, driver])).toEqual([
    ["pci:v00008086d00009A0Bsv00001028sd00000AB0bc01sc04i00", "vmd"],
    ["8086:15bc", "e1000e"],
    ["10ec:ffff", null],
  ]);
  // Where all lists were read, nothing claims it for sure; where there is none, nobody can say.
  expect(jsonLines(stdout)[2]).toMatchObject({ lists: expect.any(Number), unread: [] });
  const bare = w.fat("bare.img", 4, 12, { "readme.txt": w.text("readme", "no drivers") });
  expect(jsonLines(creel("drives", bare, "10ec:ffff", "--json").stdout)[0]).toMatchObject({ driver: null, lists: 0 });
  expect(creel("drives", bare, "10ec:ffff").stdout).toContain("unknown");
  expect(jsonLines(creel("drives", stick, "8086:9a0b", "--json").stdout)[0]).toMatchObject({ driver: "NLSTOR.INF" });
  expect(creel("drives", disc, "nonsense")).toMatchObject({
    status: 2,
    stderr: expect.stringContaining("neither a modalias"),
  });
});

test("ls: a partition whose file system is not read is told, and not passed over", () => {
  const f2fs = w.blank("f2fs.img", 64);
  run("mkfs.f2fs", ["-q", "-f", f2fs]);
  const image = w.mbr("two.img", 80, "2048,8192,c\n10240,131072,83", {
    1048576: w.fat("first.img", 4, 12, { "a.txt": w.text("a", "a") }),
    5242880: f2fs,
  });
  const lines = jsonLines(creel("ls", image, "--json").stdout);
  expect(lines.find(({ path }) => path === "/a.txt")).toMatchObject({ volume: 1 });
  expect(lines.find(({ volume }) => volume === 2)).toMatchObject({ path: "/", dir: true, unread: "f2fs" });
  expect(creel("ls", image).stdout).toContain("partition 2, f2fs: not read");
});

test("manifest and verify: the same, then a changed file found by name", () => {
  writeFileSync(w.path("m.json"), creel("manifest", disc, "--json").stdout);
  expect(creel("verify", disc, "--manifest", w.path("m.json"), "--check")).toMatchObject({
    status: 0,
    stdout: "Intact, to the byte.\n",
  });
  const bytes = readFileSync(disc);
  const at = bytes.indexOf('Bollard 5.0 "Harbour"');
  bytes[at + 3] = 0x21;
  writeFileSync(w.path("changed.iso"), bytes);
  const { status, stdout } = creel(
    "verify",
    w.path("changed.iso"),
    "--manifest",
    w.path("m.json"),
    "--check",
    "--json",
  );
  expect(status).toBe(1);
  expect(JSON.parse(stdout)).toMatchObject({
    schema: "creel.verify/1",
    result: "damaged",
    files: { differing: [{ volume: "iso9660", path: "/.disk/info", why: "content" }] },
  });
});

test("verify: published sums, and wrong usage", () => {
  run("sh", ["-c", `cd ${w.folder} && sha256sum $(basename ${disc}) > SHA256SUMS`]);
  expect(creel("verify", disc, "--sums", "SHA256SUMS", "--check")).toMatchObject({
    status: 0,
    stdout: expect.stringContaining("the file is intact"),
  });
  expect(creel("verify", stick, "--sums", "SHA256SUMS").status).toBe(0);
  expect(creel("verify", stick, "--sums", "SHA256SUMS", "--check").status).toBe(1);
  expect(creel("verify", disc)).toMatchObject({ status: 2, stderr: expect.stringContaining("needs one of") });
  expect(creel("verify", disc, "--manifest", w.text("no.json", "{}"))).toMatchObject({
    status: 2,
    stderr: expect.stringContaining("not a manifest"),
  });
  expect(creel("verify", disc, "--inside")).toMatchObject({
    status: 2,
    stderr: expect.stringContaining("no checksums of its own"),
  });
});
