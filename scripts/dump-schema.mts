// Writes the schema that the migrations make, as statements of one dump, for databases of the tests.
// Usage: DATABASE_URL=… tsx scripts/dump-schema.mts FILE
import { spawnSync } from "node:child_process";
import { writeFileSync } from "node:fs";
import { sql } from "drizzle-orm";
import { connect } from "../src/server/db/client";
import { migrateDatabase } from "../src/server/db/migrate";

const NAME = "creel_template";
const url = new URL(process.env.DATABASE_URL as string);
const admin = connect(url.toString());
await admin.execute(sql.raw(`CREATE DATABASE ${NAME} CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci`));
url.pathname = `/${NAME}`;
const db = connect(url.toString());
await migrateDatabase(db, "src/server/db/migrations");
await db.$client.end();
const { hostname, port, username, password } = url;
const given = ["--no-defaults", `-h${hostname}`, `-P${port || "3306"}`, `-u${decodeURIComponent(username)}`];
const dump = spawnSync("mariadb-dump", [...given, "--skip-comments", "--skip-lock-tables", "--no-tablespaces", NAME], {
  env: { ...process.env, MYSQL_PWD: decodeURIComponent(password) },
  encoding: "utf8",
  maxBuffer: 2 ** 26,
});
if (dump.status !== 0) throw new Error(dump.stderr);
// A dump of a MariaDB begins with a line that only its own client reads.
writeFileSync(process.argv[2] as string, dump.stdout.replace(/^\/\*!?M?!?999999.*\n/, ""));
await admin.execute(sql.raw(`DROP DATABASE ${NAME}`));
await admin.$client.end();
