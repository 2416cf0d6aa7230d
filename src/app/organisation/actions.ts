"use server";

import { saveOrganisation } from "@/server/accounts/organisation";
import { action, input, version } from "../_lib/guard";
import { forgetRegional } from "../_lib/regional";

export const saveOrganisationAction = action(
  "saveOrganisation",
  "administrator",
  [version, input],
  async (context, seen: number, said: unknown) => {
    const saved = await saveOrganisation(context, seen, said);
    forgetRegional();
    return saved;
  },
);
