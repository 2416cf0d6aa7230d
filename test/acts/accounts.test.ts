import { createHash } from "node:crypto";
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { eq, sql } from "drizzle-orm";
import { MemorySource } from "@/core/kernel/source";
import { inspect } from "@/core/medium/inspection/inspect";
import { changeAccount, invite, listAccounts, removeSecondFactor } from "@/server/accounts/accounts";
import { recordAudit } from "@/server/accounts/audit";
import { removeWhatIsOver } from "@/server/accounts/clean";
import { forgetPerson } from "@/server/accounts/forgetting";
import { allowSetUp, insertAccount, isNew, setUp } from "@/server/accounts/set-up";
import { bearerOf, endToken, makeToken } from "@/server/accounts/tokens";
import { listUploads, mayUpload, noteUpload, readLibrary, UPLOAD_KIND, uploadArrived } from "@/server/bench/uploads";
import { bulkChange } from "@/server/computers/bulk";
import { type Context, ownContext } from "@/server/context";
import { accounts, attempts, jobs, organisations, releases, sessions, sites, verifications } from "@/server/db/schema";
import { folderIdentity } from "@/server/host/folders";
import { keepContents } from "@/server/inspections/contents";
import { addComputer, getComputer, saveComputer } from "@/server/inventory/computers";
import { history } from "@/server/inventory/events";
import { addSite, listSites } from "@/server/inventory/sites";
import { addMedium } from "@/server/media/media";
import { addKit, addRelease } from "@/server/media/releases";
import { testInventory, value, wholeOrNothing } from "../support/database";
import { doJobs } from "../support/jobs";

// What lets people in, and what they send: with a connection that breaks at each statement that writes.
const inventory = testInventory();
const folder = mkdtempSync(join(tmpdir(), "creel-acts-"));
const before = { ...process.env };
const account = async () => {
  const found = (await listAccounts(inventory.ina)).find(({ name }) => name === "Col Marrick")?.account;
  if (!found) throw new Error("no account");
  return found;
};

beforeAll(() => {
  Object.assign(process.env, { CREEL_DATA: folder, CREEL_URL: "https://creel.example", CREEL_SECRET: "s".repeat(43) });
  inventory.clock.now = new Date();
});
afterAll(() => {
  process.env = before;
  rmSync(folder, { recursive: true, force: true });
});

test("Creel is set up with its organisation, site and administrator, and the link is used up with them", async () => {
  const { db, now } = inventory.ina;
  const told = {
    ...{ code: "code", organisation: "Skerry Line", timeZone: "UTC", currency: "EUR", site: "Workshop" },
    ...{ name: "Runa Esk", mail: "runa@skerry.example", password: "the gulls of Sandsay" },
  };
  await allowSetUp(db, "code", now());
  const { statements } = await wholeOrNothing(inventory, (context) => setUp(context.db, context.now, told));
  expect(statements).toBeGreaterThan(6);
  expect([await isNew(db), await db.$count(organisations), await db.$count(sites)]).toEqual([false, 1, 1]);
});

test("somebody is invited with the link that lets them in, and closed with their sessions", async () => {
  const told = { personId: 2, name: "Col Marrick", mail: "col@skerry.example", role: "technician" };
  const { result } = await wholeOrNothing(
    inventory,
    (context) => invite(context, told),
    [],
    ({ ok }) => ok,
  );
  expect(value(result).link).toContain("/password?token=");
  const { id, version } = await account();
  const closing = (context: Context) => changeAccount(context, id, version, { role: "technician", isClosed: true });
  await wholeOrNothing(inventory, closing);
  expect(await account()).toMatchObject({ isClosed: true, version: version + 1 });
  await wholeOrNothing(inventory, (context) => removeSecondFactor(context, id));
});

