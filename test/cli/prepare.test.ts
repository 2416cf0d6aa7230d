import { spawnSync } from "node:child_process";
import { existsSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { IMAGES } from "../../scripts/demo/images";
import { run } from "../../scripts/media/workshop";
import { tempWorkshop } from "../support/workshop";

// References: sgdisk, fsck.fat and mtools.
const w = tempWorkshop();
const root = join(__dirname, "..", "..");
function creel(...args: string[]) {
  const options = { cwd: w.folder, encoding: "utf8" as const, maxBuffer: 64 << 20 };
  const { status, stdout, stderr } = spawnSync(
    process.execPath,
    [join(root, "scripts", "creel.mjs"), ...args],
    options,
  );
  return { status, stdout, stderr };
}
const disc = IMAGES.bollard5.make(w);
const AT = ["--tag", "RM-09", "--at", "2026-11-25T12:00:00Z"];

test("an image for later: tables good, files there, the same twice to the byte", () => {
  const made = creel("prepare", disc, "--to", "one.img", "--size", "200MB", "--store", ...AT, "--json");
  expect([made.status, made.stderr]).toEqual([0, ""]);
  const told = JSON.parse(made.stdout);
  expect(told).toMatchObject({ ok: true, bytes: 200e6, starts: told.expected });
  expect(run("sgdisk", ["-v", w.path("one.img")])).toContain("No problems found");
  expect(run("mdir", ["-b", "-i", `${w.path("one.img")}@@1M`, "::/EFI/BOOT"])).toContain("BOOTX64.EFI");
  expect(creel("prepare", disc, "--to", "two.img", "--size", "200MB", "--store", ...AT).status).toBe(0);
  expect(Buffer.compare(readFileSync(w.path("one.img")), readFileSync(w.path("two.img")))).toBe(0);
});

test("what cannot be made says why and what would do, and leaves nothing behind", () => {
  const bare = w.iso("bare.iso", { "EFI/BOOT/BOOTX64.EFI": w.efi("x64") }, ["-V", "BARE"]);
  const refused = creel("prepare", bare, "--to", "no.img", "--size", "200MB", "--way", "as-it-is", ...AT);
  expect(refused).toMatchObject({ status: 1, stderr: "" });
  expect(refused.stdout).toMatch(/Boots only from a disc.*\nwould do: partition and copy files/);
  expect(existsSync(w.path("no.img"))).toBe(false);
});

test.each([
  [["--size", "huge"], /--size huge: a size such as 16GB is needed/],
  [["--size", "200MB", "--way", "magic"], /--way is as-it-is/],
  [["--size", "200MB", "--table", "apm"], /--table is gpt or mbr/],
])("wrong usage is one line: %j", (args, words) => {
  const { status, stderr, stdout } = creel("prepare", disc, "--to", "x.img", "--tag", "RM-09", ...args);
  expect([status, stdout]).toEqual([2, ""]);
  expect(stderr).toMatch(words);
});

test("a file that is there is not written over", () => {
  w.text("mine.img", "mine");
  const { status, stderr } = creel("prepare", disc, "--to", "mine.img", "--size", "200MB", ...AT);
  expect([status, readFileSync(w.path("mine.img"), "utf8")]).toEqual([2, "mine"]);
  expect(stderr).toMatch(/mine\.img: it exists/);
});
