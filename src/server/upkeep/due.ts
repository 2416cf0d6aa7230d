import { Lapses } from "@/core/cover/lapses";
import { surroundingsOf } from "@/core/fleet/judge";
import { dayOf } from "@/core/kernel/days";
import { DUE_KINDS, type DueItem, type DueKind, rankDue } from "@/core/upkeep/due";
import { type ProofInput, proofDue } from "@/core/upkeep/proof-due";
import type { Context } from "../context";
import { type Covered, covered, standings } from "../cover/standings";
import { asked } from "../fleet/asked";
import type { Result } from "../problems";
import {
  ended,
  facts,
  fullStores,
  images,
  loansOverdue,
  onMedia,
  places,
  plannedDrills,
  secureBootChanged,
} from "./due-sources";
import { openSnoozes, type SnoozeRow, snoozeDue } from "./snoozes";

/** The fleet's proofs as upkeep looks at them. */
export function proofInput(cover: Covered): ProofInput {
  const { chains } = cover;
  const { world } = chains;
  const policyFor = world.policyFor ?? (() => world.policy);
  const around = surroundingsOf(world);
  return {
    ...{ computers: chains.computers, media: chains.media, standings: standings(cover), today: world.today },
    ...{ policyFor, drillsOf: around.drillsOf },
    lapses: new Lapses({ drills: world.drills, policyFor, today: world.today }),
  };
}

/** Everything that is due, by consequence; what was put off is among it. */
export const everythingDue = asked("everything-due", async (context: Context): Promise<DueItem[]> => {
  const cover = await covered(context);
  const { today } = cover.chains.world;
  const parts = await Promise.all([
    plannedDrills(context, cover, today),
    secureBootChanged(context, cover),
    images(context, cover),
    onMedia(context, cover, today),
    fullStores(context, today),
    ended(context, today),
    loansOverdue(context),
    facts(context, cover, today),
    places(context, cover, today),
  ]);
  return rankDue(merged([...proofDue(proofInput(cover)), ...parts.flat()]), today);
});

/** What is due twice, by its age and by something else, is due once: with all that is said, and what breaks. */
function merged(items: readonly DueItem[]): DueItem[] {
  const byKey = new Map<string, DueItem>();
  for (const item of items) {
    const listed = byKey.get(item.key);
    if (!listed) byKey.set(item.key, item);
    else byKey.set(item.key, { ...listed, reason: item.reason, breaksOn: listed.breaksOn ?? item.breaksOn });
  }
  return [...byKey.values()];
}

/** What breaks first of the fleet's proofs, if something does within the days that are looked ahead. */
export const firstBreak = asked("first-break", async (context: Context): Promise<DueItem | null> => {
  const input = proofInput(await covered(context));
  const [first] = rankDue(proofDue(input), input.today);
  const isAhead = first && first.loses.count > 0 && first.breaksOn !== null && first.breaksOn > input.today;
  return isAhead ? first : null;
});

export interface DueFilter {
  kind: DueKind | null;
  site: string | null;
  page: number;
}

export interface DueView {
  items: DueItem[];
  total: number;
  page: number;
  pages: number;
  /** How many of each kind, over all places or the one that is asked for. */
  kinds: { kind: DueKind; count: number }[];
  sites: string[];
  /** What was put off and is still due: it does not disappear unseen. */
  putOff: { item: DueItem; snooze: SnoozeRow }[];
  today: string;
}

const PAGE = 60;

/** What is due, by consequence; apart from it what was put off. */
export const dueView = asked("due", async (context: Context, filter: DueFilter): Promise<DueView> => {
  const today = dayOf(context.now());
  const [all, snoozed] = await Promise.all([everythingDue(context), openSnoozes(context, today)]);
  const byKey = new Map(snoozed.map((row) => [row.dueKey, row]));
  const here = all.filter(({ site }) => filter.site === null || site === filter.site);
  const open = here.filter(({ key }) => !byKey.has(key));
  const shown = open.filter(({ kind }) => filter.kind === null || kind === filter.kind);
  const pages = Math.max(1, Math.ceil(shown.length / PAGE));
  const page = Math.min(filter.page, pages);
  return {
    items: shown.slice((page - 1) * PAGE, page * PAGE),
    total: shown.length,
    ...{ page, pages, today },
    kinds: DUE_KINDS.flatMap((kind) => {
      const count = open.filter((each) => each.kind === kind).length;
      return count > 0 ? [{ kind, count }] : [];
    }),
    sites: [...new Set(all.flatMap(({ site }) => site ?? []))].sort(),
    putOff: here.flatMap((each) => {
      const snooze = byKey.get(each.key);
      return snooze ? [{ item: each, snooze }] : [];
    }),
  };
});

/** Puts something that is due off until a day, with a reason. Problems: `invalid`, `not-found`. Gives the snooze's id. */
export function putOff(context: Context, input: unknown): Promise<Result<number>> {
  return snoozeDue(context, input, async (key) => (await everythingDue(context)).some((each) => each.key === key));
}
