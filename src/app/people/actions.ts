"use server";

import { changeAccount, endSessions, invite, inviteAgain, removeSecondFactor } from "@/server/accounts/accounts";
import { forgetPerson } from "@/server/accounts/forgetting";
import { action, id, input, version, word } from "../_lib/guard";

export const inviteAction = action("invite", "administrator", [input], invite);
export const inviteAgainAction = action("inviteAgain", "administrator", [word], inviteAgain);
export const changeAccountAction = action("changeAccount", "administrator", [word, version, input], changeAccount);
export const forgetPersonAction = action("forgetPerson", "administrator", [id], forgetPerson);
export const endSessionsAction = action("endSessions", "administrator", [word], endSessions);
export const removeSecondFactorAction = action("removeSecondFactor", "administrator", [word], removeSecondFactor);
