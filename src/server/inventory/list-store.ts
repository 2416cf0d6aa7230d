import { createHash } from "node:crypto";
import { inArray, sql } from "drizzle-orm";
import { LRUCache } from "lru-cache";
import { FACTS_SCHEMA, type Facts, factsSchema } from "@/core/computer/facts/schema";
import type { Queries } from "../db/client";
import { secureBootLists } from "../db/schema";

/**
 * Keeps Secure Boot lists once, by content. In what is stored a list stands as "sha256:…", which no base64 is; what is
 * read has the list itself again. Lists that were stored whole are read as they are.
 */
const NAMES = ["pk", "kek", "db", "dbx"] as const;
const REFERENCE = /^sha256:([0-9a-f]{64})$/;
/** Shorter ones are not worth a row of their own. */
const KEPT_WHOLE_BELOW = 200;

/** Digests by body: fleets share their lists, so that the same one comes again and again. */
const digests = new LRUCache<string, string>({ max: 1000 });

function digestOf(body: string): string {
  const kept = digests.get(body);
  if (kept !== undefined) return kept;
  const digest = createHash("sha256").update(body).digest("hex");
  digests.set(body, digest);
  return digest;
}

/** Bodies by digest: content-addressed, so nothing here goes stale. Some ten kilobytes each. */
const bodies = new LRUCache<string, string>({ max: 1000 });

type Fields = Record<string, unknown>;
const isFields = (value: unknown): value is Fields =>
  typeof value === "object" && value !== null && !Array.isArray(value);

/** The lists of a computer's facts, or of the part of them that an event tells. */
function secureBootOf(fields: Fields): Fields | null {
  const { firmware } = fields;
  return isFields(firmware) && isFields(firmware.secureBoot) ? firmware.secureBoot : null;
}

function withSecureBoot<T extends Fields>(fields: T, secureBoot: Fields): T {
  return { ...fields, firmware: { ...(fields.firmware as Fields), secureBoot } };
}

/** The same with references instead of lists; `found` gathers what must be stored. */
export function packed<T extends Fields>(fields: T, found: Map<string, string>): T {
  const lists = secureBootOf(fields);
  if (!lists) return fields;
  const result: Fields = { ...lists };
  for (const name of NAMES) {
    const body = lists[name];
    if (typeof body !== "string" || body.length < KEPT_WHOLE_BELOW) continue;
    const digest = digestOf(body);
    found.set(digest, body);
    result[name] = `sha256:${digest}`;
  }
  return withSecureBoot(fields, result);
}

/** Stores lists that are not stored yet. */
export async function storeLists(tx: Queries, found: Map<string, string>): Promise<void> {
  if (found.size === 0) return;
  const rows = [...found].map(([sha256, body]) => ({ sha256, body }));
  const keptLists = await tx
    .select({ sha256: secureBootLists.sha256 })
    .from(secureBootLists)
    .where(inArray(secureBootLists.sha256, [...found.keys()]));
  const there = new Set(keptLists.map((row) => row.sha256));
  const missing = rows.filter((row) => !there.has(row.sha256));
  for (const row of missing)
    await tx
      .insert(secureBootLists)
      .values(row)
      .onDuplicateKeyUpdate({ set: { sha256: sql`VALUES(${sql.identifier("sha256")})` } });
}

function referencesOf(fields: Fields): string[] {
  const lists = secureBootOf(fields);
  if (!lists) return [];
  return NAMES.flatMap((name) => {
    const digest = typeof lists[name] === "string" ? REFERENCE.exec(lists[name])?.[1] : undefined;
    return digest ? [digest] : [];
  });
}

/** What was stored, with the lists themselves in it again. */
export async function unpacked<T extends Fields>(queries: Queries, stored: T[]): Promise<T[]> {
  const wanted = new Set(stored.flatMap(referencesOf));
  const missing = [...wanted].filter((digest) => !bodies.has(digest));
  const here = new Map(
    [...wanted].flatMap((digest) => (bodies.has(digest) ? [[digest, bodies.get(digest) as string]] : [])),
  );
  for (let at = 0; at < missing.length; at += 200) {
    const rows = await queries
      .select()
      .from(secureBootLists)
      .where(inArray(secureBootLists.sha256, missing.slice(at, at + 200)));
    for (const { sha256, body } of rows) {
      here.set(sha256, body);
      bodies.set(sha256, body);
    }
  }
  return stored.map((fields) => {
    const lists = secureBootOf(fields);
    if (!lists || referencesOf(fields).length === 0) return fields;
    const result: Fields = { ...lists };
    for (const name of NAMES) {
      const digest = typeof lists[name] === "string" ? REFERENCE.exec(lists[name])?.[1] : undefined;
      if (digest) result[name] = here.get(digest) ?? null;
    }
    return withSecureBoot(fields, result);
  });
}

/**
 * Stored facts as facts. They pass the schema once more, so that older ones gain the fields of today; lists go past
 * it, since they did pass it when they were stored.
 */
export async function factsOfStored(queries: Queries, stored: unknown[]): Promise<Facts[]> {
  const whole = await unpacked(queries, stored as Fields[]);
  return whole.map((fields) => {
    const lists = secureBootOf(fields);
    const bare = lists ? withSecureBoot(fields, { ...lists, pk: null, kek: null, db: null, dbx: null }) : fields;
    const facts = factsSchema.parse({ ...bare, schema: FACTS_SCHEMA });
    if (lists && facts.firmware.secureBoot)
      for (const name of NAMES) facts.firmware.secureBoot[name] = typeof lists[name] === "string" ? lists[name] : null;
    return facts;
  });
}
