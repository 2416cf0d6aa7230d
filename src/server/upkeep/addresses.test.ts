import { join } from "node:path";
import { simpleParser } from "mailparser";
import { testInventory, value } from "../../../test/support/database";
import { tempWorkshop } from "../../../test/support/workshop";
import { problemText } from "../../core/words/problems";
import { type Mail, type Mailer, outboxFile, outboxFiles } from "../host/mailer";
import { history } from "../inventory/events";
import { saveRule } from "../inventory/policies";
import { addSite } from "../inventory/sites";
import { addMedium } from "../media/media";
import { listAudiences, setMailAddress } from "./addresses";
import { sendDigests } from "./digests";

const inventory = testInventory();
const w = tempWorkshop();
const ids = { pier: 0, office: 0 };

/** A server that can be down; what it took. */
class Post implements Mailer {
  isDown = false;
  readonly taken: Mail[] = [];
  async send(mail: Mail): Promise<string> {
    if (this.isDown) throw new Error("connect ECONNREFUSED");
    this.taken.push(mail);
    return `<${this.taken.length}@mail.example>`;
  }
}
const post = new Post();

beforeAll(async () => {
  process.env.CREEL_DATA = join(w.folder, "data");
  inventory.clock.now = new Date("2026-03-05T08:00:00Z");
  const { ina } = inventory;
  ids.pier = value(await addSite(ina, { name: "North Pier" }));
  ids.office = value(await addSite(ina, { name: "Head office" }));
  value(await saveRule(ina, { scope: "everywhere", target: "", values: { spares: 0, back: 0, files: 0 } }, null));
  const medium = { name: null, kind: "usb", lentTo: null, note: null, capacityBytes: 16e9, releaseIds: [] };
  for (const [tag, siteId] of [
    ["RM-1", ids.pier],
    ["RM-2", ids.office],
  ] as const)
    value(await addMedium(ina, { ...medium, tag, siteId, condition: "worn" }, null));
});

afterAll(() => {
  delete process.env.CREEL_DATA;
});

const setPier = (mail: string) => setMailAddress(inventory.ina, { kind: "site", id: ids.pier, mail });

test("an address is kept with who said so; what is none is refused in a sentence, and nothing is no address", async () => {
  const { ina } = inventory;
  expect(value(await setPier(" quay@skerry.example "))).toBe("quay@skerry.example");
  expect((await listAudiences(ina)).map(({ name, mail }) => [name, mail])).toEqual([
    ...[["Head office", null] as const, ["North Pier", "quay@skerry.example"] as const],
    ...[["Col Marrick", null] as const, ["Ina Torvald", null] as const],
  ]);
  const [event] = await history(ina, "site", ids.pier);
  expect(event).toMatchObject({ before: { mail: null }, after: { mail: "quay@skerry.example" } });
  for (const none of ["quay", "quay@", "a b@skerry.example", `${"q".repeat(250)}@skerry.example`]) {
    const refused = await setPier(none);
    expect(refused.ok ? "" : problemText(refused.problem)).toMatch(/no mail address|at most 254/);
  }
  // The same again changes nothing, and is no change in the history.
  const events = (await history(ina, "site", ids.pier)).length;
  value(await setPier("quay@skerry.example"));
  expect(await history(ina, "site", ids.pier)).toHaveLength(events);
  expect(await setMailAddress(ina, { kind: "person", id: 999, mail: "" })).toMatchObject({
    problem: { code: "not-found", what: "person" },
  });
  expect(value(await setMailAddress(ina, { kind: "person", id: 1, mail: "" }))).toBeNull();
});

test("who has an address is written to through the server; of whom none is recorded, theirs is laid into the outbox", async () => {
  const { sent, failed } = await sendDigests(inventory.ina, post);
  expect(failed).toEqual([]);
  expect(post.taken.map(({ to }) => to)).toEqual([{ name: "North Pier", address: "quay@skerry.example" }]);
  const files = await outboxFiles();
  expect(files).toHaveLength(sent - 1);
  for (const file of files) {
    const { to } = await simpleParser((await outboxFile(file)) ?? "");
    // RFC 2606, 2: such a name leads nowhere.
    expect(to && !Array.isArray(to) ? to.value[0]?.address : "").toMatch(/@creel\.invalid$/);
  }
});

test("whom the server does not take is told with the next round, the others are not told twice", async () => {
  const { ina } = inventory;
  value(await setMailAddress(ina, { kind: "site", id: ids.office, mail: "office@skerry.example" }));
  const medium = { name: null, kind: "usb", lentTo: null, note: null, capacityBytes: 16e9, releaseIds: [] };
  value(await addMedium(ina, { ...medium, tag: "RM-3", siteId: ids.pier, condition: "distrusted" }, null));
  inventory.clock.now = new Date("2026-03-06T08:00:00Z");
  post.isDown = true;
  const round = await sendDigests(ina, post);
  expect(round.failed).toEqual(["North Pier"]);
  post.isDown = false;
  const before = post.taken.length;
  expect(await sendDigests(ina, post)).toMatchObject({ sent: 1, failed: [] });
  expect(post.taken.slice(before).map(({ to, text }) => [to.name, text.includes("RM-3")])).toEqual([
    ["North Pier", true],
  ]);
  // A round that is done anew, as after a server that was killed in it, tells nobody twice.
  expect(await sendDigests(ina, post)).toMatchObject({ sent: 0, failed: [] });
});
