import { asc, eq, sql } from "drizzle-orm";
import type { Context } from "../context";
import type { BenchHostId } from "../db/ids";
import { benchHosts, tokens } from "../db/schema";
import { DATABASE_NOW } from "../jobs/jobs";

/** A host that was heard of within so many seconds has its devices still. */
export const HOST_THERE_SECONDS = 12;

export interface HostItem {
  id: BenchHostId;
  name: string;
  system: string;
  version: string;
  seenAt: Date;
  /** Whether it was heard of within the last seconds. */
  isThere: boolean;
  /** Of the token that it comes with. */
  tokenId: number;
}

const isThere = sql<number>`${benchHosts.seenAt} > ${DATABASE_NOW} - INTERVAL ${HOST_THERE_SECONDS} SECOND`;

/** All hosts, by name. */
export async function listHosts({ db, now }: Pick<Context, "db" | "now">): Promise<HostItem[]> {
  const rows = await db
    .select({ host: benchHosts, isThere, endedAt: tokens.endedAt, expiresAt: tokens.expiresAt })
    .from(benchHosts)
    .innerJoin(tokens, eq(tokens.id, benchHosts.tokenId))
    .orderBy(asc(benchHosts.name));
  return rows.map(({ host: { id, name, system, version, seenAt, tokenId }, isThere: there, endedAt, expiresAt }) => {
    const isOver = endedAt !== null || (expiresAt !== null && expiresAt <= now());
    return { id, name, system, version, seenAt, isThere: Boolean(Number(there)) && !isOver, tokenId };
  });
}
