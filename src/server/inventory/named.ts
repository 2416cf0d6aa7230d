import { z } from "zod";
import { act } from "../act";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import { ok, type Result } from "../problems";
import { recordEvent } from "./events";

/** What people, sites, kits and releases are called. */
export const nameSchema = z.string().trim().min(1, "A name is needed.").max(120, "A name has at most 120 characters.");

/** Adds a thing that has a name of its own, with its event. */
export async function addNamed(
  context: Context,
  name: string,
  insert: (tx: Queries) => Promise<{
    entity: "person" | "site" | "kit" | "release";
    id: number;
    tag: string;
    after: Record<string, unknown>;
  }>,
): Promise<Result<number>> {
  return act(context, { field: "name", value: name }, async ({ db: tx }) => {
    const { entity, id, tag, after } = await insert(tx);
    // Nobody is there yet who could add the first person: they add themselves.
    const isFirst = entity === "person" && context.person.id === 0;
    await recordEvent(tx, isFirst ? { ...context, person: { id, name } } : context, {
      entity,
      entityId: id,
      entityTag: tag,
      action: "added",
      version: 1,
      before: null,
      after,
    });
    return ok(id);
  });
}
