"use server";

import { z } from "zod";
import { saveKeyCard } from "@/server/inventory/key-cards";
import { action, id, input, version } from "../_lib/guard";

const seen = z.object({ id, version }).nullable();

export const saveKeyCardAction = action("saveKeyCard", "technician", [seen, input], saveKeyCard);
