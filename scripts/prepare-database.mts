// Checks what a server is started with, and brings its database to the schema of this version; its rows stay.
// Usage: DATABASE_URL=… tsx scripts/prepare-database.mts
import { connect } from "@/server/db/client";
import { migrateDatabase } from "@/server/db/migrate";
import { environmentFaults } from "@/server/host/environment";

const faults = environmentFaults(process.env);
if (faults.length > 0) {
  for (const fault of faults) process.stderr.write(`creel: ${fault}\n`);
  process.exit(1);
}
const db = connect(process.env.DATABASE_URL as string);
try {
  await migrateDatabase(db);
} catch (error) {
  const cause = error instanceof Error && error.cause instanceof Error ? error.cause : error;
  process.stderr.write(`creel: The database could not be used: ${cause instanceof Error ? cause.message : cause}\n`);
  process.exitCode = 1;
} finally {
  await db.$client.end();
}
