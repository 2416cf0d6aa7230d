import { and, asc, eq, inArray, isNull } from "drizzle-orm";
import { z } from "zod";
import { FORMS } from "@/core/computer/facts/schema";
import {
  chainPolicy,
  type Inherited,
  inheritedBy,
  POLICY_KEYS,
  Policies,
  type PolicyKey,
  type PolicyRule,
  type PolicySubject,
  policyValuesSchema,
  type Resolved,
  SCOPES,
  type Scope,
} from "@/core/cover/policy";
import { travelTable } from "@/core/cover/travel";
import type { ComputerPart, PolicyPart } from "@/core/judging/model/parts";
import type { Refusal } from "@/core/problems/problem";
import { act } from "../act";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import type { SiteId } from "../db/ids";
import { insertedId } from "../db/results";
import { computers, policies, sites, travels } from "../db/schema";
import { checked, fail, ok, type Result, refused } from "../problems";
import { recordEvent } from "./events";
import { saveVersioned, staleResult } from "./versioned";

export interface RuleRow extends PolicyRule {
  version: number;
}

/** Every rule, with places and computers by their names; rules of what is gone are left out. */
export async function listRules(queries: Queries): Promise<RuleRow[]> {
  const rows = await queries.select().from(policies).orderBy(asc(policies.id));
  const idsOf = (scope: Scope) => rows.flatMap((row) => (row.scope === scope ? [Number(row.target)] : []));
  const [siteIds, computerIds] = [idsOf("site"), idsOf("computer")];
  const [places, machines] = await Promise.all([
    siteIds.length === 0
      ? []
      : queries.select({ id: sites.id, name: sites.name }).from(sites).where(inArray(sites.id, siteIds)),
    computerIds.length === 0
      ? []
      : queries
          .select({ id: computers.id, name: computers.tag })
          .from(computers)
          .where(and(inArray(computers.id, computerIds), isNull(computers.retiredAt))),
  ]);
  const names = {
    site: new Map(places.map(({ id, name }) => [String(id), name])),
    computer: new Map(machines.map(({ id, name }) => [String(id), name])),
  };
  return rows.flatMap(({ id, scope, target, values, version }) => {
    const name = scope === "site" || scope === "computer" ? names[scope].get(target) : target;
    // What was kept before some value was known, or is not known any more, says nothing of it.
    const parsed = policyValuesSchema.partial().safeParse(values);
    return name === undefined || !parsed.success ? [] : [{ id, scope, target: name, values: parsed.data, version }];
  });
}

export async function loadPolicies(queries: Queries): Promise<Policies> {
  return new Policies(await listRules(queries));
}

/** A computer as policies know it. */
export function subjectOf({ tag, site, facts }: ComputerPart): PolicySubject {
  const { form, make, model } = facts.computer;
  return { tag, site, form, make, model };
}

/** What of their policy computers are judged by; computers with the same share the same object. */
export function chainPolicies(all: Policies): (computer: ComputerPart) => PolicyPart {
  const parts = new WeakMap<Resolved, PolicyPart>();
  const byText = new Map<string, PolicyPart>();
  return (computer) => {
    const resolved = all.of(subjectOf(computer));
    const before = parts.get(resolved);
    if (before) return before;
    const part = chainPolicy(resolved.values);
    const shared = byText.get(JSON.stringify(part)) ?? part;
    byText.set(JSON.stringify(part), shared);
    parts.set(resolved, shared);
    return shared;
  };
}

const ruleSchema = z.object({
  scope: z.enum(SCOPES),
  target: z.string().trim().max(200),
  values: policyValuesSchema.partial(),
});

/**
 * Says what a rule says from now on; one that says nothing any more is taken away. `target`: the place's name, the form,
 * make and model, or the computer's tag. `version`: of the rule as it was seen, null for a new one. Problems: `invalid`,
 * `stale`. Gives the rule's id, null where it is gone.
 */
export async function saveRule(
  context: Context,
  input: unknown,
  version: number | null,
): Promise<Result<number | null>> {
  const parsed = checked(ruleSchema, input);
  if (!parsed.ok) return parsed;
  const { scope, values } = parsed.value;
  return act(context, null, async ({ db: tx }): Promise<Result<number | null>> => {
    const found = await storedTarget(tx, scope, parsed.value.target);
    if (!found.ok) return found;
    const target = found.value;
    const [known] = await tx
      .select()
      .from(policies)
      .where(and(eq(policies.scope, scope), eq(policies.target, target)))
      .for("update");
    const tag = ruleTag(scope, parsed.value.target);
    const saysNothing = Object.keys(values).length === 0;
    if (!known && saysNothing) return ok(null);
    if (!known) {
      const times = { createdAt: context.now(), updatedAt: context.now() };
      const row = await tx
        .insert(policies)
        .values({ scope, target, values, ...times })
        .$returningId();
      const id = insertedId(row);
      const change = { entity: "policy", entityId: id, entityTag: tag, action: "added", version: 1 } as const;
      await recordEvent(tx, context, { ...change, before: null, after: values });
      return ok(id);
    }
    if (version === null) return refused({ code: "rule-there", subject: tag.replace("the policy for ", "") }, "target");
    const seen = { entity: "policy", id: known.id, version, tag } as const;
    const saved = await saveVersioned(tx, context, policies, {
      ...{ ...seen, action: saysNothing ? "withdrew" : "changed", set: { values } },
      ...{ before: known.values, after: values },
    });
    if (!saved.ok) return saved;
    if (saysNothing) await tx.delete(policies).where(eq(policies.id, known.id));
    return ok(saysNothing ? null : known.id);
  });
}

