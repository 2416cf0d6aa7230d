import { createHmac } from "node:crypto";
import { mkdtempSync, readdirSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { eq } from "drizzle-orm";
import { testInventory, value } from "../../../test/support/database";
import { accounts, events, organisations, people, sessions, verifications } from "../db/schema";
import { listSites } from "../inventory/sites";
import { changeAccount, endSessions, invite, inviteAgain, listAccounts, removeSecondFactor } from "./accounts";
import { listAudit } from "./audit";
import { authOf } from "./auth";
import { ownOrganisation, saveOrganisation } from "./organisation";
import { endOwnSession, ownSessions } from "./own";
import { signedIn } from "./sessions";
import { allowSetUp, isNew, isSetUpCode, setUp } from "./set-up";

const inventory = testInventory();
const ADDRESS = "https://creel.example";
const data = mkdtempSync(join(tmpdir(), "creel-accounts-"));
const before = { ...process.env };
Object.assign(process.env, { CREEL_URL: ADDRESS, CREEL_SECRET: "s".repeat(40), CREEL_DATA: data });
afterAll(() => {
  process.env = before;
  rmSync(data, { recursive: true, force: true });
});

// The sign-in library goes by the machine's clock.
beforeAll(() => {
  inventory.clock.now = new Date();
});

const PASSWORD = "the gulls of Sandsay";
const now = () => inventory.clock.now;
const SET_UP = {
  ...{ code: "code-1", organisation: "Skerry Line", timeZone: "Europe/London", currency: "eur", site: "Workshop" },
  ...{ name: "Runa Esk", mail: "Runa.Esk@skerry.example", password: PASSWORD },
};

/** Asks the sign-in library as a browser does, and gives its answer with the cookies that it set. */
async function ask(path: string, body: Record<string, unknown>, cookie = "", from = "192.0.2.1") {
  const headers = { "content-type": "application/json", origin: ADDRESS, "x-forwarded-for": from, cookie };
  const request = new Request(`${ADDRESS}/api/auth${path}`, { method: "POST", headers, body: JSON.stringify(body) });
  const answer = await authOf(inventory.ina.db).handler(request);
  const set = answer.headers.getSetCookie().map((line) => line.split(";")[0]);
  return { status: answer.status, body: await answer.json().catch(() => null), cookie: set.join("; ") };
}

const who = (cookie: string) => signedIn(inventory.ina.db, new Headers({ cookie }));
const contextOf = async (cookie: string) => {
  const account = await who(cookie);
  if (!account) throw new Error("nobody is signed in");
  return { ...inventory.ina, person: account.person, account };
};
const signIn = (email: string, password: string, from?: string) => ask("/sign-in/email", { email, password }, "", from);
const tokenOf = (link: string) => new URL(link).searchParams.get("token") ?? "";

/** A code of an authenticator, computed as RFC 6238 says: HMAC-SHA-1 over the half minutes since 1970. */
function totp(secret: string, at = Date.now()): string {
  const bits = [...secret].map((c) => "ABCDEFGHIJKLMNOPQRSTUVWXYZ234567".indexOf(c).toString(2).padStart(5, "0"));
  const bytes = bits.join("").match(/.{8}/g) ?? [];
  const counter = Buffer.alloc(8);
  counter.writeBigUInt64BE(BigInt(Math.floor(at / 30_000)));
  const digest = createHmac("sha1", Buffer.from(bytes.map((each) => Number.parseInt(each, 2))))
    .update(counter)
    .digest();
  // RFC 4226, 5.3: the last four bits say where the code begins.
  const start = (digest.at(-1) ?? 0) & 15;
  return String((digest.readUInt32BE(start) & 0x7fffffff) % 1_000_000).padStart(6, "0");
}

describe("setting up", () => {
  test("takes whoever has the link, once, and keeps nothing of what is refused", async () => {
    const { db } = inventory.ina;
    expect(await isNew(db)).toBe(true);
    await allowSetUp(db, "code-0", now());
    await allowSetUp(db, "code-1", now());
    expect([await isSetUpCode(db, "code-0", now()), await isSetUpCode(db, "code-1", now())]).toEqual([false, true]);
    expect(await isSetUpCode(db, "code-1", new Date(now().getTime() + 49 * 3_600_000))).toBe(false);
    const refusals = [
      [
        { ...SET_UP, code: "code-0" },
        { code: "refused", why: { code: "set-up-over" } },
      ],
      [
        { ...SET_UP, timeZone: "Mars/Olympus" },
        { code: "invalid", fields: { timeZone: expect.any(String) } },
      ],
      [
        { ...SET_UP, currency: "euros" },
        { code: "invalid", fields: { currency: expect.any(String) } },
      ],
      [
        { ...SET_UP, mail: "runa" },
        { code: "invalid", fields: { mail: expect.any(String) } },
      ],
      [
        { ...SET_UP, password: "short" },
        { code: "invalid", fields: { password: expect.any(String) } },
      ],
      [{ ...SET_UP, more: 1 }, { code: "invalid" }],
    ];
    for (const [input, problem] of refusals) expect(await setUp(db, now, input)).toMatchObject({ ok: false, problem });
    expect([await isNew(db), await db.$count(organisations), await db.$count(people)]).toEqual([true, 0, 2]);

    const [one, other] = await Promise.all([setUp(db, now, SET_UP), setUp(db, now, SET_UP)]);
    expect([one.ok, other.ok].sort()).toEqual([false, true]);
    expect(await db.select().from(organisations)).toMatchObject([
      { name: "Skerry Line", timeZone: "Europe/London", currency: "EUR" },
    ]);
    expect((await listSites(inventory.ina)).map(({ name }) => name)).toEqual(["Workshop"]);
    const logged = await db.select().from(events).where(eq(events.personName, "Runa Esk"));
    expect(logged.map(({ entity, action }) => `${entity} ${action}`)).toEqual(["person added", "site added"]);
    await allowSetUp(db, "code-2", now());
    expect(await setUp(db, now, { ...SET_UP, code: "code-2", site: "B", mail: "b@skerry.example" })).toMatchObject({
      problem: { why: { code: "set-up-over" } },
    });
  });
});

test("the organisation is changed by its version, and what it was is kept", async () => {
  const { ina } = inventory;
  const changed = { name: "Skerry Line", timeZone: "Atlantic/Faroe", currency: "dkk" };
  expect(await saveOrganisation(ina, 1, { ...changed, timeZone: "Mars/Olympus", currency: "crowns" })).toMatchObject({
    problem: { code: "invalid", fields: { timeZone: expect.any(String), currency: expect.any(String) } },
  });
  expect(await saveOrganisation(ina, 1, changed)).toEqual({ ok: true, value: 2 });
  expect(await ownOrganisation(ina)).toEqual({ ...changed, currency: "DKK", version: 2 });
  expect(await saveOrganisation(ina, 1, { ...changed, name: "Skerry" })).toMatchObject({
    problem: { code: "stale", version: 2, changes: [{ field: "timeZone" }, { field: "currency" }] },
  });
  expect(await saveOrganisation(ina, 2, changed)).toEqual({ ok: true, value: 2 });
  const [logged] = await ina.db.select().from(events).where(eq(events.entity, "organisation"));
  expect(logged).toMatchObject({
    before: { timeZone: "Europe/London", currency: "EUR" },
    after: { timeZone: "Atlantic/Faroe", currency: "DKK" },
  });
});

describe("signing in", () => {
  test("takes the right password of an address, whatever its case, and tells nobody which of both was wrong", async () => {
    const right = await signIn("runa.esk@skerry.example", PASSWORD);
    expect(right.status).toBe(200);
    expect(await who(right.cookie)).toMatchObject({ person: { name: "Runa Esk" }, role: "administrator" });
    expect((await signIn("RUNA.ESK@skerry.example", PASSWORD)).status).toBe(200);
    const [wrong, absent] = [
      await signIn("runa.esk@skerry.example", "the gulls of Harrick"),
      await signIn("nobody@skerry.example", PASSWORD),
    ];
    expect([wrong.status, wrong.body]).toEqual([absent.status, absent.body]);
    expect(wrong).toMatchObject({ status: 401, body: { code: "INVALID_EMAIL_OR_PASSWORD" } });
    expect(await who("")).toBeNull();
    expect(await who("__Secure-creel.session_token=made-up")).toBeNull();
    // A token without its signature is nobody's.
    const [session] = await inventory.ina.db.select().from(sessions);
    expect(await who(`__Secure-creel.session_token=${session?.token}`)).toBeNull();
  });

  test("waits longer and longer after wrong passwords, from wherever they come", async () => {
    const { db } = inventory.ina;
    expect((await signIn("runa.esk@skerry.example", PASSWORD, "192.0.2.10")).status).toBe(200);
    for (let nth = 1; nth <= 8; nth++)
      expect((await signIn("runa.esk@skerry.example", `wrong ${nth}`, `192.0.2.${nth + 10}`)).status).toBe(401);
    expect(await signIn("runa.esk@skerry.example", PASSWORD, "192.0.2.99")).toMatchObject({
      ...{ status: 429, body: { code: "ACCOUNT_WAITS" } },
    });
    const past = { waitsUntil: new Date(Date.now() - 1_000) };
    await db.update(accounts).set(past);
    expect((await signIn("runa.esk@skerry.example", PASSWORD, "192.0.2.99")).status).toBe(200);
    expect(await db.select({ failures: accounts.failures, waits: accounts.waitsUntil }).from(accounts)).toEqual([
      { failures: 0, waits: null },
    ]);
    const { rows } = await listAudit(inventory.ina, { text: "sign-in", isRefused: true }, { page: 1, rows: 3 });
    expect(rows[0]).toMatchObject({
      personName: "Runa Esk",
      act: "sign-in",
      outcome: "account_waits",
      origin: "192.0.2.99",
    });
  });

  test("throttles one address that tries many", async () => {
    const answers = [];
    for (let nth = 0; nth < 22; nth++)
      answers.push((await signIn(`x${nth}@skerry.example`, "x", "198.51.100.7")).status);
    expect([answers.slice(0, 20).every((status) => status === 401), answers.slice(20)]).toEqual([true, [429, 429]]);
    expect((await signIn("runa.esk@skerry.example", PASSWORD, "198.51.100.8")).status).toBe(200);
  });
});

describe("people", () => {
  const administrator = async () => contextOf((await signIn("runa.esk@skerry.example", PASSWORD, "192.0.2.2")).cookie);

  test("are invited by a link that works once, which no list of mails shows", async () => {
    const runa = await administrator();
    const ina = (await listAccounts(runa)).find(({ name }) => name === "Ina Torvald");
    const told = { personId: ina?.id ?? 0, name: "Ina Torvald", mail: "ina@skerry.example", role: "technician" };
    const invited = value(await invite(runa, told));
    expect(invited.link).toMatch(/^https:\/\/creel\.example\/password\?token=[\w-]{32}$/);
    // Without a mail server the link has to be handed over, and whoever invites is told so.
    expect(invited.isUnsent).toBe(true);
    const mails = readdirSync(join(data, "outbox-personal"));
    expect(readFileSync(join(data, "outbox-personal", mails[0] ?? ""), "utf8")).toContain("Runa Esk invites you");
    expect(readdirSync(data)).not.toContain("outbox");
    expect(await invite(runa, told)).toMatchObject({ problem: { code: "taken", field: "mail address" } });
    expect(await invite(runa, { ...told, role: "owner", mail: "c@skerry.example" })).toMatchObject({
      problem: { code: "invalid" },
    });
    expect((await signIn("ina@skerry.example", PASSWORD, "192.0.2.3")).status).toBe(401);

    const token = tokenOf(invited.link);
    expect((await ask("/reset-password", { token, newPassword: "short" })).body).toMatchObject({
      code: "PASSWORD_TOO_SHORT",
    });
    expect((await ask("/reset-password", { token, newPassword: PASSWORD })).status).toBe(200);
    expect((await ask("/reset-password", { token, newPassword: "another long one" })).status).toBe(400);
    const { cookie } = await signIn("ina@skerry.example", PASSWORD, "192.0.2.3");
    expect(await who(cookie)).toMatchObject({ person: { id: ina?.id, name: "Ina Torvald" }, role: "technician" });
  });

  test("who forgot a password get a link within the hour, and their sessions end", async () => {
    const { cookie } = await signIn("ina@skerry.example", PASSWORD, "192.0.2.4");
    const [known, unknown] = [
      await ask("/request-password-reset", { email: "ina@skerry.example" }, "", "192.0.2.4"),
      await ask("/request-password-reset", { email: "nobody@skerry.example" }, "", "192.0.2.4"),
    ];
    expect([known.status, known.body]).toEqual([unknown.status, unknown.body]);
    const [row] = await inventory.ina.db.select().from(verifications);
    const minutes = ((row?.expiresAt.getTime() ?? 0) - Date.now()) / 60_000;
    expect([minutes > 55, minutes <= 60]).toEqual([true, true]);
    const token = row?.identifier.split(":")[1];
    expect((await ask("/reset-password", { token, newPassword: "the terns of Sandsay" })).status).toBe(200);
    expect(await who(cookie)).toBeNull();
    expect((await signIn("ina@skerry.example", PASSWORD, "192.0.2.5")).status).toBe(401);
    expect((await signIn("ina@skerry.example", "the terns of Sandsay", "192.0.2.5")).status).toBe(200);
  });

  test("are told apart by what they may do, at once; a closed account lets nobody in", async () => {
    const runa = await administrator();
    const { cookie } = await signIn("ina@skerry.example", "the terns of Sandsay", "192.0.2.6");
    const ofIna = async () => (await listAccounts(runa)).find(({ name }) => name === "Ina Torvald")?.account;
    const account = await ofIna();
    if (!account) throw new Error("no account");
    const lead = { role: "lead", isClosed: false };
    expect(value(await changeAccount(runa, account.id, account.version, lead))).toBe(account.version + 1);
    expect(await who(cookie)).toMatchObject({ role: "lead" });
    expect(await changeAccount(runa, account.id, account.version, lead)).toMatchObject({ problem: { code: "stale" } });
    value(await changeAccount(runa, account.id, account.version + 1, { role: "lead", isClosed: true }));
    expect(await who(cookie)).toBeNull();
    expect(await signIn("ina@skerry.example", "the terns of Sandsay", "192.0.2.6")).toMatchObject({
      ...{ status: 403, body: { code: "ACCOUNT_CLOSED" } },
    });
    expect(await inviteAgain(runa, account.id)).toMatchObject({ problem: { code: "not-found" } });
    value(await changeAccount(runa, account.id, account.version + 2, lead));
    expect((await signIn("ina@skerry.example", "the terns of Sandsay", "192.0.2.6")).status).toBe(200);
    expect(await ofIna()).toMatchObject({ role: "lead", isClosed: false, isAccepted: true, sessions: 1 });
  });

  test("cannot be left without an administrator", async () => {
    const runa = await administrator();
    const own = (await listAccounts(runa)).find(({ name }) => name === "Runa Esk")?.account;
    for (const change of [
      { role: "lead", isClosed: false },
      { role: "administrator", isClosed: true },
    ])
      expect(await changeAccount(runa, own?.id ?? "", own?.version ?? 0, change)).toMatchObject({
        problem: { why: { code: "last-administrator" } },
      });
  });

  test("see their own sessions, and end those of their own alone", async () => {
    const runa = await administrator();
    const [one, other] = [
      await signIn("ina@skerry.example", "the terns of Sandsay", "203.0.113.1"),
      await signIn("ina@skerry.example", "the terns of Sandsay", "203.0.113.2"),
    ];
    const ina = await contextOf(one.cookie);
    const own = await ownSessions(ina);
    expect(own.find(({ isThis }) => isThis)).toMatchObject({ from: "203.0.113.1" });
    const second = own.find(({ from }) => from === "203.0.113.2");
    expect(await endOwnSession(runa, second?.id ?? "")).toMatchObject({ problem: { code: "not-found" } });
    value(await endOwnSession(ina, second?.id ?? ""));
    expect([await who(other.cookie), (await who(one.cookie))?.person.name]).toEqual([null, "Ina Torvald"]);
    value(await endSessions(runa, ina.account.accountId));
    expect(await who(one.cookie)).toBeNull();
  });

  test("sign in with a second factor where they turned it on", async () => {
    const { cookie } = await signIn("ina@skerry.example", "the terns of Sandsay", "203.0.113.3");
    const begun = await ask("/two-factor/enable", { password: "the terns of Sandsay" }, cookie);
    const { totpURI, backupCodes } = begun.body as { totpURI: string; backupCodes: string[] };
    const secret = new URL(totpURI).searchParams.get("secret") ?? "";
    expect(await who(cookie)).toMatchObject({ hasSecondFactor: false });
    expect((await ask("/two-factor/verify-totp", { code: "000000" }, cookie)).status).toBe(401);
    const confirmed = await ask("/two-factor/verify-totp", { code: totp(secret) }, cookie);
    expect(confirmed.status).toBe(200);

    const half = await signIn("ina@skerry.example", "the terns of Sandsay", "203.0.113.4");
    expect(half.body).toMatchObject({ twoFactorRedirect: true });
    expect(await who(half.cookie)).toBeNull();
    const { rows } = await listAudit(
      inventory.ina,
      { text: "sign-in 203.0.113.4", isRefused: false },
      { page: 1, rows: 9 },
    );
    expect(rows.map(({ outcome }) => outcome)).toEqual(["second-factor-needed"]);
    expect((await ask("/two-factor/verify-totp", { code: "000000" }, half.cookie, "203.0.113.4")).status).toBe(401);
    const whole = await ask("/two-factor/verify-totp", { code: totp(secret) }, half.cookie, "203.0.113.4");
    expect(await who(whole.cookie)).toMatchObject({ person: { name: "Ina Torvald" }, hasSecondFactor: true });

    const byCode = await signIn("ina@skerry.example", "the terns of Sandsay", "203.0.113.5");
    const code = backupCodes[0];
    const first = await ask("/two-factor/verify-backup-code", { code }, byCode.cookie, "203.0.113.5");
    expect((await who(first.cookie))?.person.name).toBe("Ina Torvald");
    const again = await signIn("ina@skerry.example", "the terns of Sandsay", "203.0.113.6");
    expect((await ask("/two-factor/verify-backup-code", { code }, again.cookie, "203.0.113.6")).status).toBe(401);

    const runa = await administrator();
    value(await removeSecondFactor(runa, (await who(first.cookie))?.accountId ?? ""));
    expect(await who(first.cookie)).toBeNull();
    const plain = await signIn("ina@skerry.example", "the terns of Sandsay", "203.0.113.7");
    expect(await who(plain.cookie)).toMatchObject({ hasSecondFactor: false });
  });
});
