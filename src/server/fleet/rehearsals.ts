import { desc, eq, getTableColumns } from "drizzle-orm";
import { z } from "zod";
import { applied, changeSchema, type Rehearsal, rehearse, type WorldChange } from "@/core/fleet/rehearsal";
import { type FleetSigners, fleetSigners } from "@/core/fleet/signers";
import { changedText } from "@/core/words/rehearsal";
import { act } from "../act";
import type { Context } from "../context";
import type { RehearsalId } from "../db/ids";
import { insertedId, nameOf } from "../db/results";
import { rehearsals } from "../db/schema";
import { recordEvent } from "../inventory/events";
import { checked, ok, type Result } from "../problems";
import { asked } from "./asked";
import { fleet } from "./fleet";

/** Keeps a change to be rehearsed; the inventory stays as it is. Its name is what it says. Problems: `invalid`. */
export async function addRehearsal(context: Context, input: unknown): Promise<Result<number>> {
  const parsed = checked(z.object({ change: changeSchema }), input);
  if (!parsed.ok) return parsed;
  const { change } = parsed.value;
  const name = changedText(change).slice(0, 120);
  return act(context, { field: "name", value: name }, async ({ db: tx }) => {
    const times = { createdAt: context.now(), updatedAt: context.now() };
    const row = await tx
      .insert(rehearsals)
      .values({ name, body: change, personId: context.person.id, ...times })
      .$returningId();
    const id = insertedId(row);
    await recordEvent(tx, context, {
      entity: "rehearsal",
      entityId: id,
      entityTag: name,
      action: "added",
      version: 1,
      before: null,
      after: { kind: change.kind },
    });
    return ok(id);
  });
}

export interface RehearsalItem {
  id: RehearsalId;
  name: string;
  personName: string;
  createdAt: Date;
}

const LISTED = 100;

export function listRehearsals(context: Context): Promise<RehearsalItem[]> {
  const { id, name, personId, createdAt } = rehearsals;
  return context.db
    .select({ id, name, personName: nameOf(personId), createdAt })
    .from(rehearsals)
    .orderBy(desc(rehearsals.id))
    .limit(LISTED);
}

/** A rehearsal played against the fleet as it is now; null where there is none of that number. */
export const playRehearsal = asked(
  "rehearsal",
  async (
    context: Context,
    id: RehearsalId,
  ): Promise<{ item: RehearsalItem; change: WorldChange; result: Rehearsal } | null> => {
    const [row] = await context.db
      .select({ ...getTableColumns(rehearsals), personName: nameOf(rehearsals.personId) })
      .from(rehearsals)
      .where(eq(rehearsals.id, id));
    const change = changeSchema.safeParse(row?.body);
    if (!row || !change.success) return null;
    const { matrix, world, computers, media } = await fleet(context);
    const result = rehearse(matrix, { ...world, computers, media }, change.data);
    const { name, personName, createdAt } = row;
    return { item: { id, name, personName, createdAt }, change: change.data, result };
  },
);

/** Who may sign for the fleet today, and after a rehearsed change. */
export const signersBeforeAndAfter = asked(
  "signers",
  async (
    context: Context,
    rehearsalId: RehearsalId | null,
  ): Promise<{ now: FleetSigners; after: FleetSigners | null; change: WorldChange | null; kept: RehearsalItem[] }> => {
    const [kept, { world, computers, media }] = await Promise.all([listRehearsals(context), fleet(context)]);
    const here = { ...world, computers, media };
    const [row] =
      rehearsalId === null ? [] : await context.db.select().from(rehearsals).where(eq(rehearsals.id, rehearsalId));
    const parsed = changeSchema.safeParse(row?.body);
    const change = parsed.success ? parsed.data : null;
    return { now: fleetSigners(here), after: change && fleetSigners(applied(here, change)), change, kept };
  },
);
