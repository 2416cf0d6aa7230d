import { spawnSync } from "node:child_process";
import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { inspectionSchema } from "@/core/medium/inspection/schema";
import { matchDocumentSchema } from "@/core/words/documents/match";
import { IMAGES } from "../../scripts/demo/images";
import { allowing, revoking } from "../../scripts/demo/signers";
import { tempWorkshop } from "../support/workshop";

const w = tempWorkshop();
const root = join(__dirname, "..", "..");

function creel(...args: string[]) {
  const { status, stdout, stderr } = spawnSync(process.execPath, [join(root, "scripts", "creel.mjs"), ...args], {
    encoding: "utf8",
    cwd: w.folder,
  });
  return { status, stdout, stderr };
}

const medium = IMAGES.spindle3.make(w);
const facts = (name: string, firmware: object) =>
  w.text(name, JSON.stringify({ schema: "creel.facts/1", computer: { tag: "QX-014" }, firmware }));
const kiosk = facts("kiosk.json", { kind: "uefi", arch: "ia32", legacyMode: "absent", secureBoot: { state: "off" } });
const tablet = facts("tablet.json", { kind: "uefi", arch: "aa64", secureBoot: { state: "off" } });

describe("inspect", () => {
  test("prints creel.inspection/1 with --json, and the digest with --hash", () => {
    const { status, stdout } = creel("inspect", medium, "--json", "--hash");
    const inspection = inspectionSchema.parse(JSON.parse(stdout));
    // Reference: coreutils' sha256sum.
    expect(inspection.file.sha256).toBe(spawnSync("sha256sum", [medium], { encoding: "utf8" }).stdout.split(" ")[0]);
    expect(status).toBe(0);
  });

  test("prints for people otherwise", () => {
    const { status, stdout } = creel("inspect", medium);
    expect(stdout).toMatch(/^spindle-3\.0\.img: partitioned disk image, 58\.7 MB \(56 MiB\)/);
    expect(stdout).toContain("/EFI/BOOT/BOOTIA32.EFI in MBR partition 1");
    expect(status).toBe(0);
  });

  test("a broken medium is a result, not an error", () => {
    const { status, stdout } = creel("inspect", w.text("noise.img", "noise".repeat(1000)));
    expect(stdout).toContain("Not recognised: no partition table");
    expect(status).toBe(0);
  });
});

