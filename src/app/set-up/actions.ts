"use server";

import { setUp } from "@/server/accounts/set-up";
import { database } from "@/server/db/client";
import { input, openAction } from "../_lib/guard";

/** Makes the organisation and its first administrator, for whoever has the link. */
export const setUpAction = openAction("setUp", [input], (told) => setUp(database(), () => new Date(), told));
