// Checks what a server is started with, and brings its database to the schema of this version; its rows stay. Where
// another account owns the database (DATABASE_OWNER_URL), the one that the server runs by is given its rights. Where nobody
// has an account, whoever knows CREEL_SET_UP_CODE may set Creel up from now on: it ends with 3 then, otherwise with 0.
// Usage: DATABASE_URL=… [DATABASE_OWNER_URL=…] [CREEL_SET_UP_CODE=…] tsx scripts/prepare-database.mts
import { allowSetUp, isNew } from "@/server/accounts/set-up";
import type { Database } from "@/server/db/client";
import { environmentFaults } from "@/server/host/environment";
import { preparedDatabase } from "./lib/prepared";

const NEW = 3;
const faults = environmentFaults(process.env);
if (faults.length > 0) {
  for (const fault of faults) process.stderr.write(`creel: ${fault}\n`);
  process.exit(1);
}
let db: Database | null = null;
try {
  db = await preparedDatabase();
  const code = process.env.CREEL_SET_UP_CODE;
  if (code && (await isNew(db))) {
    await allowSetUp(db, code, new Date());
    process.exitCode = NEW;
  }
} catch (error) {
  const cause = error instanceof Error && error.cause instanceof Error ? error.cause : error;
  process.stderr.write(`creel: The database could not be used: ${cause instanceof Error ? cause.message : cause}\n`);
  process.exitCode = 1;
} finally {
  await db?.$client.end();
}
