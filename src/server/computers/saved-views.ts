import { asc, eq } from "drizzle-orm";
import { z } from "zod";
import { act } from "../act";
import type { Context } from "../context";
import type { SavedViewId } from "../db/ids";
import { savedViews } from "../db/schema";
import { checked, ok, type Result } from "../problems";

/** Views are addresses under a name: what they show is in the address, which can as well be sent to somebody. */
const viewSchema = z.object({
  name: z.string().trim().min(1, "A view needs a name.").max(80, "A view's name has at most 80 characters."),
  query: z
    .string()
    .max(1000)
    .regex(/^(\?[^\s#]*)?$/, "This is no address of the list."),
});

export type SavedView = Pick<typeof savedViews.$inferSelect, "id" | "name" | "query">;

export function listViews(context: Context): Promise<SavedView[]> {
  return context.db
    .select({ id: savedViews.id, name: savedViews.name, query: savedViews.query })
    .from(savedViews)
    .orderBy(asc(savedViews.name));
}

/** Keeps a view; one of the same name is replaced. */
export async function saveView(context: Context, input: unknown): Promise<Result<string>> {
  const parsed = checked(viewSchema, input);
  if (!parsed.ok) return parsed;
  const { name, query } = parsed.value;
  return act(context, { field: "name", value: name }, async ({ db: tx }) => {
    await tx
      .insert(savedViews)
      .values({ name, query, personId: context.person.id, createdAt: context.now() })
      .onDuplicateKeyUpdate({ set: { query, personId: context.person.id } });
    return ok(name);
  });
}

export async function removeView(context: Context, id: SavedViewId): Promise<Result<null>> {
  await act(context, null, async ({ db }) => {
    await db.delete(savedViews).where(eq(savedViews.id, id));
    return ok(id);
  });
  return ok(null);
}
