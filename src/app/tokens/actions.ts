"use server";

import { endToken, makeToken } from "@/server/accounts/tokens";
import { action, id, input } from "../_lib/guard";

export const makeTokenAction = action("makeToken", "administrator", [input], makeToken);
export const endTokenAction = action("endToken", "administrator", [id], endToken);
