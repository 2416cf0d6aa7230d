"use server";

import { endOwnSession } from "@/server/accounts/own";
import { removePasskey } from "@/server/accounts/passkeys";
import { action, word } from "../_lib/guard";

export const removePasskeyAction = action("removePasskey", "reader", [word], removePasskey);
export const endOwnSessionAction = action("endOwnSession", "reader", [word], endOwnSession);
