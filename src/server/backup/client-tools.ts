import { spawn } from "node:child_process";
import { createReadStream, createWriteStream } from "node:fs";
import { mkdtemp, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { pipeline } from "node:stream/promises";
import { createGunzip, createGzip } from "node:zlib";

/** Why a backup is not written, or not restored: a code with its facts. */
export class BackupFailed extends Error {
  constructor(
    readonly why:
      | { code: "tool-missing"; tool: string }
      | { code: "tool-failed"; tool: string; told: string }
      | { code: "not-empty" }
      | { code: "not-a-backup" }
      | { code: "damaged"; part: string }
      | { code: "newer"; version: number }
      | { code: "encrypted" }
      | { code: "wrong-passphrase" },
  ) {
    super(why.code);
  }
}

/** What its tables hold is of no use to whoever restores them: who was signed in, and what was being computed. */
const LEFT_OUT = ["sessions", "verifications", "attempts", "fleet_answers"];

/** Options for MariaDB's programs in a file that nobody else reads: a password on a command line is seen by all. */
async function withOptions<T>(url: URL, use: (options: string, database: string) => Promise<T>): Promise<T> {
  const folder = await mkdtemp(join(tmpdir(), "creel-backup-"));
  const quoted = (value: string) => `"${decodeURIComponent(value).replace(/[\\"]/g, "\\$&")}"`;
  const lines = [
    "[client]",
    ...[`host=${quoted(url.hostname)}`, `port=${url.port || 3306}`, `user=${quoted(url.username)}`],
    ...[`password=${quoted(url.password)}`, "disable-ssl-verify-server-cert"],
  ];
  try {
    await writeFile(join(folder, "options"), `${lines.join("\n")}\n`, { mode: 0o600 });
    return await use(join(folder, "options"), decodeURIComponent(url.pathname.slice(1)));
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

/** Starts one of MariaDB's programs; `ended` fails with what it said last. */
function start(tool: string, args: string[]) {
  const child = spawn(tool, args, { stdio: ["pipe", "pipe", "pipe"] });
  let told = "";
  child.stderr.on("data", (data) => {
    told = (told + data).slice(-2_000);
  });
  const ended = new Promise<void>((resolve, reject) => {
    child.once("error", () => reject(new BackupFailed({ code: "tool-missing", tool })));
    child.once("close", (status) => {
      const last = told.trim().split("\n").at(-1) ?? "";
      if (status === 0) resolve();
      else reject(new BackupFailed({ code: "tool-failed", tool, told: last }));
    });
  });
  return { child, ended };
}

/** Writes a database as SQL, compressed, as it is at one moment, while others go on writing to it. */
export async function dump(url: URL, to: string): Promise<void> {
  await withOptions(url, async (options, database) => {
    const { child, ended } = start("mariadb-dump", [
      ...[`--defaults-extra-file=${options}`, "--single-transaction", "--quick", "--hex-blob", "--skip-comments"],
      ...["--no-tablespaces", "--default-character-set=utf8mb4", "--max-allowed-packet=512M"],
      ...LEFT_OUT.map((table) => `--ignore-table-data=${database}.${table}`),
      database,
    ]);
    child.stdin.end();
    await Promise.all([ended, pipeline(child.stdout, createGzip(), createWriteStream(to, { mode: 0o600 }))]);
  });
}

/** Runs compressed SQL on a database. */
export async function load(url: URL, from: string): Promise<void> {
  await withOptions(url, async (options, database) => {
    const { child, ended } = start("mariadb", [
      ...[`--defaults-extra-file=${options}`, "--default-character-set=utf8mb4", "--max-allowed-packet=512M"],
      ...["--batch", database],
    ]);
    child.stdout.resume();
    // Where it ends early, it says why; that the pipe broke is no news.
    const fed = pipeline(createReadStream(from), createGunzip(), child.stdin).catch((error: unknown) => {
      if (!(error instanceof Error && "code" in error && error.code === "EPIPE")) throw error;
    });
    await Promise.all([ended, fed]);
  });
}
