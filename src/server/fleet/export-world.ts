import { and, asc, eq, gt, isNull } from "drizzle-orm";
import { compareText } from "@/core/judging/links/versions";
import type { ReleasePart } from "@/core/judging/model/parts";
import { WORLD_SCHEMA, worldImageSchema } from "@/core/world/schema";
import type { Context } from "../context";
import { computerFacts, computers, sites } from "../db/schema";
import { factsOfStored } from "../inventory/list-store";
import { listRules, loadTravel } from "../inventory/policies";
import { surroundingWorld, type WorldMedium } from "./world";

const CHUNK = 200;

/**
 * The inventory as `creel.world/1`, in pieces of its text: everything in service that chains are judged from, with the facts
 * of each computer whole. Read as it is while it is written; a fleet of thousands is never in memory at once.
 */
export async function* worldText(context: Context): AsyncGenerator<string> {
  const [world, travel, rules] = await Promise.all([
    surroundingWorld(context),
    loadTravel(context.db),
    listRules(context.db),
  ]);
  const nameOf = new Map(travel.places.map(({ id, name }) => [id, name]));
  const head = {
    ...{ schema: WORLD_SCHEMA, today: world.today },
    sites: travel.places.map(({ name }) => ({ name })).sort((a, b) => compareText(a.name, b.name)),
    // In an order of names, which is the same in any inventory.
    travel: travel.legs
      .map(({ fromId, toId, minutes }) => {
        const [from = "", to = ""] = [nameOf.get(fromId) ?? "", nameOf.get(toId) ?? ""].sort(compareText);
        return [from, to, minutes] as const;
      })
      .sort((a, b) => compareText(a[0], b[0]) || compareText(a[1], b[1])),
  };
  yield `${JSON.stringify(head).slice(0, -1)},"computers":[`;
  let separator = "";
  for await (const computer of computersOf(context)) {
    yield `${separator}${JSON.stringify(computer)}`;
    separator = ",\n";
  }
  yield "],";
  const rest = {
    releases: [...world.releases.map(({ part }) => part), ...ownOf(world)].map(releaseOf),
    media: world.media.map(mediumOf),
    images: world.images.map((image) => worldImageSchema.parse(image)),
    ...{ drills: world.drills, policy: {} },
    rules: rules.map(({ scope, target, values }) => ({ scope, target, values })),
  };
  yield `${JSON.stringify(rest).slice(1)}\n`;
}

async function* computersOf({ db }: Context) {
  for (let after = 0; ; ) {
    const rows = await db
      .select({ id: computers.id, tag: computers.tag, site: sites.name, facts: computerFacts.facts })
      .from(computers)
      .innerJoin(computerFacts, eq(computerFacts.computerId, computers.id))
      .leftJoin(sites, eq(sites.id, computers.siteId))
      .where(and(isNull(computers.retiredAt), gt(computers.id, after)))
      .orderBy(asc(computers.id))
      .limit(CHUNK);
    const facts = await factsOfStored(
      db,
      rows.map((row) => row.facts),
    );
    for (const [at, { tag, site }] of rows.entries()) yield { tag, site, facts: facts[at] };
    const last = rows.at(-1);
    if (!last || rows.length < CHUNK) return;
    after = last.id;
  }
}

/** Releases as only a medium has them: made without their system files. */
function ownOf({ releases, media }: { releases: readonly { part: ReleasePart }[]; media: readonly WorldMedium[] }) {
  const known = new Set(releases.map(({ part }) => part.name));
  const own = media.flatMap((medium) => medium.releases.filter(({ name }) => !known.has(name)));
  return [...new Map(own.map((part) => [part.name, part])).values()];
}

function releaseOf({ drivers, startedBy: _startedBy, ...release }: ReleasePart) {
  return {
    ...release,
    drivers: drivers && drivers.sources.map(({ kind, arch, drivers: claims }) => ({ kind, arch, drivers: claims })),
  };
}

function mediumOf({ part, kind, views, releases }: WorldMedium) {
  const { copies: _copies, ...own } = part;
  const startedBy = releases.flatMap(({ name, startedBy: by }) => (by ? [[name, by] as const] : []));
  return {
    ...{ ...own, kind, releases: releases.map(({ name }) => name) },
    ...(startedBy.length > 0 ? { startedBy: Object.fromEntries(startedBy) } : {}),
    inspection: views && { views: views.views },
  };
}
