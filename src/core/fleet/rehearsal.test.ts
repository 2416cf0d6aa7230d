import { allowing, revoking } from "../../../scripts/demo/signers";
import { dice } from "../../../test/support/dice";
import { randomWorld } from "../../../test/support/fleet";
import { signedWorld } from "../../../test/support/signed-fleet";
import { tempWorkshop } from "../../../test/support/workshop";
import { compareVerdicts } from "../judging/model/order";
import { LINK_NAMES } from "../judging/model/schema";
import { bestText, changedText, rehearsalText } from "../words/rehearsal";
import { linkVerdict, weakestVerdict } from "./cell";
import { FleetMatrix } from "./matrix";
import { applied, changeSchema, rehearse, type WorldChange } from "./rehearsal";
import type { World } from "./world";

const w = tempWorkshop();

const play = (world: World, change: WorldChange) => rehearse(new FleetMatrix(world), world, changeSchema.parse(change));

test("a revoked authority: what it alone signed stops, what another signed too stops as well", async () => {
  const world = await signedWorld(w);
  const before = new FleetMatrix(world);
  const change: WorldChange = { kind: "revoke", file: "dbxupdate.bin", lists: revoking(0, "norlight2011") };
  const after = new FleetMatrix(applied(world, change));
  const starts = (matrix: FleetMatrix) =>
    world.computers.map((_, row) =>
      world.media.map((_, column) => matrix.routes(row, column)[0]?.links.starts.verdict),
    );
  expect(starts(before)).toEqual([
    ["holds", "holds"],
    ["holds", "holds"],
    ["holds", "holds"],
  ]);
  // UEFI 2.10, 32.5: one revoked signer is too many, whoever else signed.
  expect(new Set(starts(after).flat())).toEqual(new Set(["holds-after-change"]));
  expect(changedText(change)).toMatch(/^dbxupdate.bin on every computer/);
});

test("a computer whose list is not recorded is left as it is", async () => {
  const world = await signedWorld(w);
  const [first] = world.computers;
  if (!first) throw new Error("no computer");
  const secureBoot = first.facts.firmware.secureBoot;
  if (!secureBoot) throw new Error("no lists");
  const unknown = {
    ...first,
    facts: { ...first.facts, firmware: { ...first.facts.firmware, secureBoot: { ...secureBoot, dbx: null } } },
  };
  const changed = applied({ ...world, computers: [unknown] }, { kind: "revoke", file: "x", lists: revoking(3) });
  expect(changed.computers[0]).toBe(unknown);
});

test.each<WorldChange>([
  { kind: "secure-boot", to: "on", site: null },
  { kind: "secure-boot", to: "off", site: "Workshop" },
  { kind: "retire-release", release: "Spindle 3" },
  { kind: "update-system", system: "Gannet Desk", from: "11.4", to: "12.0" },
  { kind: "lose-site", site: "Workshop" },
  { kind: "lose-medium", medium: "M-3" },
  { kind: "replace-disks", model: "14", bytes: 100e9, sectorBytes: 4096 },
  { kind: "allow", file: "new.esl", lists: allowing("norlight2023") },
])("%j: what is told is what judging both worlds comes to, and the world stays as it was", (change) => {
  const world = randomWorld(dice(11), 60, 24);
  const kept = JSON.stringify(world.computers.map((computer) => computer.facts));
  const [before, after] = [new FleetMatrix(world), new FleetMatrix(applied(world, change))];
  const result = play(world, change);
  expect(JSON.stringify(world.computers.map((computer) => computer.facts))).toBe(kept);
  let [worse, better, broken] = [0, 0, 0];
  for (const [row, { tag }] of world.computers.entries()) {
    const effect = result.effects.find((each) => each.tag === tag);
    for (const [column, { part }] of world.media.entries()) {
      const [was, is] = [before.cell(row, column), after.cell(row, column)];
      const orders = LINK_NAMES.map((link) => compareVerdicts(linkVerdict(is, link), linkVerdict(was, link)));
      const isWorse = orders.some((order) => order > 0);
      const isBetter = !isWorse && orders.some((order) => order < 0);
      if (isWorse) worse++;
      if (isBetter) better++;
      if (weakestVerdict(was) !== "broken" && weakestVerdict(is) === "broken") broken++;
      expect(effect?.worse.includes(part.tag) ?? false).toBe(isWorse);
      expect(effect?.better.includes(part.tag) ?? false).toBe(isBetter);
    }
    if (effect) expect(bestText(effect.after)).not.toBe("");
  }
  expect([result.worse, result.better, result.broken]).toEqual([worse, better, broken]);
  expect(rehearsalText(result)).toMatch(/^\p{Lu}.*\.$/u);
  const lost = result.effects.map((effect) => effect.lost);
  expect(lost).toEqual([...lost].sort((a, b) => Number(b) - Number(a)));
});

test("lists that cannot be read to their end are refused", () => {
  const cut = Buffer.from(allowing("norlight2011"), "base64").subarray(0, 100).toString("base64");
  expect(changeSchema.safeParse({ kind: "revoke", file: "x", lists: cut }).success).toBe(false);
  expect(changeSchema.safeParse({ kind: "revoke", file: "x", lists: "" }).success).toBe(false);
  expect(changeSchema.safeParse({ kind: "replace-disks", model: "14", bytes: -1, sectorBytes: 512 }).success).toBe(
    false,
  );
});
