import { spawnSync } from "node:child_process";
import { createHash } from "node:crypto";
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { sql } from "drizzle-orm";
import { checksums, testInventory, value } from "../../../test/support/database";
import { connect, type Database } from "../db/client";
import { people, sessions } from "../db/schema";
import { addSite } from "../inventory/sites";
import { addMedium } from "../media/media";
import { readArchive } from "./archive";
import { readBackup, restoreBackup, writeBackup } from "./backup";
import type { BackupFailed } from "./client-tools";

const inventory = testInventory();
const folder = mkdtempSync(join(tmpdir(), "creel-backup-"));
const before = process.env.CREEL_DATA;
const data = (name: string) => {
  process.env.CREEL_DATA = join(folder, name);
};
let target: { db: Database; url: URL };
const KNOWN = 1_000;
const wish = { withLibrary: true, passphrase: null, now: new Date("2026-03-01T08:00:00Z") };
const file = (name: string) => join(folder, name);

beforeAll(async () => {
  data("first");
  mkdirSync(join(folder, "first", "library", "carry"), { recursive: true });
  writeFileSync(join(folder, "first", "library", "bollard.iso"), Buffer.alloc(3_000_000, "bollard"));
  writeFileSync(join(folder, "first", "library", "carry", "empty.txt"), "");
  const medium = { name: "Kiste № 1 😀", kind: "usb", capacityBytes: null, lentTo: null, note: null, releaseIds: [] };
  const siteId = value(await addSite(inventory.ina, { name: "Head office" }));
  value(await addMedium(inventory.ina, { ...medium, tag: "RM-01", siteId }, null));
  await emptyTarget();
});

/** A database to restore into, with nothing in it. */
async function emptyTarget(): Promise<void> {
  await target?.db.$client.end();
  const url = new URL(inventory.url);
  url.pathname = `${url.pathname}_restored`;
  const name = url.pathname.slice(1);
  await inventory.ina.db.execute(sql.raw(`DROP DATABASE IF EXISTS ${name}`));
  await inventory.ina.db.execute(sql.raw(`CREATE DATABASE ${name} CHARACTER SET utf8mb4`));
  target = { db: connect(url.toString()), url };
}
afterAll(async () => {
  await target.db.execute(sql.raw(`DROP DATABASE ${target.url.pathname.slice(1)}`));
  await target.db.$client.end();
  if (before === undefined) delete process.env.CREEL_DATA;
  else process.env.CREEL_DATA = before;
  rmSync(folder, { recursive: true, force: true });
});

const failure = (doing: Promise<unknown>) =>
  doing.then(
    () => "done",
    (error: BackupFailed) => error.why,
  );
const emptied = async () => {
  const [rows] = (await target.db.execute(sql`SHOW TABLES`)) as unknown as [unknown[]];
  return rows.length === 0;
};
const restore = (name: string, passphrase: string | null = null) =>
  restoreBackup(target.db, target.url, { from: file(name), passphrase, known: KNOWN });

test("what was backed up is restored to the last row and byte, on another machine", async () => {
  const own = new URL(inventory.url);
  const about = await writeBackup(inventory.ina.db, own, { ...wish, to: file("whole") });
  expect(about.library).toEqual([
    { path: "bollard.iso", bytes: 3_000_000, isIn: true },
    { path: "carry/empty.txt", bytes: 0, isIn: true },
  ]);
  data("second");
  expect(await restore("whole")).toEqual({ about, missing: [] });
  expect(await checksums(target.db, [])).toEqual(await checksums(inventory.ina.db, []));
  const [one, other] = ["first", "second"].map((name) => readFileSync(join(folder, name, "library", "bollard.iso")));
  expect(one?.equals(other ?? Buffer.alloc(0))).toBe(true);
  // Into what has something in it nothing is restored.
  expect(await failure(restore("whole"))).toEqual({ code: "not-empty" });
});

test("any tar reads it, and any sha256sum verifies it", async () => {
  const out = join(folder, "by-tar");
  mkdirSync(out);
  expect(spawnSync("tar", ["xf", file("whole"), "-C", out]).status).toBe(0);
  expect(spawnSync("sha256sum", ["--check", "--strict", "--quiet", "SHA256SUMS"], { cwd: out }).status).toBe(0);
  expect(JSON.parse(readFileSync(join(out, "creel-backup.json"), "utf8"))).toMatchObject({ schema: "creel.backup/1" });
});

test("whoever was signed in is not in it, and no password on any command line", async () => {
  const { ina } = inventory;
  await ina.db.execute(
    sql`INSERT INTO accounts (id, name, email, person_id, role) VALUES ('a', 'Ina', 'ina@x.example', 1, 'lead')`,
  );
  await ina.db.insert(sessions).values({ id: "s", userId: "a", token: "a-secret-token", expiresAt: new Date() });
  data("first");
  await writeBackup(ina.db, new URL(inventory.url), { ...wish, to: file("signed-in") });
  const dumped = spawnSync("sh", ["-c", `tar xOf ${file("signed-in")} database.sql.gz | gzip -dc`], {
    encoding: "utf8",
  });
  expect(dumped.stdout).toContain("ina@x.example");
  expect(dumped.stdout).not.toContain("a-secret-token");
  await ina.db.delete(sessions);
});

test("the library may be left out: its files are named, to be put there", async () => {
  await emptyTarget();
  data("first");
  await writeBackup(inventory.ina.db, new URL(inventory.url), { ...wish, withLibrary: false, to: file("lean") });
  data("third");
  expect((await restore("lean")).missing).toEqual(["bollard.iso", "carry/empty.txt"]);
  expect(await target.db.$count(people)).toBe(2);
});