test("somebody who is held to sites changes what is there, may send it on, and nothing else", async () => {
  const [workshop, pier, office] = ["Workshop", "North Pier", "Head office"];
  const siteOf = new Map<string, number>();
  for (const name of [workshop, pier, office] as string[]) {
    const known = (await listSites(inventory.ina)).find((site) => site.name === name);
    siteOf.set(name, known?.id ?? value(await addSite(inventory.ina, { name, place: null })));
  }
  const idOf = (name = "") => siteOf.get(name) ?? 0;
  const { id, version } = await account();
  value(await changeAccount(inventory.ina, id, version, { role: "technician", isClosed: false, sites: [idOf(pier)] }));
  expect(await account()).toMatchObject({ sites: [idOf(pier)] });
  // The log tells what was changed, by name, and nothing else.
  const col = (await listAccounts(inventory.ina)).find(({ name }) => name === "Col Marrick");
  const [told] = await history(inventory.ina, "person", col?.id ?? 0);
  expect([told?.before, told?.after]).toEqual([
    { closed: true, sites: [] },
    { closed: false, sites: ["North Pier"] },
  ]);
  const held: Context = { ...inventory.ina, sites: [idOf(pier)] };
  const facts = { schema: "creel.facts/1" };
  const stick = { tag: "HS-9", kind: "usb", capacityBytes: null, writtenOn: null, releaseIds: [] };
  const computer = (tag: string, siteId: number | null) => ({ tag, name: null, siteId, note: null, facts });
  const why = (site: string | null) => ({ problem: { code: "refused", why: { code: "other-site", site } } });

  // What is new has to be there, and is nowhere else.
  expect(await addComputer(held, computer("HS-1", idOf(office)))).toMatchObject(why("Head office"));
  expect(await addComputer(held, computer("HS-1", null))).toMatchObject(why(null));
  const own = value(await addComputer(held, computer("HS-2", idOf(pier))));
  const other = value(await addComputer(inventory.ina, computer("HS-3", idOf(office))));
  // What is elsewhere is neither changed, moved here nor retired, one by one or with others.
  expect(await saveComputer(held, other, 1, computer("HS-3", idOf(pier)))).toMatchObject(why("Head office"));
  const moving = { field: "siteId", value: idOf(pier) };
  expect(await bulkChange(held, { ids: [own, other] }, moving)).toMatchObject(why("Head office"));
  expect(await bulkChange(held, { ids: [own, other] }, { field: "make", value: "Corvane" })).toMatchObject({
    ok: false,
  });
  expect(await addMedium(held, { ...stick, siteId: idOf(office) }, null)).toMatchObject(why("Head office"));
  // What is theirs may be sent on; then it is another site's.
  value(await bulkChange(held, { ids: [own] }, { field: "siteId", value: idOf(office) }));
  expect(await bulkChange(held, { ids: [own] }, moving)).toMatchObject(why("Head office"));
  // Nothing of what was refused is there; administrators are held to nothing.
  expect((await getComputer(inventory.ina, "HS-1"))?.row ?? null).toBeNull();
  expect((await getComputer(inventory.ina, "HS-3"))?.row).toMatchObject({ siteId: idOf(office), version: 1 });
  const now = await account();
  value(await changeAccount(inventory.ina, id, now.version, { role: "administrator", isClosed: false }));
  expect(await account()).toMatchObject({ sites: [], role: "administrator" });
  const last = await account();
  value(await changeAccount(inventory.ina, id, last.version, { role: "technician", isClosed: false }));
});

test("of two administrators who close each other's accounts at once, one stays", async () => {
  const { db, ina } = { db: inventory.ina.db, ina: inventory.ina };
  await insertAccount(ownContext(db, ina.now), {
    ...{ personId: 1, name: "Ina Torvald", mail: "ina@skerry.example", role: "administrator", hash: null },
  });
  for (let round = 0; round < 6; round++) {
    await db
      .update(accounts)
      .set({ closedAt: null, version: 1, role: "administrator" })
      .where(eq(accounts.role, "administrator"));
    const both = await db.select().from(accounts).where(eq(accounts.role, "administrator"));
    const closed = await Promise.all(
      both.map(({ id }) => changeAccount(ina, id, 1, { role: "administrator", isClosed: true })),
    );
    expect(closed.map(({ ok }) => ok).sort()).toEqual([false, true]);
  }
});

