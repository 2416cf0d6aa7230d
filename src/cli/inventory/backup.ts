import { readFileSync } from "node:fs";
import { readFile } from "node:fs/promises";
import { join } from "node:path";
import { binaryText } from "@/core/words/sizes";
import { visible } from "@/core/words/visible";
import { restoreBackup, writeBackup } from "@/server/backup/backup";
import { BackupFailed } from "@/server/backup/client-tools";
import { connect } from "@/server/db/client";
import { migrateDatabase } from "@/server/db/migrate";
import { fileProblem, UsageError } from "../problems";
import { databaseUrl } from "./inventory";

/** Why a backup was not written or restored, within a sentence. */
function failureText({ why }: BackupFailed): string {
  switch (why.code) {
    case "tool-missing":
      return `${why.tool} is missing. Install Debian's mariadb-client`;
    case "tool-failed":
      return `${why.tool} failed: ${why.told}`;
    case "not-empty":
      return "something is recorded in this inventory. Restore into an empty one: name another database in DATABASE_URL";
    case "not-a-backup":
      return "not a backup of Creel, or cut off near its start";
    case "damaged":
      return `damaged at ${visible(why.part)}. Nothing was restored; use another backup`;
    case "newer":
      return "made by a newer Creel. Update this one first";
    case "encrypted":
      return "encrypted. Name a file with its passphrase: --passphrase-file FILE";
    case "wrong-passphrase":
      return "wrong passphrase";
  }
}

async function told<T>(path: string, doing: Promise<T>): Promise<T> {
  try {
    return await doing;
  } catch (error) {
    if (error instanceof BackupFailed) throw new UsageError(`${visible(path)}: ${failureText(error)}`);
    if (error instanceof Error && "code" in error && "syscall" in error)
      throw new UsageError(`${visible(path)}: ${fileProblem(error)}`);
    throw error;
  }
}

/** The first line of a file: a passphrase on a command line would be seen by everybody on the machine. */
async function passphraseIn(path: string | undefined): Promise<string | null> {
  if (path === undefined) return null;
  const text = await readFile(path, "utf8").catch((error: unknown) => {
    throw new UsageError(`${visible(path)}: ${fileProblem(error)}`);
  });
  const line = text.split(/\r?\n/)[0] ?? "";
  if (line.length < 8) throw new UsageError(`${visible(path)}: a passphrase has at least 8 characters`);
  return line;
}

/** Steps of the schema that this version knows. */
function knownMigrations(): number {
  const folder = process.env.CREEL_MIGRATIONS ?? "";
  return JSON.parse(readFileSync(join(folder, "meta", "_journal.json"), "utf8")).entries.length;
}

export async function runBackup(
  file: string,
  { library = false, passphraseFile }: { library?: boolean; passphraseFile?: string },
): Promise<void> {
  const url = databaseUrl();
  const passphrase = await passphraseIn(passphraseFile);
  const db = connect(url);
  try {
    const wish = { to: file, withLibrary: library, passphrase, now: new Date() };
    const about = await told(file, writeBackup(db, new URL(url), wish));
    const bytes = about.library.reduce((sum, each) => sum + each.bytes, 0);
    const files = `${about.library.length} files of releases (${binaryText(bytes)})`;
    process.stdout.write(`${visible(file)}: the database, ${files} ${library ? "with it" : "by name only"}.\n`);
  } finally {
    await db.$client.end();
  }
}

export async function runRestore(file: string, { passphraseFile }: { passphraseFile?: string }): Promise<void> {
  const url = databaseUrl();
  const passphrase = await passphraseIn(passphraseFile);
  const db = connect(url);
  try {
    const wish = { from: file, passphrase, known: knownMigrations() };
    const { about, missing } = await told(file, restoreBackup(db, new URL(url), wish));
    await migrateDatabase(db, process.env.CREEL_MIGRATIONS);
    process.stdout.write(`Restored as of ${about.madeAt.slice(0, 16).replace("T", " ")} UTC.\n`);
    for (const path of missing)
      process.stdout.write(`The file ${visible(path)} is not in the backup: put it into the library.\n`);
  } finally {
    await db.$client.end();
  }
}
