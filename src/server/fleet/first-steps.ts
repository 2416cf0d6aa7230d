import { isNull } from "drizzle-orm";
import type { Context } from "../context";
import { computers, media, releases, sites } from "../db/schema";

/** What an inventory has of what everything else stands on. */
export interface FirstSteps {
  site: boolean;
  computer: boolean;
  release: boolean;
  medium: boolean;
}

/** Which of the first things there are; each is asked for one row. */
export async function firstSteps({ db }: Context): Promise<FirstSteps> {
  const [site, computer, release, medium] = await Promise.all([
    db.select({ id: sites.id }).from(sites).limit(1),
    db.select({ id: computers.id }).from(computers).where(isNull(computers.retiredAt)).limit(1),
    db.select({ id: releases.id }).from(releases).limit(1),
    db.select({ id: media.id }).from(media).where(isNull(media.retiredAt)).limit(1),
  ]);
  const has = (rows: readonly unknown[]) => rows.length > 0;
  return { site: has(site), computer: has(computer), release: has(release), medium: has(medium) };
}
