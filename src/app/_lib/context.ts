import { cookies } from "next/headers";
import { cache } from "react";
import type { Context } from "@/server/context";
import { database } from "@/server/db/client";
import { listPeople } from "@/server/inventory/people";

const PERSON_COOKIE = "creel-person";

/** Who acts in this request: the person chosen in the shell, until accounts come. */
export const currentContext = cache(
  async (): Promise<Context & { people: { id: number; name: string; role: string | null }[] }> => {
    const db = database();
    const people = await listPeople(db);
    const chosen = Number((await cookies()).get(PERSON_COOKIE)?.value);
    const person = people.find((each) => each.id === chosen) ?? people[0];
    if (!person) throw new Error("The database holds no people: load the demo, or add one.");
    return { db, person, now: () => new Date(), people };
  },
);
