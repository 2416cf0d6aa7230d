import { cookies } from "next/headers";
import { cache } from "react";
import { type Context, ownContext } from "@/server/context";
import { database } from "@/server/db/client";
import { listPeople } from "@/server/inventory/people";

const PERSON_COOKIE = "creel-person";

/** Who acts in this request: the person chosen in the shell, until accounts come. */
export const currentContext = cache(
  async (): Promise<Context & { people: { id: number; name: string; role: string | null }[] }> => {
    const db = database();
    const people = await listPeople(db);
    const chosen = Number((await cookies()).get(PERSON_COOKIE)?.value);
    const now = () => new Date();
    // Of an inventory that nobody uses yet pages are shown; the layout asks for the first one.
    const person = people.find((each) => each.id === chosen) ?? people[0] ?? ownContext(db, now).person;
    return { db, person, now, people };
  },
);