const ruleValueSchema = z.object({
  scope: z.enum(SCOPES),
  target: z.string().trim().max(200),
  key: z.enum(POLICY_KEYS as [PolicyKey, ...PolicyKey[]]),
  /** As the editor saw them, and as they are to be: what the rule says of `key`, or nothing (inherited). */
  before: policyValuesSchema.partial(),
  after: policyValuesSchema.partial(),
});

/**
 * Says one value of a rule from now on, whatever else of the rule changed meanwhile; a rule that says nothing any more
 * is taken away. Problems: `invalid`, `stale` (that value was changed meanwhile). Gives the rule's id, null where it is
 * gone.
 */
export async function saveRuleValue(context: Context, input: unknown): Promise<Result<number | null>> {
  const parsed = checked(ruleValueSchema, input);
  if (!parsed.ok) return parsed;
  const { scope, target, key, before, after } = parsed.value;
  return act(context, null, async (acting): Promise<Result<number | null>> => {
    const stored = await storedTarget(acting.db, scope, target);
    if (!stored.ok) return stored;
    const [rule] = await acting.db
      .select()
      .from(policies)
      .where(and(eq(policies.scope, scope), eq(policies.target, stored.value)))
      .for("update");
    const { [key]: there, ...others } = rule?.values ?? {};
    if (there !== before[key]) {
      if (!rule) return fail({ code: "not-found", what: "rule" });
      // Since when its editor saw another value is not known: the last change is told.
      const stale = await staleResult(acting.db, policies, {
        entity: "policy",
        id: rule.id,
        version: rule.version - 1,
      });
      return stale.ok ? fail({ code: "not-found", what: "rule" }) : stale;
    }
    const values = after[key] === undefined ? others : { ...others, [key]: after[key] };
    return saveRule(acting, { scope, target, values }, rule?.version ?? null);
  });
}

/** So many rules stand beside each other in a table. */
const COLUMNS_MOST = 30;

export interface RuleColumn {
  scope: Scope;
  target: string;
  /** Null: nothing is said for it yet. */
  rule: RuleRow | null;
  /** What it inherits of each value. */
  inherits: Record<PolicyKey, Inherited | "varies">;
}

/**
 * Rules as columns of a table, from those for all to those for one computer: first the one for all, which is there even
 * where it says nothing. `extra`: one more that is to be shown, as if there were a rule. `find`: only targets with that
 * text in them. `others`: so many rules are not shown.
 */
export async function ruleColumns(
  context: Context,
  extra: { scope: Scope; target: string } | null,
  find: string,
): Promise<{ columns: RuleColumn[]; others: number }> {
  const rules = await listRules(context.db);
  const named = ({ scope, target }: { scope: Scope; target: string }) => `${scope} ${target.trim().toLowerCase()}`;
  const byName = new Map(rules.map((rule) => [named(rule), rule]));
  const wanted = extra && named(extra);
  const text = find.trim().toLowerCase();
  const shown = rules.filter((rule) => rule.target.toLowerCase().includes(text) || named(rule) === wanted);
  const heads: { scope: Scope; target: string }[] = [{ scope: "everywhere", target: "" }, ...shown];
  if (extra && !byName.has(named(extra))) heads.push(extra);
  const once = [...new Map(heads.map((head) => [named(head), head])).values()].sort(
    (a, b) =>
      Number(named(b) === wanted) - Number(named(a) === wanted) ||
      SCOPES.indexOf(a.scope) - SCOPES.indexOf(b.scope) ||
      a.target.localeCompare(b.target),
  );
  const kept = once
    .slice(0, COLUMNS_MOST)
    .sort((a, b) => SCOPES.indexOf(a.scope) - SCOPES.indexOf(b.scope) || a.target.localeCompare(b.target));
  const subjects = await subjectsByTag(
    context.db,
    kept.flatMap(({ scope, target }) => (scope === "computer" ? [target] : [])),
  );
  const columns = kept.map(({ scope, target }): RuleColumn => {
    const of = scope === "computer" ? subjects.get(target.toLowerCase()) : undefined;
    const inherits = Object.fromEntries(POLICY_KEYS.map((key) => [key, inheritedBy(rules, scope, key, of)]));
    return { scope, target, rule: byName.get(named({ scope, target })) ?? null, inherits } as RuleColumn;
  });
  return { columns, others: once.length - kept.length };
}

