import { asc, eq } from "drizzle-orm";
import { z } from "zod";
import { act } from "../act";
import type { Context } from "../context";
import type { PersonId, SiteId } from "../db/ids";
import { people, sites } from "../db/schema";
import { recordEvent } from "../inventory/events";
import { checked, fail, ok, type Result } from "../problems";

/** Who is written to: a place or a person. */
export interface Audience {
  kind: "site" | "person";
  id: SiteId | PersonId;
  name: string;
  mail: string | null;
}

/** Every place, then every person, by name. */
export async function listAudiences({ db }: Pick<Context, "db">): Promise<Audience[]> {
  const [places, staff] = await Promise.all([
    db.select({ id: sites.id, name: sites.name, mail: sites.mail }).from(sites).orderBy(asc(sites.name)),
    db.select({ id: people.id, name: people.name, mail: people.mail }).from(people).orderBy(asc(people.name)),
  ]);
  return [
    ...places.map((place) => ({ kind: "site" as const, ...place })),
    ...staff.map((person) => ({ kind: "person" as const, ...person })),
  ];
}

const inputSchema = z.object({
  kind: z.enum(["site", "person"]),
  id: z.number().int(),
  /** Empty: none. */
  mail: z
    .string()
    .trim()
    .max(254, "A mail address has at most 254 characters.")
    .refine(
      (text) => text === "" || z.email().safeParse(text).success,
      "This is no mail address. One looks like quay@skerry.example.",
    )
    .transform((text) => text || null),
});

/** Says where digests for a place or a person go. Problems: `invalid`, `not-found`. */
export async function setMailAddress(context: Context, input: unknown): Promise<Result<string | null>> {
  const parsed = checked(inputSchema, input);
  if (!parsed.ok) return parsed;
  const { kind, id, mail } = parsed.value;
  const table = kind === "site" ? sites : people;
  return act(context, null, async ({ db: tx }): Promise<Result<string | null>> => {
    const [row] = await tx.select().from(table).where(eq(table.id, id)).for("update");
    if (!row) return fail({ code: "not-found", what: kind === "site" ? "site" : "person" });
    if (row.mail === mail) return ok(mail);
    const version = row.version + 1;
    await tx.update(table).set({ mail, version }).where(eq(table.id, id));
    await recordEvent(tx, context, {
      ...{ entity: kind, entityId: id, entityTag: row.name, action: "changed", version },
      ...{ before: { mail: row.mail }, after: { mail } },
    });
    return ok(mail);
  });
}
