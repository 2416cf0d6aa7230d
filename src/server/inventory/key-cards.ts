import { and, asc, eq, isNotNull, isNull, ne, sql } from "drizzle-orm";
import { z } from "zod";
import type { KeyCard } from "@/core/computer/facts/key-cards";
import { dayOf } from "@/core/kernel/days";
import { act } from "../act";
import type { Context } from "../context";
import type { KeyCardId } from "../db/ids";
import { insertedId } from "../db/results";
import { computers, drills, keyCards } from "../db/schema";
import { checked, fail, ok, type Result } from "../problems";
import { difference, recordEvent } from "./events";
import { saveVersioned } from "./versioned";

const blank = (max: number, text: string) =>
  z
    .string()
    .trim()
    .max(max, text)
    .nullish()
    .transform((value) => value || null);

const keyCardInputSchema = z.object({
  make: z.string().trim().min(1, "A make is needed.").max(200),
  model: z.string().trim().min(1, "A model is needed.").max(200),
  setup: blank(40, "A key has at most 40 characters."),
  startMenu: blank(40, "A key has at most 40 characters."),
  save: blank(40, "A key has at most 40 characters."),
  quirks: blank(2000, "Quirks have at most 2,000 characters."),
  diskFit: blank(500, "Disk fitting has at most 500 characters."),
});

export type KeyCardRow = typeof keyCards.$inferSelect;

export async function keyCardOf(
  context: Context,
  make: string | null,
  model: string | null,
): Promise<KeyCardRow | null> {
  if (!make || !model) return null;
  const [row] = await context.db
    .select()
    .from(keyCards)
    .where(and(eq(keyCards.make, make), eq(keyCards.model, model)));
  return row ?? null;
}

export interface ModelItem {
  make: string;
  model: string;
  computers: number;
  form: string | null;
  /** Keys that single computers of this model have recorded. */
  card: KeyCardRow | null;
  /** The last time that a medium started on a computer of this model, in a drill or a call-out. */
  lastStart: { on: string; computer: string; isWithThisCard: boolean } | null;
}

const MODELS_MAX = 1000;

/** Every make and model in service, most computers first, with its key card; cards without a computer last. */
export async function listModels(context: Context): Promise<ModelItem[]> {
  const [models, cards, starts] = await Promise.all([
    context.db
      .select({
        make: computers.make,
        model: computers.model,
        form: sql<string | null>`MIN(${computers.form})`,
        count: sql<number>`COUNT(*)`,
      })
      .from(computers)
      .where(and(isNull(computers.retiredAt), sql`${computers.make} IS NOT NULL AND ${computers.model} IS NOT NULL`))
      .groupBy(computers.make, computers.model)
      .orderBy(sql`COUNT(*) DESC`, asc(computers.make), asc(computers.model))
      .limit(MODELS_MAX),
    context.db.select().from(keyCards).orderBy(asc(keyCards.make), asc(keyCards.model)),
    // Day and tag in one text, so that the latest of a model is found without a query of its own.
    context.db
      .select({
        make: computers.make,
        model: computers.model,
        last: sql<string>`MAX(CONCAT(${drills.on}, ' ', ${computers.tag}))`,
      })
      .from(drills)
      .innerJoin(computers, eq(computers.id, drills.computerId))
      .where(and(ne(drills.result, "failed"), eq(drills.isEmulated, false), isNotNull(computers.model)))
      .groupBy(computers.make, computers.model),
  ]);
  const key = (make: string, model: string) => `${make}\n${model}`.toLowerCase();
  const byModel = new Map(cards.map((card) => [key(card.make, card.model), card]));
  const startOf = new Map(starts.map(({ make, model, last }) => [key(make ?? "", model ?? ""), last]));
  const lastStart = (at: string, card: KeyCardRow | null): ModelItem["lastStart"] => {
    const last = startOf.get(at);
    if (!last) return null;
    const on = last.slice(0, 10);
    // What started on the day of a change may have done so before it.
    const isWithThisCard = card !== null && on > dayOf(card.updatedAt);
    return { on, computer: last.slice(11), isWithThisCard };
  };
  const items = models.map(({ make, model, form, count }): ModelItem => {
    const at = key(make as string, model as string);
    const card = byModel.get(at) ?? null;
    byModel.delete(at);
    const named = { make: make as string, model: model as string, computers: Number(count), form, card };
    return { ...named, lastStart: lastStart(at, card) };
  });
  for (const [at, card] of byModel) {
    const { make, model } = card;
    items.push({ make, model, computers: 0, form: null, card, lastStart: lastStart(at, card) });
  }
  return items;
}

/** Makes a card, or changes the one that was seen at `version`. Problems: `invalid`, `taken`, `stale`, `not-found`. */
export async function saveKeyCard(
  context: Context,
  seen: { id: KeyCardId; version: number } | null,
  input: unknown,
): Promise<Result<number>> {
  const parsed = checked(keyCardInputSchema, input);
  if (!parsed.ok) return parsed;
  const card = parsed.value;
  const tag = `${card.make} ${card.model}`.slice(0, 120);
  return act(context, { field: "card of", value: tag }, async ({ db: tx }) => {
    if (!seen) {
      const row = await tx
        .insert(keyCards)
        .values({ ...card, createdAt: context.now(), updatedAt: context.now() })
        .$returningId();
      const id = insertedId(row);
      await recordEvent(tx, context, {
        entity: "key card",
        entityId: id,
        entityTag: tag,
        action: "added",
        version: 1,
        before: null,
        after: card,
      });
      return ok(1);
    }
    const [current] = await tx.select().from(keyCards).where(eq(keyCards.id, seen.id));
    if (!current) return fail({ code: "not-found", what: "key card" });
    const { make, model, setup, startMenu, save, quirks, diskFit } = current;
    const change = difference({ make, model, setup, startMenu, save, quirks, diskFit }, card);
    if (!change) return ok(current.version);
    return saveVersioned(tx, context, keyCards, {
      entity: "key card",
      ...seen,
      tag,
      action: "changed",
      set: card,
      ...change,
    });
  });
}

export function asKeyCard(row: KeyCardRow | null): KeyCard | null {
  if (!row) return null;
  const { setup, startMenu, save, quirks, diskFit } = row;
  return { setup, startMenu, save, quirks, diskFit };
}
