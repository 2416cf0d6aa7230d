import { spawnSync } from "node:child_process";
import { readFileSync } from "node:fs";
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
