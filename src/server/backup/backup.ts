import { createWriteStream } from "node:fs";
import { mkdir, mkdtemp, readdir, rename, rm, stat } from "node:fs/promises";
import { dirname, join } from "node:path";
import { sql } from "drizzle-orm";
import { z } from "zod";
import type { Database } from "../db/client";
import { organisations, people } from "../db/schema";
import { dataFolder, libraryFolder } from "../host/folders";
import { type Part, readArchive, writeArchive } from "./archive";
import { BackupFailed, dump, load } from "./client-tools";

/** `creel.backup/1`: what a backup says of itself. */
const aboutSchema = z.object({
  schema: z.literal("creel.backup/1"),
  madeAt: z.iso.datetime(),
  organisation: z.string().nullable(),
  /** How many steps its database's schema has: an older Creel cannot read what it does not know. */
  migrations: z.number().int().min(0),
  /** Files of the library, by their paths below it, and whether they are in the backup. */
  library: z.array(z.object({ path: z.string(), bytes: z.number().int().min(0), isIn: z.boolean() })),
});
export type BackupAbout = z.infer<typeof aboutSchema>;

const [ABOUT, DATABASE] = ["creel-backup.json", "database.sql.gz"];
/** Folders of the server whose files belong to what the database says; small ones. */
const FOLDERS = ["packs"];
const LIBRARY = "library/";

/** Every file below a folder, by its path below it, in the order of names. Links lead elsewhere and are left out. */
async function filesBelow(folder: string, before = ""): Promise<string[]> {
  const entries = await readdir(join(folder, before), { withFileTypes: true }).catch(() => []);
  const found: string[] = [];
  for (const entry of entries.sort((a, b) => (a.name < b.name ? -1 : 1))) {
    const path = before ? `${before}/${entry.name}` : entry.name;
    if (entry.isDirectory()) found.push(...(await filesBelow(folder, path)));
    else if (entry.isFile()) found.push(path);
  }
  return found;
}

/** How many steps the schema of a database has; 0 where it has none. */
async function migrationsOf(db: Database): Promise<number> {
  try {
    const [rows] = (await db.execute(sql`SELECT COUNT(*) AS steps FROM __drizzle_migrations`)) as unknown as [
      { steps: number }[],
    ];
    return Number(rows[0]?.steps ?? 0);
  } catch {
    return 0;
  }
}

export interface BackupWish {
  /** The file that is written; it is there whole, or not at all. */
  to: string;
  /** The files of releases too, not only their names. */
  withLibrary: boolean;
  passphrase: string | null;
  now: Date;
}

/** Writes the whole inventory into one file while it is in use. Gives what it says of itself. */
export async function writeBackup(
  db: Database,
  url: URL,
  { to, withLibrary, passphrase, now }: BackupWish,
): Promise<BackupAbout> {
  await mkdir(dirname(to), { recursive: true });
  const folder = await mkdtemp(join(dirname(to), ".creel-backup-"));
  try {
    await dump(url, join(folder, DATABASE));
    const [own] = await db.select({ name: organisations.name }).from(organisations).limit(1);
    const library = [];
    for (const path of await filesBelow(libraryFolder()))
      library.push({ path, bytes: (await stat(join(libraryFolder(), path))).size, isIn: withLibrary });
    const about: BackupAbout = {
      schema: "creel.backup/1",
      madeAt: now.toISOString(),
      organisation: own?.name ?? null,
      migrations: await migrationsOf(db),
      library,
    };
    const parts: Part[] = [
      { name: ABOUT, text: `${JSON.stringify(about, null, 2)}\n` },
      { name: DATABASE, path: join(folder, DATABASE) },
    ];
    for (const name of FOLDERS)
      for (const path of await filesBelow(join(dataFolder(), name)))
        parts.push({ name: `${name}/${path}`, path: join(dataFolder(), name, path) });
    if (withLibrary)
      for (const { path } of library) parts.push({ name: LIBRARY + path, path: join(libraryFolder(), path) });
    await writeArchive(join(folder, "backup"), parts, passphrase);
    await rename(join(folder, "backup"), to);
    return about;
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

/** What a backup says of itself, where all of it is as it was written. */
export async function readBackup(from: string, passphrase: string | null): Promise<BackupAbout> {
  const { texts, sizes } = await readArchive(from, passphrase, (name) => (name === ABOUT ? "text" : null));
  const parsed = aboutSchema.safeParse(jsonOf(texts.get(ABOUT)));
  if (!parsed.success || !sizes.has(DATABASE)) throw new BackupFailed({ code: "not-a-backup" });
  return parsed.data;
}

function jsonOf(text: string | undefined): unknown {
  try {
    return JSON.parse(text ?? "");
  } catch {
    return null;
  }
}

/** A path out of a backup that stays below where it is put. */
function isBelow(path: string): boolean {
  return path.split("/").every((name) => name !== "" && name !== "." && name !== "..") && !/[\\\0]/.test(path);
}

/** Whether nothing was recorded in a database: it may be brought to another state. */
async function isEmpty(db: Database): Promise<boolean> {
  if ((await migrationsOf(db)) === 0) return true;
  return (await db.$count(people)) === 0;
}

async function dropTables(db: Database): Promise<void> {
  const [rows] = (await db.execute(sql`SHOW TABLES`)) as unknown as [Record<string, string>[]];
  const names = rows.flatMap((row) => Object.values(row));
  if (names.length === 0) return;
  const connection = await db.$client.getConnection();
  try {
    await connection.query("SET FOREIGN_KEY_CHECKS = 0");
    await connection.query(`DROP TABLE ${names.map((name) => `\`${name}\``).join(", ")}`);
  } finally {
    await connection.query("SET FOREIGN_KEY_CHECKS = 1").catch(() => {});
    connection.release();
  }
}

export interface Restored {
  about: BackupAbout;
  /** Files of releases that the database speaks of and that were not in the backup. */
  missing: string[];
}

/**
 * Brings a backup into a Creel in which nothing is recorded. The whole of it is held against its checksums before anything
 * is written; what fails then leaves the database empty. `known`: how many steps of the schema this version has; older
 * databases are brought to it by whoever calls.
 */
export async function restoreBackup(
  db: Database,
  url: URL,
  { from, passphrase, known }: { from: string; passphrase: string | null; known: number },
): Promise<Restored> {
  if (!(await isEmpty(db))) throw new BackupFailed({ code: "not-empty" });
  const about = await readBackup(from, passphrase);
  if (about.migrations > known) throw new BackupFailed({ code: "newer", version: about.migrations });
  await mkdir(dataFolder(), { recursive: true });
  const folder = await mkdtemp(join(dataFolder(), ".creel-restore-"));
  try {
    const kept: string[] = [];
    await readArchive(from, passphrase, (name) => {
      if (name === ABOUT) return "text";
      if (!isBelow(name)) throw new BackupFailed({ code: "damaged", part: name });
      const path = join(folder, name.replaceAll("/", "\u0001"));
      kept.push(name);
      return createWriteStream(path, { flags: "wx", mode: 0o600 });
    });
    await dropTables(db);
    try {
      await load(url, join(folder, DATABASE));
    } catch (error) {
      await dropTables(db);
      throw error;
    }
    for (const name of kept.filter((each) => each !== DATABASE)) {
      const to = join(dataFolder(), name);
      await mkdir(dirname(to), { recursive: true });
      await rename(join(folder, name.replaceAll("/", "\u0001")), to);
    }
    return { about, missing: about.library.filter(({ isIn }) => !isIn).map(({ path }) => path) };
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}
