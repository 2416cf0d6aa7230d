"use server";

import { z } from "zod";
import { makeToken } from "@/server/accounts/tokens";
import { endHost } from "@/server/bench/hosts";
import { ownOrigins } from "@/server/host/addresses";
import { ok } from "@/server/problems";
import { action, id, word } from "../../_lib/guard";

/** For how many days a host may take part; null: until it is ended. */
const DAYS = z.union([z.literal(30), z.literal(365), z.null()]);

/** What makes a computer a bench host: told now and not again. */
export interface HostToken {
  server: string;
  secret: string;
}

export const addBenchHostAction = action(
  "addBenchHost",
  "technician",
  [z.object({ name: word, days: DAYS })],
  async (context, { name, days }) => {
    const made = await makeToken(context, { name, kind: "bench", days });
    return made.ok ? ok<HostToken>({ server: ownOrigins()[0] ?? "", secret: made.value.secret }) : made;
  },
);

export const endBenchHostAction = action("endBenchHost", "technician", [id], endHost);