describe("what is not as it was written restores nothing", () => {
  beforeAll(async () => {
    await emptyTarget();
    data("fourth");
  });
  const whole = () => readFileSync(file("whole"));

  test.each([0.02, 0.1, 0.5, 0.9, 0.999])("cut off at %d of it", async (share) => {
    writeFileSync(file("cut"), whole().subarray(0, Math.floor(whole().length * share)));
    expect(await failure(restore("cut"))).toMatchObject({ code: expect.stringMatching(/^(damaged|not-a-backup)$/) });
    expect(await emptied()).toBe(true);
  });

  test("a bit that flipped anywhere in a part, told by its name", async () => {
    for (const [at, part] of [
      [whole().indexOf("creel.backup/1") + 3, "creel-backup.json"],
      [whole().indexOf(Buffer.from([0x1f, 0x8b, 0x08])) + 900, "database.sql.gz"],
      [whole().indexOf("bollardbollard") + 1_000_000, "library/bollard.iso"],
    ] as const) {
      const bytes = whole();
      bytes[at] = (bytes[at] ?? 0) ^ 1;
      writeFileSync(file("flipped"), bytes);
      expect(await failure(restore("flipped"))).toEqual({ code: "damaged", part });
    }
    expect(await emptied()).toBe(true);
  });

  test("another file, an empty one, one of a newer Creel, one that leads out of its folder", async () => {
    writeFileSync(file("other"), Buffer.alloc(20_000, "no tar"));
    writeFileSync(file("nothing"), "");
    expect(await failure(restore("other"))).toEqual({ code: "not-a-backup" });
    expect(await failure(restore("nothing"))).toEqual({ code: "not-a-backup" });
    const newer = restoreBackup(target.db, target.url, { from: file("whole"), passphrase: null, known: 1 });
    expect(await failure(newer)).toMatchObject({ code: "newer" });
    const evil = mkdtempSync(join(folder, "evil-"));
    const about = JSON.stringify({ ...(await readBackup(file("lean"), null)), library: [] });
    const parts = { "creel-backup.json": about, "database.sql.gz": "x", "../../evil": "y" };
    const pack = (await import("tar-stream")).pack();
    const sums = Object.entries(parts).map(([name, text]) => {
      pack.entry({ name }, text);
      return `${createHash("sha256").update(text).digest("hex")}  ${name}\n`;
    });
    pack.entry({ name: "SHA256SUMS" }, sums.join(""));
    pack.finalize();
    const bytes: Uint8Array[] = [];
    for await (const chunk of pack) bytes.push(chunk as Uint8Array);
    writeFileSync(join(evil, "backup"), Buffer.concat(bytes));
    const from = join(evil, "backup");
    expect(await failure(restoreBackup(target.db, target.url, { from, passphrase: null, known: KNOWN }))).toEqual({
      ...{ code: "damaged", part: "../../evil" },
    });
    expect(await emptied()).toBe(true);
  });

  test("SQL that the database does not take", async () => {
    const sums = await readArchive(file("whole"), null, () => null);
    expect([...sums.sizes.keys()]).toContain("database.sql.gz");
    const { writeArchive } = await import("./archive");
    writeFileSync(file("bad.sql"), "CREATE TABLE a (id INT);\nNO SUCH STATEMENT;\n");
    expect(spawnSync("gzip", ["-kf", file("bad.sql")]).status).toBe(0);
    const about = JSON.stringify({ ...(await readBackup(file("lean"), null)), library: [] });
    const parts = [
      { name: "creel-backup.json", text: about },
      { name: "database.sql.gz", path: file("bad.sql.gz") },
    ];
    await writeArchive(file("bad"), parts, null);
    expect(await failure(restore("bad"))).toMatchObject({ code: "tool-failed", tool: "mariadb" });
    expect(await emptied()).toBe(true);
  });
});

test("with a passphrase nobody reads it without, and age itself opens it", async () => {
  data("first");
  const passphrase = "the gulls of Sandsay";
  await writeBackup(inventory.ina.db, new URL(inventory.url), { ...wish, passphrase, to: file("sealed") });
  expect(readFileSync(file("sealed")).includes("creel-backup.json")).toBe(false);
  expect(await failure(readBackup(file("sealed"), null))).toEqual({ code: "encrypted" });
  expect(await failure(readBackup(file("sealed"), "the gulls of Harrick"))).toEqual({ code: "wrong-passphrase" });
  const about = await readBackup(file("sealed"), passphrase);
  expect(about.library).toHaveLength(2);
  // age asks at a terminal alone: script(1) is one.
  const opened = spawnSync("script", ["-qec", `age -d -o ${file("opened")} ${file("sealed")}`, "/dev/null"], {
    input: `${passphrase}\n`,
  });
  expect(opened.status).toBe(0);
  expect(await readBackup(file("opened"), null)).toEqual(about);
  const bytes = readFileSync(file("sealed"));
  bytes[bytes.length >> 1] = (bytes[bytes.length >> 1] ?? 0) ^ 1;
  writeFileSync(file("sealed-flipped"), bytes);
  expect(await failure(readBackup(file("sealed-flipped"), passphrase))).toMatchObject({ code: "damaged" });
});

test("a backup that cannot be written leaves nothing behind", async () => {
  data("first");
  const url = new URL(inventory.url);
  url.password = "wrong";
  const wrong = writeBackup(inventory.ina.db, url, { ...wish, to: file("never") });
  expect(await failure(wrong)).toMatchObject({ code: "tool-failed", tool: "mariadb-dump" });
  const left = spawnSync("find", [folder, "-name", ".creel-backup-*", "-o", "-name", "never"], { encoding: "utf8" });
  expect(left.stdout).toBe("");
});