describe("match", () => {
  test("prints creel.match/1; links that need the inventory are unknown", () => {
    const { stdout } = creel("match", medium, "--computer", kiosk, "--json");
    const match = matchDocumentSchema.parse(JSON.parse(stdout));
    expect(match.links.starts).toMatchObject({ verdict: "holds", basis: "reference" });
    expect(match.links.proven.verdict).toBe("unknown");
    expect(match.links.starts.trace.length).toBeGreaterThan(1);
  });

  test("--check answers with the exit code", () => {
    expect(creel("match", medium, "--computer", kiosk, "--as", "usb", "--check").status).toBe(0);
    expect(creel("match", medium, "--computer", tablet, "--as", "usb", "--check").status).toBe(1);
    expect(creel("match", medium, "--computer", tablet, "--as", "usb").status).toBe(0);
  });

  test("--jobs answers line by line, in order, and a job that cannot be done does not stop the rest", () => {
    const jobs = [
      JSON.stringify({ id: "1", medium: "spindle-3.0.img", computer: "kiosk.json", as: "usb" }),
      JSON.stringify({ id: "2", medium: "not-there.img", computer: "kiosk.json", as: "usb" }),
      "{ this is no job",
      JSON.stringify({ id: "4", medium: "spindle-3.0.img", computer: "kiosk.json", as: "floppy" }),
      JSON.stringify({ id: "5", medium: medium, computer: "tablet.json", as: "optical" }),
    ];
    writeFileSync(w.path("jobs.jsonl"), `${jobs.join("\n")}\n`);
    const { status, stdout } = creel("match", "--jobs", w.path("jobs.jsonl"), "--json");
    const lines = stdout
      .trim()
      .split("\n")
      .map((line) => JSON.parse(line));
    expect(lines.map(({ id }) => id)).toEqual(["1", "2", null, "4", "5"]);
    expect(lines.map((line) => line.links?.starts.verdict ?? "error")).toEqual([
      "holds",
      "error",
      "error",
      "error",
      "broken",
    ]);
    expect(lines[1].error).toContain("no such file");
    expect(status).toBe(0);
  });

  test("sectors of 4,096 bytes count, told by an option, a job, or the stick in a computer's facts", () => {
    const stick = (sectorBytes: number, name = "sdb") => ({
      name,
      removable: true,
      bus: "usb",
      bytes: 8e9,
      sectorBytes,
    });
    const with4k = (name: string, disks: object[]) =>
      w.text(name, JSON.stringify({ ...JSON.parse(readFileSync(kiosk, "utf8")), disks }));
    const verdict = (computer: string, ...more: string[]) =>
      JSON.parse(creel("match", medium, "--computer", computer, "--as", "usb", "--json", ...more).stdout).links.starts
        .verdict;
    expect(verdict(kiosk, "--sector-bytes", "4096")).toBe("broken");
    const large = with4k("large.json", [stick(4096)]);
    expect([verdict(large), verdict(large, "--sector-bytes", "512")]).toEqual(["broken", "holds"]);
    expect(verdict(with4k("both.json", [stick(4096), stick(512, "sdc")]))).toBe("holds");
    const jobs = [512, 4096].map((sectorBytes) => ({
      id: sectorBytes,
      medium,
      computer: kiosk,
      as: "usb",
      sectorBytes,
    }));
    w.text("sectors.jsonl", jobs.map((job) => JSON.stringify(job)).join("\n"));
    const lines = creel("match", "--jobs", w.path("sectors.jsonl"), "--json").stdout.trim().split("\n");
    expect(lines.map((line) => JSON.parse(line).links.starts.verdict)).toEqual(["holds", "broken"]);
    const { findings } = JSON.parse(creel("inspect", medium, "--sector-bytes", "4096", "--json").stdout);
    expect(findings.map(({ code }: { code: string }) => code)).toContain("nothing-starts");
  });

  test("Secure Boot and what the medium drives follow from the two files; the missing list is named", () => {
    const secured = (name: string, lists: object, more: object = {}) =>
      w.text(
        name,
        JSON.stringify({
          schema: "creel.facts/1",
          firmware: { kind: "uefi", arch: "x64", legacyMode: "absent", secureBoot: { state: "on", ...lists } },
          ...more,
        }),
      );
    const signedMedium = IMAGES.lantern12.make(w);
    const match = (computer: string) =>
      matchDocumentSchema.parse(
        JSON.parse(creel("match", signedMedium, "--computer", computer, "--as", "usb", "--json").stdout),
      );
    const db = allowing("norlight2023");
    const starts = (lists: object) => match(secured("secured.json", lists)).links.starts;
    expect(starts({ db, dbx: "" })).toMatchObject({ verdict: "holds" });
    const refused = starts({ db, dbx: revoking(0, "norlight2011") });
    expect(refused).toMatchObject({
      verdict: "holds-after-change",
      changes: [{ setting: "secureBoot", from: "on", to: "off" }],
    });
    expect(refused.reasons[0]).toMatchObject({ code: "loader-not-allowed" });
    expect(starts({ db }).reasons[0]?.text).toMatch(/Not recorded: .*revokes \(dbx\)/);
    expect(starts({ dbx: "" }).reasons[0]?.text).toMatch(/Not recorded: .*allows .*\(db\)/);
    const modalias = "pci:v0000144Dd0000A808sv0000144Dsd0000A801bc01sc08i02";
    const devices = secured("devices.json", { db, dbx: "" }, { devices: [{ class: "storage", modalias }] });
    expect(match(devices).links.sees).toMatchObject({
      verdict: "holds-after-change",
      changes: [{ setting: "driver", from: "not loaded", to: "NLSTOR.INF" }],
      reasons: [{ code: "driver-to-load" }, { code: "controllers-driven", drivers: [{ driver: "NLSTOR.INF" }] }],
    });
    const systems = [
      { family: "windows", name: "Gannet Desk", version: "11.4", edition: "Office", arch: "x64", language: "en-GB" },
    ];
    expect(match(secured("systems.json", { db, dbx: "" }, { systems })).links.restores).toMatchObject({
      verdict: "holds",
      reasons: [{ code: "included-fits" }],
    });
  });
});

