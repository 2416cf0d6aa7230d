import { spawnSync } from "node:child_process";
import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { factsSchema } from "@/core/computer/facts/schema";
import { readWorld } from "@/core/world/read";
import { addComputer } from "@/server/inventory/computers";
import { saveRule } from "@/server/inventory/policies";
import { addSite } from "@/server/inventory/sites";
import { factsOf, MACHINES } from "../../scripts/demo/skerry-line";
import { testInventory, value } from "../support/database";
import { tempWorkshop } from "../support/workshop";

const w = tempWorkshop();
const inventory = testInventory();

function creel(args: string[], url: string = inventory.url) {
  const env = { ...process.env, DATABASE_URL: url };
  const command = [join(__dirname, "..", "..", "scripts", "creel.mjs"), ...args];
  const { status, stdout, stderr } = spawnSync(process.execPath, command, { cwd: w.folder, encoding: "utf8", env });
  return { status, stdout, stderr };
}

test("the inventory goes out as one document, from which the same is judged without a database", async () => {
  const { ina } = inventory;
  const site = value(await addSite(ina, { name: "Head office" }));
  const machine = MACHINES[0] as (typeof MACHINES)[number];
  const facts = factsSchema.parse(factsOf(machine, 0));
  value(await addComputer(ina, { tag: "HO-001", name: null, siteId: site, note: null, facts }));
  const rule = { scope: "site", target: "Head office", values: { files: 0, back: 2 } };
  value(await saveRule(ina, rule, null));
  expect(creel(["export", "--out", "world.json"])).toEqual({ status: 0, stdout: "", stderr: "" });
  const written: unknown = JSON.parse(readFileSync(w.path("world.json"), "utf8"));
  expect(readWorld(written)).toMatchObject({ ok: true });
  expect(written).toMatchObject({
    schema: "creel.world/1",
    computers: [{ tag: "HO-001", site: "Head office", facts: { computer: facts.computer, disks: facts.disks } }],
  });
  expect(creel(["export"]).stdout).toBe(readFileSync(w.path("world.json"), "utf8"));
  const policy = JSON.parse(creel(["judge", "world.json", "--policy", "--json"], "").stdout);
  expect(policy).toMatchObject({
    schema: "creel.policy/1",
    computer: "HO-001",
    met: false,
    lacks: [{ need: "back", wanted: 2 }],
  });
  const plan = JSON.parse(creel(["judge", "world.json", "--image-plan", "--json"], "").stdout);
  expect(plan).toMatchObject({ schema: "creel.image-plan/1", computer: "HO-001" });
  expect(plan.take.length).toBeGreaterThan(0);
  const refused = creel(["export", "--out", "no-folder/world.json"]);
  expect([refused.status, refused.stdout]).toEqual([2, ""]);
  expect(refused.stderr).toMatch(/^creel: no-folder\/world\.json: [^\n]+\n$/);
});

test("a document is taken in, all of it or nothing, and changes nothing that is known; out again it says the same", () => {
  const world = {
    ...{
      schema: "creel.world/1",
      today: "2026-07-01",
      sites: [{ name: "Workshop" }],
      travel: [["North Pier", "Workshop", 25]],
    },
    computers: [
      {
        tag: "WS-900",
        site: "Workshop",
        facts: {
          schema: "creel.facts/1",
          computer: { make: "Corvane", model: "Slate 14" },
          disks: [{ name: "sda", bytes: 256e9 }],
        },
      },
    ],
    releases: [{ name: "Spindle 3", family: "Linux", facts: { purposes: ["put-back-images"] } }],
    media: [{ tag: "SP-900", kind: "usb", site: "Workshop", condition: "good", releases: ["Spindle 3"] }],
    images: [
      {
        id: "WS-900 2026-06-01",
        computer: "WS-900",
        takenAt: "2026-06-01T10:00:00Z",
        mode: "uefi",
        places: [{ on: "medium", tag: "SP-900" }],
      },
    ],
    drills: [{ medium: "SP-900", computer: "WS-900", on: "2026-06-02", result: "started" }],
    policy: { files: 2 },
  };
  const write = (name: string, more: object = {}) => writeFileSync(w.path(name), JSON.stringify({ ...world, ...more }));
  write("bad.json", { drills: [{ medium: "SP-901", computer: "WS-900", on: "2026-06-02", result: "started" }] });
  const bad = creel(["import", "bad.json"]);
  expect([bad.status, bad.stdout]).toEqual([1, expect.stringMatching(/SP-901/)]);
  expect(JSON.parse(creel(["export"]).stdout).computers.map(({ tag }: { tag: string }) => tag)).not.toContain("WS-900");
  // A computer that cannot be taken in keeps the others from it too, and is told.
  const odd = [...world.computers, { ...world.computers[0], tag: "no such tag" }];
  write("odd.json", { computers: odd });
  expect(creel(["import", "odd.json"])).toMatchObject({
    status: 1,
    stdout: expect.stringMatching(/^odd\.json: .*tag/i),
  });
  expect(JSON.parse(creel(["export"]).stdout).computers.map(({ tag }: { tag: string }) => tag)).not.toContain("WS-900");
  write("good.json");
  expect(creel(["import", "good.json"])).toMatchObject({
    ...{ status: 0, stdout: "Added: 2 sites, 1 computers, 1 releases, 1 media, 1 images, 1 drills, 1 rules.\n" },
  });
  expect(creel(["import", "good.json"]).stdout).toBe("Nothing new: all of it is recorded.\n");
  expect(JSON.parse(creel(["export"]).stdout)).toMatchObject({
    travel: [["North Pier", "Workshop", 25]],
    computers: expect.arrayContaining([expect.objectContaining({ tag: "WS-900", site: "Workshop" })]),
    media: [{ tag: "SP-900", site: "Workshop", condition: "good", releases: ["Spindle 3"] }],
    images: [{ id: "WS-900 2026-06-01", places: [{ on: "medium", tag: "SP-900" }] }],
    drills: [{ medium: "SP-900", computer: "WS-900", on: "2026-06-02", result: "started" }],
    rules: expect.arrayContaining([{ scope: "everywhere", target: "", values: { files: 2 } }]),
  });
  expect(creel(["import", "world.json"]).stdout).toBe("Nothing new: all of it is recorded.\n");
});
