import { asc } from "drizzle-orm";
import { z } from "zod";
import type { Context } from "../context";
import { insertedId } from "../db/results";
import { people } from "../db/schema";
import { checked, type Result } from "../problems";
import { addNamed, nameSchema } from "./named";

export function listPeople(db: Context["db"]): Promise<(typeof people.$inferSelect)[]> {
  return db.select().from(people).orderBy(asc(people.id));
}

export async function addPerson(context: Context, input: unknown): Promise<Result<number>> {
  const parsed = checked(z.object({ name: nameSchema, role: z.string().trim().max(120).nullish() }), input);
  if (!parsed.ok) return parsed;
  const value = { name: parsed.value.name, role: parsed.value.role || null };
  return addNamed(context, value.name, async (tx) => {
    const row = await tx.insert(people).values(value).$returningId();
    return { entity: "person", id: insertedId(row), tag: value.name, after: value };
  });
}
