import { spawnSync } from "node:child_process";
import { mkdirSync, renameSync } from "node:fs";
import { join } from "node:path";
import { run } from "../../scripts/media/workshop";
import { tempWorkshop } from "../support/workshop";

// References: sgdisk, mkfs.fat, gzip, split.
const w = tempWorkshop();
const root = join(__dirname, "..", "..");
const creel = (...args: string[]) =>
  spawnSync(process.execPath, [join(root, "scripts", "creel.mjs"), "scan", ...args], {
    cwd: w.folder,
    encoding: "utf8",
  });

const esp = w.fat("esp.fat", 34, 32, { "EFI/BOOT/BOOTX64.EFI": w.efi("x64") }, ["-s", "1"]);
const disk = w.gpt("disk.img", 40, ["-n", "1:2048:+34M", "-t", "1:ef00"], { 1: esp });
mkdirSync(w.path("store/old"), { recursive: true });
run("sh", [
  "-c",
  `gzip -c ${disk} > "${w.path("store")}/HO-001 2026-10-30.img.gz" && cd ${w.path("store/old")} && split -b 15M -d -a 3 --numeric-suffixes=1 ${disk} "HO-002 2026-01-05.img."`,
]);
renameSync(w.path("store/old/HO-002 2026-01-05.img.002"), w.path("aside"));

test("images below a folder, one a line, with what they hold and what their names say", () => {
  const { status, stdout, stderr } = creel("store", "--json");
  expect([status, stderr]).toEqual([0, ""]);
  const [first, second, ...more] = stdout
    .trim()
    .split("\n")
    .map((line) => JSON.parse(line));
  expect(more).toEqual([]);
  expect(first).toMatchObject({
    ...{ key: "HO-001 2026-10-30.img.gz", compression: "gzip", container: "disk", mode: "uefi", diskBytes: 40 << 20 },
    named: { computer: "HO-001", date: "2026-10-30" },
    findings: [],
  });
  expect(second).toMatchObject({ name: "HO-002 2026-01-05", findings: [{ code: "part-missing", parts: [2] }] });
  expect(creel("store").stdout).toContain("Part 2 is missing: it cannot be restored.");
});

test("wrong usage is one line", () => {
  expect(creel("nowhere")).toMatchObject({ status: 2, stdout: "", stderr: "creel: nowhere: no such file\n" });
  expect(creel("store", "--names", "{state}").stderr).toMatch(/^creel: --names: Without \{computer\}/);
});
