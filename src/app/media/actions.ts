"use server";

import { z } from "zod";
import { dateVerification } from "@/server/media/date-verification";
import { addMedium, retireMedium, saveMedium } from "@/server/media/media";
import { action, flag, id, input, version, word } from "../_lib/guard";

/** The id of what was read from its file and kept before; null: nothing was. */
const kept = id.nullable();
const contentsOf = (known: number | null) => (known === null ? null : { kept: known });

export const addMediumAction = action("addMedium", "technician", [input, kept], (context, told, known) =>
  addMedium(context, told, contentsOf(known)),
);
export const saveMediumAction = action(
  "saveMedium",
  "technician",
  [id, version, input, kept],
  (context, own, seen, told, known) => saveMedium(context, own, seen, told, contentsOf(known)),
);
export const retireMediumAction = action("retireMedium", "lead", [id, version, flag], retireMedium);
export const dateVerificationAction = action(
  "dateVerification",
  "technician",
  [word, z.enum(["whole", "damaged"])],
  dateVerification,
);
