import { and, asc, eq, inArray, isNull } from "drizzle-orm";
import { z } from "zod";
import { FORMS } from "@/core/computer/facts/schema";
import {
  chainPolicy,
  Policies,
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
import { saveVersioned } from "./versioned";

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
  places: { id: number; name: string }[];
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
