import { and, eq } from "drizzle-orm";
import { z } from "zod";
import { act } from "../act";
import type { Context } from "../context";
import type { Database } from "../db/client";
import { affectedRows } from "../db/results";
import { organisations } from "../db/schema";
import { difference, recordEvent } from "../inventory/events";
import { nameSchema } from "../inventory/named";
import { staleResult } from "../inventory/versioned";
import { checked, fail, ok, type Result } from "../problems";

/** Time zones that this machine's database knows, and no others. */
const isTimeZone = (name: string) => {
  try {
    return Boolean(new Intl.DateTimeFormat("en-GB", { timeZone: name }));
  } catch {
    return false;
  }
};

/** How it reckons: its time zone by the IANA database, its currency by ISO 4217. */
export const REGIONAL = {
  timeZone: z.string().max(64).refine(isTimeZone, "No such time zone. Use a name such as Europe/London."),
  currency: z
    .string()
    .trim()
    .toUpperCase()
    .regex(/^[A-Z]{3}$/, "A currency has three letters, such as EUR."),
};

const organisationSchema = z.strictObject({ name: nameSchema, ...REGIONAL });

export interface Organisation extends z.infer<typeof organisationSchema> {
  version: number;
}

/** Whose Creel this is; null before it is set up. */
export async function ownOrganisation({ db }: { db: Pick<Database, "select"> }): Promise<Organisation | null> {
  const { name, timeZone, currency, version } = organisations;
  const [row] = await db.select({ name, timeZone, currency, version }).from(organisations).limit(1);
  return row ?? null;
}

/** Changes it, and logs the change. Gives its version. Problems: `invalid`, `stale`, `not-found`. */
export async function saveOrganisation(context: Context, version: number, input: unknown): Promise<Result<number>> {
  const parsed = checked(organisationSchema, input);
  if (!parsed.ok) return parsed;
  return act(context, null, async (acting) => {
    const { db: tx } = acting;
    const [row] = await tx.select().from(organisations).limit(1);
    if (!row) return fail({ code: "not-found", what: "organisation" });
    const { name, timeZone, currency } = row;
    const changed = difference({ name, timeZone, currency }, parsed.value);
    if (!changed && row.version === version) return ok(version);
    const result = await tx
      .update(organisations)
      .set({ ...parsed.value, version: version + 1 })
      .where(and(eq(organisations.id, row.id), eq(organisations.version, version)));
    if (affectedRows(result) !== 1)
      return staleResult(tx, organisations, { entity: "organisation", id: row.id, version });
    await recordEvent(tx, acting, {
      ...{ entity: "organisation", entityId: row.id, entityTag: parsed.value.name, action: "changed" },
      ...{ version: version + 1, before: changed?.before ?? null, after: changed?.after ?? null },
    });
    return ok(version + 1);
  });
}
