import { inArray, isNull, sql } from "drizzle-orm";
import { LRUCache } from "lru-cache";
import { type StartFacts, startProfile } from "@/core/computer/facts/profile";
import type { Link, Verdict } from "@/core/judging/model/schema";
import { betterStart } from "@/core/judging/pair/match";
import type { Attachment, Views } from "@/core/medium/inspection/schema";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import { inspections, inspectionViews, media } from "../db/schema";

/** How a kind of medium can be attached; null: either way. */
export function attachmentOf(kind: string): Attachment | null {
  return kind === "optical" ? "optical" : kind === "file" ? null : "usb";
}

interface StartVerdict {
  as: Attachment;
  link: Link;
}

/** Ceilings of what is kept in memory: views are some 10 KB each, verdicts 2 KB. */
const VIEWS_KEPT = 4000;
const VERDICTS_KEPT = 50_000;

/** Content-addressed, so nothing here ever goes stale. */
const viewsByKey = new LRUCache<string, Views>({ max: VIEWS_KEPT });
const verdicts = new LRUCache<string, StartVerdict>({ max: VERDICTS_KEPT });

/** What firmware makes of media, by the key of it. */
export async function loadViews(queries: Queries, keys: string[]): Promise<Map<string, Views>> {
  const missing = [...new Set(keys)].filter((key) => !viewsByKey.has(key));
  for (let at = 0; at < missing.length; at += 200) {
    const rows = await queries
      .select()
      .from(inspectionViews)
      .where(inArray(inspectionViews.key, missing.slice(at, at + 200)));
    for (const { key, body } of rows) viewsByKey.set(key, body);
  }
  return new Map(
    keys.flatMap((key): [string, Views][] => {
      const views = viewsByKey.get(key);
      return views ? [[key, views]] : [];
    }),
  );
}

/** A computer's facts about starting, and what they are known by. */
interface StartProfile {
  key: string;
  facts: StartFacts;
}

/** The Starts link of a computer's profile on a medium's views. The views must have been loaded. */
function judged(profile: StartProfile, viewsKey: string, kind: string): StartVerdict {
  const as = attachmentOf(kind);
  const key = `${profile.key} ${viewsKey} ${as}`;
  const keptVerdict = verdicts.get(key);
  if (keptVerdict) return keptVerdict;
  const views = viewsByKey.get(viewsKey);
  if (!views) throw new Error(`The views ${viewsKey} were not loaded.`);
  const { as: attached, starts } = betterStart({ views }, profile.facts, as);
  const verdict = { as: attached, link: starts };
  verdicts.set(key, verdict);
  return verdict;
}

export interface MediumShift {
  tag: string;
  before: Verdict;
  after: Verdict;
}

const SHIFTS_MAX = 50;

/** Media in use whose Starts verdict differs between two profiles of one computer. */
export async function shiftOfMedia(context: Context, was: StartFacts, is: StartFacts): Promise<MediumShift[]> {
  const [before, after] = [was, is].map((facts) => ({ key: startProfile(facts), facts })) as [
    StartProfile,
    StartProfile,
  ];
  if (before.key === after.key) return [];
  const rows = await context.db
    .select({ tag: media.tag, kind: media.kind, viewsKey: inspections.viewsKey })
    .from(media)
    .innerJoin(inspections, sql`${inspections.id} = ${media.inspectionId}`)
    .where(isNull(media.retiredAt))
    .orderBy(media.tag);
  await loadViews(
    context.db,
    rows.map((row) => row.viewsKey),
  );
  return rows
    .map(({ tag, kind, viewsKey }) => ({
      tag,
      before: judged(before, viewsKey, kind).link.verdict,
      after: judged(after, viewsKey, kind).link.verdict,
    }))
    .filter((shift) => shift.before !== shift.after)
    .slice(0, SHIFTS_MAX);
}
