"use server";

import { z } from "zod";
import { endToken, listTokens, makeToken } from "@/server/accounts/tokens";
import { ownOrigins } from "@/server/host/addresses";
import { fail, ok } from "@/server/problems";
import { action, id, word } from "../../_lib/guard";

/** For how many days a host may take part; null: until it is ended. */
const DAYS = z.union([z.literal(30), z.literal(365), z.null()]);

/** What makes a computer a bench host: told now and not again. */
export interface HostToken {
  server: string;
  secret: string;
}

export const addHostAction = action(
  "addBenchHost",
  "technician",
  [z.object({ name: word, days: DAYS })],
  async (context, { name, days }) => {
    const made = await makeToken(context, { name, kind: "bench", days });
    return made.ok ? ok<HostToken>({ server: ownOrigins()[0] ?? "", secret: made.value.secret }) : made;
  },
);

/** Ends a host's token: it takes part no more, at once. */
export const endHostAction = action("endBenchHost", "technician", [id], async (context, token) => {
  const own = (await listTokens(context, "bench")).find((each) => each.id === token);
  if (!own) return fail<null>({ code: "not-found", what: "bench host" });
  return endToken(context, token);
});
