"use server";

import { endOwnSession } from "@/server/accounts/own";
import { action, word } from "../_lib/guard";

export const endOwnSessionAction = action("endOwnSession", "reader", [word], endOwnSession);