/** Computers in service as policies know them, by their tag in small letters. */
async function subjectsByTag(queries: Queries, tags: readonly string[]): Promise<Map<string, PolicySubject>> {
  if (tags.length === 0) return new Map();
  const rows = await queries
    .select({
      ...{ tag: computers.tag, form: computers.form, make: computers.make, model: computers.model },
      site: sites.name,
    })
    .from(computers)
    .leftJoin(sites, eq(sites.id, computers.siteId))
    .where(and(inArray(computers.tag, [...tags]), isNull(computers.retiredAt)));
  return new Map(rows.map((row) => [row.tag.toLowerCase(), row]));
}

function ruleTag(scope: Scope, target: string): string {
  return scope === "everywhere" ? "the policy for all" : `the policy for ${target}`;
}

async function storedTarget(tx: Queries, scope: Scope, target: string): Promise<Result<string>> {
  const refuse = (why: Refusal) => refused<string>(why, "target");
  switch (scope) {
    case "everywhere":
      return ok("");
    case "site": {
      const [place] = await tx.select({ id: sites.id }).from(sites).where(eq(sites.name, target));
      return place ? ok(String(place.id)) : refuse({ code: "no-such-site", site: target });
    }
    case "computer": {
      const [computer] = await tx
        .select({ id: computers.id })
        .from(computers)
        .where(and(eq(computers.tag, target), isNull(computers.retiredAt)));
      return computer ? ok(String(computer.id)) : refuse({ code: "not-in-service", what: "computer", tag: target });
    }
    case "form":
      return (FORMS as readonly string[]).includes(target)
        ? ok(target)
        : refuse({ code: "no-such-form", known: FORMS });
    case "model":
      return target === "" ? refuse({ code: "model-needed" }) : ok(target);
  }
}

export interface Travel {
  places: { id: SiteId; name: string }[];
  /** Minutes by the places' positions, over others too. */
  table: (number | null)[][];
  legs: { id: number; fromId: SiteId; toId: SiteId; minutes: number; version: number }[];
}

export async function loadTravel(queries: Queries): Promise<Travel> {
  const [places, legs] = await Promise.all([
    queries.select({ id: sites.id, name: sites.name }).from(sites).orderBy(asc(sites.name)),
    queries
      .select({
        ...{ id: travels.id, fromId: travels.fromId, toId: travels.toId },
        ...{ minutes: travels.minutes, version: travels.version },
      })
      .from(travels),
  ]);
  const at = new Map(places.map(({ id }, position) => [id, position]));
  const table = travelTable(
    places.length,
    legs.map(({ fromId, toId, minutes }) => ({ from: at.get(fromId) as number, to: at.get(toId) as number, minutes })),
  );
  return { places, table, legs };
}

const travelSchema = z.object({
  fromId: z.number().int().positive(),
  toId: z.number().int().positive(),
  minutes: z
    .number()
    .int("Whole minutes, such as 25.")
    .min(1, "At least a minute.")
    .max(10_000, "At most 10,000 minutes.")
    .nullable(),
});

/** Says how long the way between two places takes; null: not known any more. Problems: `invalid`, `not-found`. */
export async function setTravel(context: Context, input: unknown): Promise<Result<number | null>> {
  const parsed = checked(travelSchema, input);
  if (!parsed.ok) return parsed;
  const { minutes } = parsed.value;
  const [fromId, toId] = [parsed.value.fromId, parsed.value.toId].sort((a, b) => a - b) as [number, number];
  if (fromId === toId) return refused({ code: "travel-to-itself" }, "minutes");
  return act(context, null, async ({ db: tx }): Promise<Result<number | null>> => {
    const places = await tx
      .select({ id: sites.id, name: sites.name })
      .from(sites)
      .where(inArray(sites.id, [fromId, toId]));
    if (places.length !== 2) return fail({ code: "not-found", what: "site" });
    const tag = `the travel time ${places.map(({ name }) => name).join(" – ")}`;
    const way = and(eq(travels.fromId, fromId), eq(travels.toId, toId));
    const [known] = await tx.select().from(travels).where(way).for("update");
    if ((known?.minutes ?? null) === minutes) return ok(known?.id ?? null);
    const before = known ? { minutes: known.minutes } : null;
    let id = known?.id ?? 0;
    if (minutes === null) await tx.delete(travels).where(way);
    else if (known)
      await tx
        .update(travels)
        .set({ minutes, version: known.version + 1, updatedAt: context.now() })
        .where(way);
    else {
      const times = { createdAt: context.now(), updatedAt: context.now() };
      const row = await tx
        .insert(travels)
        .values({ fromId, toId, minutes, ...times })
        .$returningId();
      id = insertedId(row);
    }
    await recordEvent(tx, context, {
      ...{ entity: "way", entityId: id, entityTag: tag, version: (known?.version ?? 0) + 1 },
      ...{ action: known ? (minutes === null ? "withdrew" : "changed") : "added" },
      ...{ before, after: minutes === null ? null : { minutes } },
    });
    return ok(minutes === null ? null : id);
  });
}