test("a token is there with its event, and ended with it", async () => {
  const wish = { name: "Collectors", kind: "facts", days: 30 };
  const { result } = await wholeOrNothing(inventory, (context) => makeToken(context, wish));
  const { id, secret } = value(result);
  const asked = { secret, kind: "facts", origin: null, now: inventory.clock.now } as const;
  expect(await bearerOf(inventory.ina.db, asked)).toMatchObject({ name: "Collectors", madeBy: { id: 1 } });
  const later = new Date(inventory.clock.now.getTime() + 31 * 86_400_000);
  expect(await bearerOf(inventory.ina.db, { ...asked, now: later })).toBeNull();
  expect(await bearerOf(inventory.ina.db, { ...asked, kind: "read" })).toBeNull();
  await wholeOrNothing(inventory, (context) => endToken(context, id));
  expect(await bearerOf(inventory.ina.db, asked)).toBeNull();
});

test("what let somebody in once is removed when it is over, and nothing that still does", async () => {
  const { db } = inventory.ina;
  const [own] = await db.select().from(accounts);
  const at = (hours: number) => new Date(inventory.clock.now.getTime() + hours * 3_600_000);
  const session = (id: string, expiresAt: Date) => ({ id, token: id, userId: own?.id ?? "", expiresAt });
  await db.insert(sessions).values([session("over", at(-1)), session("open", at(1))]);
  await db.insert(verifications).values([
    { id: "old", identifier: "reset-password:old", value: "x", expiresAt: at(-1) },
    { id: "new", identifier: "reset-password:new", value: "x", expiresAt: at(1) },
  ]);
  await db.insert(attempts).values([
    { id: "a", key: "a", count: 1, lastRequest: at(-25).getTime() },
    { id: "b", key: "b", count: 1, lastRequest: at(-1).getTime() },
  ]);
  await removeWhatIsOver(inventory.ina);
  expect((await db.select().from(sessions)).map(({ id }) => id)).toEqual(["open"]);
  expect((await db.select().from(attempts)).map(({ id }) => id)).toEqual(["b"]);
  const left = (await db.select().from(verifications)).map(({ id }) => id);
  expect([left.includes("old"), left.includes("new")]).toEqual([false, true]);
});

