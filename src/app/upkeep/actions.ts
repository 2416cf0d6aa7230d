"use server";

import { z } from "zod";
import { makeToken } from "@/server/accounts/tokens";
import { ownOrigins } from "@/server/host/addresses";
import { ok } from "@/server/problems";
import { setMailAddress } from "@/server/upkeep/addresses";
import { sendDigests } from "@/server/upkeep/digests";
import { putOff } from "@/server/upkeep/due";
import { takeUp } from "@/server/upkeep/snoozes";
import { enterVisit } from "@/server/upkeep/visits";
import { action, id, input, word } from "../_lib/guard";

export const putOffAction = action("putOff", "technician", [input], putOff);
export const takeUpAction = action("takeUp", "technician", [id], takeUp);
export const enterVisitAction = action("enterVisit", "technician", [input], enterVisit);
export const setMailAddressAction = action("setMailAddress", "lead", [input], setMailAddress);
export const sendDigestsAction = action("sendDigests", "lead", [], async (context) => ok(await sendDigests(context)), {
  refresh: false,
});

/** Makes the address of a calendar, which is a secret: it is told now, and not again. */
export const makeCalendarAction = action(
  "makeCalendar",
  "technician",
  [z.object({ name: word, siteId: id.nullable(), ofPersonId: id.nullable() })],
  async (context, { name, siteId, ofPersonId }) => {
    const asked = { name: `Calendar of ${name}`.slice(0, 120), kind: "calendar", siteId, ofPersonId, days: null };
    const made = await makeToken(context, asked);
    return made.ok ? ok(`${ownOrigins()[0] ?? ""}/api/calendar/${made.value.secret}`) : made;
  },
);
