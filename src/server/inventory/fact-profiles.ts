import { createHash } from "node:crypto";
import { inArray } from "drizzle-orm";
import { LRUCache } from "lru-cache";
import { chainFactsOf, chainProfile, startFactsOf, startProfile } from "@/core/computer/facts/profile";
import { FACTS_SCHEMA, type Facts, factsSchema } from "@/core/computer/facts/schema";
import type { Queries } from "../db/client";
import { insertRows } from "../db/insert-rows";
import { factProfiles } from "../db/schema";
import { factsOfStored, packed, storeLists } from "./list-store";

/**
 * The facts that links depend on, kept once for all computers that share them. Content-addressed: a computer's row has
 * the digests, and a profile that is here never changes.
 */
export function profileKeys(facts: Facts): ProfileKeys {
  const known = keysOf.get(facts);
  if (known) return known;
  const keys = { startProfile: digestOf(startProfile(facts)), chainProfile: digestOf(chainProfile(facts)) };
  keysOf.set(facts, keys);
  return keys;
}

interface ProfileKeys {
  startProfile: string;
  chainProfile: string;
}

/** A computer that is written needs its keys for its row and for its profiles. Facts are not changed once they are whole. */
const keysOf = new WeakMap<Facts, ProfileKeys>();

function digestOf(text: string): string {
  return createHash("sha256").update(text).digest("hex");
}

/** Keeps the profiles of some computers' facts, where they are not kept yet. */
export async function storeProfiles(tx: Queries, rows: { facts: Facts }[]): Promise<void> {
  const wanted = new Map<string, () => Facts>();
  for (const { facts } of rows) {
    const keys = profileKeys(facts);
    wanted.set(keys.startProfile, () => ({ ...BARE, ...startFactsOf(facts) }));
    wanted.set(keys.chainProfile, () => chainFactsOf(facts));
  }
  const missing = await missingOf(tx, [...wanted.keys()]);
  if (missing.length === 0) return;
  const lists = new Map<string, string>();
  const values = missing.map((key) => ({
    key,
    body: JSON.stringify(packed((wanted.get(key) as () => Facts)(), lists)),
  }));
  await storeLists(tx, lists);
  for (let at = 0; at < values.length; at += 100)
    await insertRows(tx, factProfiles, values.slice(at, at + 100), ["key"]);
}

async function missingOf(tx: Queries, keys: string[]): Promise<string[]> {
  const there = new Set<string>();
  for (let at = 0; at < keys.length; at += 500) {
    const rows = await tx
      .select({ key: factProfiles.key })
      .from(factProfiles)
      .where(inArray(factProfiles.key, keys.slice(at, at + 500)));
    for (const { key } of rows) there.add(key);
  }
  return keys.filter((key) => !there.has(key));
}

const BARE: Facts = factsSchema.parse({ schema: FACTS_SCHEMA });

/** Some kilobytes each; a fleet has a few hundred. */
const factsById = new LRUCache<string, Facts>({ max: 20_000 });

/** The facts of some profiles, by their keys; a key that is not kept is left out. */
export async function loadProfiles(queries: Queries, keys: Iterable<string>): Promise<Map<string, Facts>> {
  const wanted = [...new Set(keys)];
  const missing = wanted.filter((key) => !factsById.has(key));
  for (let at = 0; at < missing.length; at += 200) {
    const rows = await queries
      .select()
      .from(factProfiles)
      .where(inArray(factProfiles.key, missing.slice(at, at + 200)));
    const facts = await factsOfStored(
      queries,
      rows.map((row) => JSON.parse(row.body) as unknown),
    );
    for (const [index, { key }] of rows.entries()) factsById.set(key, facts[index] as Facts);
  }
  return new Map(
    wanted.flatMap((key): [string, Facts][] => {
      const facts = factsById.get(key);
      return facts ? [[key, facts]] : [];
    }),
  );
}
