import { revoking } from "../../../scripts/demo/signers";
import { signedWorld } from "../../../test/support/signed-fleet";
import { tempWorkshop } from "../../../test/support/workshop";
import { applied } from "./rehearsal";
import { fleetSigners } from "./signers";

const w = tempWorkshop();

test("who allows which signer, and which media rest on it alone", async () => {
  const { signers, asking, known, unvouched } = fleetSigners(await signedWorld(w));
  expect([asking, known, unvouched]).toEqual([3, 3, []]);
  expect(signers.map(({ name, allowing, media, alone }) => [name, allowing, media, alone])).toEqual([
    ["Norlight Third Party CA 2011", 3, ["lantern11", "lantern12"], ["lantern11"]],
    ["Norlight Third Party CA 2023", 2, ["lantern12"], []],
  ]);
  expect(signers[0]?.notAfter).toMatch(/^2026-06-27/);
});

test("the gap that a revocation opens: what is signed twice is refused, too", async () => {
  const world = applied(await signedWorld(w), { kind: "revoke", file: "dbx", lists: revoking(0, "norlight2011") });
  const { signers, unvouched } = fleetSigners(world);
  expect(unvouched).toEqual(["lantern11", "lantern12"]);
  expect(signers.find(({ name }) => name.endsWith("2011"))).toMatchObject({ allowing: 0, revoking: 3 });
});

test("computers whose lists are not recorded, or that do not ask, are not counted", async () => {
  const world = await signedWorld(w);
  const [first, second, third] = world.computers;
  if (!first || !second || !third) throw new Error("no computers");
  const lists = first.facts.firmware.secureBoot;
  if (!lists) throw new Error("no lists");
  const withLists = (more: Partial<typeof lists>) => ({
    ...first,
    facts: { ...first.facts, firmware: { ...first.facts.firmware, secureBoot: { ...lists, ...more } } },
  });
  const computers = [withLists({ db: null }), withLists({ state: "off" }), third];
  const { asking, known, signers, unvouched } = fleetSigners({ ...world, computers });
  expect([asking, known, signers.length, unvouched]).toEqual([2, 1, 1, []]);
});