describe("a file that is sent", () => {
  const bytes = Buffer.alloc(300_000, "bollard");
  const sha256 = createHash("sha256").update(bytes).digest("hex");
  let release: number;

  beforeAll(async () => {
    const { ina } = inventory;
    const kitId = value(await addKit(ina, { name: "Bollard" }));
    const input = {
      kitId,
      name: "5.0",
      madeOn: null,
      note: null,
      facts: { abilities: [], purposes: [], opens: [] },
      supersededById: null,
    };
    release = value(await addRelease(ina, input));
    const { inspection } = await inspect(new MemorySource(new Uint8Array(bytes)), {
      name: "bollard.iso",
      depth: "quick",
    });
    const inspectionId = value(await keepContents(ina, { inspection, listing: null, drivers: null }));
    await ina.db.update(releases).set({ inspectionId }).where(eq(releases.id, release));
  });
  const arrive = async (key: string, content: Uint8Array) => {
    const wish = { release, bytes: bytes.length, sha256 };
    expect(value(await mayUpload(inventory.ina, wish))).toEqual({ name: "bollard.iso", isThere: false });
    await wholeOrNothing(inventory, (context) => noteUpload(context, key, "bollard.iso", wish));
    mkdirSync(join(folder, "uploads"), { recursive: true });
    writeFileSync(join(folder, "uploads", key), content);
    await wholeOrNothing(inventory, (context) => uploadArrived(context, key));
    // Whoever says it again changes nothing.
    value(await uploadArrived(inventory.ina, key));
    expect(await inventory.ina.db.$count(jobs, eq(jobs.kind, UPLOAD_KIND))).toBeGreaterThan(0);
    await doJobs(inventory.ina, UPLOAD_KIND, folderIdentity());
    return (await listUploads(inventory.ina))[0];
  };

  test("with a bit that differs does not get in, and leaves nothing", async () => {
    const other = Buffer.from(bytes);
    other[1234] = (other[1234] ?? 0) ^ 1;
    expect(await arrive("first", other)).toMatchObject({ state: "failed", trouble: "differs" });
    expect((await readLibrary(inventory.ina)).entries).toMatchObject([{ name: "bollard.iso", isThere: false }]);
    expect(() => readFileSync(join(folder, "uploads", "first"))).toThrow("ENOENT");
  });

  test("as it was read gets in, and is what the release is known by from then on", async () => {
    expect(await arrive("second", bytes)).toMatchObject({ state: "done", trouble: null });
    expect((await readLibrary(inventory.ina)).entries).toMatchObject([{ isThere: true, sha256 }]);
    expect(readFileSync(join(folder, "library", "bollard.iso")).equals(bytes)).toBe(true);
    const other = { release, bytes: bytes.length, sha256: "0".repeat(64) };
    expect(await mayUpload(inventory.ina, other)).toMatchObject({ problem: { why: { code: "upload-other-file" } } });
  });
});

test("the name of somebody who left is removed, everywhere, and what they did stays", async () => {
  const { ina } = inventory;
  const told = { personId: null, name: "Bram Kettle", mail: "bram@skerry.example", role: "technician" };
  value(await invite(ina, told));
  const bram = (await listAccounts(ina)).find(({ name }) => name === "Bram Kettle");
  if (!bram?.account) throw new Error("no account");
  const his: Context = { ...ina, person: { id: bram.id, name: bram.name } };
  const stick = { tag: "BK-1", kind: "usb", capacityBytes: null, writtenOn: null, releaseIds: [], siteId: null };
  const medium = value(await addMedium(his, stick, null));
  await recordAudit(ina, his.person, { act: "addMedium", outcome: "done", origin: null });
  expect(await forgetPerson(ina, bram.id)).toMatchObject({ problem: { why: { code: "account-open" } } });
  expect(await forgetPerson(ina, ina.person.id)).toMatchObject({ problem: { why: { code: "own-account" } } });
  value(await changeAccount(ina, bram.account.id, bram.account.version, { role: "technician", isClosed: true }));
  const { statements } = await wholeOrNothing(inventory, (context) => forgetPerson(context, bram.id));
  expect(statements).toBeGreaterThan(6);
  expect((await history(ina, "medium", medium))[0]).toMatchObject({ personId: bram.id, action: "added" });
  // Wherever a text may stand in the database: in no column of no table his name or address is left.
  const [columns] = (await ina.db.execute(
    sql`SELECT table_name AS tableName, column_name AS columnName FROM information_schema.columns
        WHERE table_schema = DATABASE() AND data_type IN ('varchar', 'text', 'longtext', 'json', 'mediumtext')`,
  )) as unknown as [{ tableName: string; columnName: string }[]];
  expect(columns.length).toBeGreaterThan(100);
  for (const { tableName, columnName } of columns) {
    const [table, column] = [sql.identifier(tableName), sql.identifier(columnName)];
    const [rows] = (await ina.db.execute(
      sql`SELECT COUNT(*) AS found FROM ${table} WHERE ${column} LIKE '%Bram Kettle%' OR ${column} LIKE '%bram@skerry%'`,
    )) as unknown as [{ found: number }[]];
    expect([tableName, columnName, Number(rows[0]?.found)]).toEqual([tableName, columnName, 0]);
  }
});
