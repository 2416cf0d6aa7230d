import { readdir, readFile, rm } from "node:fs/promises";
import { join } from "node:path";
import { and, desc, eq, inArray } from "drizzle-orm";
import { dayOf } from "@/core/kernel/days";
import type { Context } from "../context";
import { jobs } from "../db/schema";
import type { JobKind, Round } from "../jobs/engine";
import { writeBackup } from "./backup";

const BACKUP_KIND = "backup";
/** Backups that are kept; the oldest go first. */
const KEPT = 14;
/** By the database's clock, UTC. */
const HOUR = 2;
const DAY_MS = 86_400_000;
/** Somebody is told where the latest good one is older. */
const LATE_MS = 2 * DAY_MS;
const FILE = /^creel-\d{4}-\d{2}-\d{2}\.backup$/;

/** Where backups are written each night: CREEL_BACKUP; null: nowhere. */
export const backupFolder = () => process.env.CREEL_BACKUP || null;

/** Once a day, from two o'clock on. */
export const BACKUP_ROUND: Round = {
  kind: BACKUP_KIND,
  next: (now) => {
    const day = dayOf(new Date(now.getTime() - HOUR * 3_600_000));
    return { once: day, dueAt: new Date(Date.parse(`${day}T00:00:00Z`) + HOUR * 3_600_000) };
  },
};

async function passphrase(): Promise<string | null> {
  const path = process.env.CREEL_BACKUP_PASSPHRASE_FILE;
  if (!path) return null;
  const line = (await readFile(path, "utf8")).split(/\r?\n/)[0] ?? "";
  if (line.length < 8) throw new Error("CREEL_BACKUP_PASSPHRASE_FILE holds no passphrase of 8 or more characters.");
  return line;
}

/** Writes the day's backup, and removes those that are too many. One that fails leaves the earlier ones as they are. */
export const backupWork: JobKind = {
  isRepeatable: true,
  slots: 1,
  run: async (work) => {
    const folder = backupFolder();
    const url = process.env.DATABASE_URL;
    if (!folder || !url) return null;
    const { db, now } = work.context;
    const to = join(folder, `creel-${dayOf(now())}.backup`);
    const wish = { to, withLibrary: false, passphrase: await passphrase(), now: now() };
    await writeBackup(db, new URL(url), wish);
    const kept = (await readdir(folder)).filter((name) => FILE.test(name)).sort();
    for (const name of kept.slice(0, -KEPT)) await rm(join(folder, name), { force: true });
    return { file: to };
  },
};

/** What somebody has to be told of the backups: the last one failed, or none was made for too long. */
export interface BackupAlarm {
  /** When the last one was begun that failed; null: it did not fail, it was not made. */
  failedAt: Date | null;
  lastGoodAt: Date | null;
}

/** Null where backups are made as they should be, or nobody asked for them. */
export async function backupAlarm({ db, now }: Context): Promise<BackupAlarm | null> {
  if (!backupFolder()) return null;
  const latest = async (states: ("done" | "failed")[]) => {
    const [row] = await db
      .select({ state: jobs.state, at: jobs.endedAt })
      .from(jobs)
      .where(and(eq(jobs.kind, BACKUP_KIND), inArray(jobs.state, states)))
      .orderBy(desc(jobs.id))
      .limit(1);
    return row ?? null;
  };
  const [last, good] = await Promise.all([latest(["done", "failed"]), latest(["done"])]);
  const lastGoodAt = good?.at ?? null;
  if (last?.state === "failed") return { failedAt: last.at, lastGoodAt };
  // On the first night none is there yet.
  return lastGoodAt && now().getTime() - lastGoodAt.getTime() > LATE_MS ? { failedAt: null, lastGoodAt } : null;
}