test.each([
  [["inspect", "not-there.iso"], /not-there\.iso: no such file/],
  [["inspect", "/"], /it is a folder/],
  [["inspect"], /missing required argument/],
  [["polish"], /unknown command/],
  [["match", medium], /needs a medium FILE and --computer/],
  [["match", medium, "--computer", medium], /it is not JSON/],
  [["match", medium, "--computer", kiosk, "--as", "tape"], /usb or optical/],
  [["match", medium, "--jobs", "j", "--computer", kiosk], /leave out FILE/],
  [["inspect", medium, "--sector-bytes", "520"], /512 or 4096/],
])("wrong usage %j: one line, exit code 2, no stack trace", (args, message) => {
  const { status, stderr, stdout } = creel(...args);
  expect(status).toBe(2);
  expect(stderr).toMatch(message);
  expect(stderr.trim().split("\n")).toHaveLength(1);
  expect(stdout).toBe("");
});

test("facts of another form, or with a wrong value, say where", () => {
  expect(creel("match", medium, "--computer", w.text("old.json", '{"schema":"creel.facts/9"}')).stderr).toContain(
    '"creel.facts/1" is needed',
  );
  expect(creel("match", medium, "--computer", facts("odd.json", { kind: "openfirmware" })).stderr).toContain(
    "firmware.kind",
  );
});

describe("judge", () => {
  const modalias = "pci:v0000144Dd0000A808sv0000144Dsd0000A801bc01sc08i02";
  const world = (more: object = {}) =>
    w.text(
      "world.json",
      JSON.stringify({
        ...{ schema: "creel.world/1", today: "2026-07-01" },
        computers: [
          {
            ...{ tag: "HO-1", site: "Head office" },
            facts: {
              schema: "creel.facts/1",
              firmware: { kind: "uefi", arch: "x64", legacyMode: "absent", secureBoot: { state: "off" } },
              disks: [
                {
                  name: "nvme0n1",
                  bytes: 256e9,
                  bus: "nvme",
                  partitions: [{ number: 1, bytes: 2e11, role: "system", filesystem: "ext4" }],
                },
              ],
              devices: [{ modalias }],
            },
          },
        ],
        releases: [
          {
            ...{ name: "Bollard 5", family: "Linux", arch: "x64", facts: { purposes: ["file-rescue"] } },
            drivers: { kind: "modules", drivers: { nvme: ["pci:v*d*sv*sd*bc01sc08i02*"] } },
          },
        ],
        media: [
          {
            tag: "RM-1",
            kind: "usb",
            site: "Head office",
            releases: ["Bollard 5"],
            startsBy: { uefi: ["x64"], bios: false },
          },
        ],
        ...more,
      }),
    );

  test("a route a line, with links, changes, steps, times and what is lost; offers after a happening", () => {
    const [line, ...more] = creel("judge", world(), "--json").stdout.trim().split("\n");
    expect(more).toEqual([]);
    expect(JSON.parse(line ?? "")).toMatchObject({
      ...{
        schema: "creel.route/1",
        computer: "HO-1",
        medium: "RM-1",
        release: "Bollard 5",
        outcome: "files",
        image: null,
      },
      links: {
        atHand: { verdict: "holds" },
        starts: { verdict: "holds" },
        sees: { verdict: "holds" },
        restores: { verdict: "holds" },
        proven: { verdict: "unknown" },
      },
      changes: [],
      lost: { code: "all-but-files" },
    });
    expect(creel("judge", world(), "--happening", "disk-gone", "--json")).toMatchObject({ status: 0, stdout: "" });
    expect(creel("judge", world(), "--computer", "HO-1").stdout).toMatch(
      /^HO-1 \/ RM-1 \/ Bollard 5 \/ files: At hand holds/,
    );
  });

  test.each([
    ["no world", () => w.text("odd.json", "{}"), [], /odd\.json: schema: /],
    ["no JSON", () => w.text("odd.json", "{"), [], /odd\.json: not JSON/],
    ["a computer that is not in it", () => world(), ["--computer", "HO-9"], /there is no computer "HO-9"/],
    ["an unknown happening", () => world(), ["--happening", "rain"], /it is one of does-not-start/],
  ])("%s is told in one line", (_what, file, args, told) => {
    const { status, stdout, stderr } = creel("judge", file(), ...args);
    expect([status, stdout, stderr.split("\n").length]).toEqual([2, "", 2]);
    expect(stderr).toMatch(told);
  });
});
