"use server";

import { bulkChange, previewBulk, undoBatch } from "@/server/computers/bulk";
import {
  copyComputer,
  moveComputer,
  previewFacts,
  replaceDisk,
  setPartition,
  takeInFacts,
} from "@/server/computers/computer-acts";
import { removeView, saveView } from "@/server/computers/saved-views";
import { addComputer, getComputer, inputOf, retireComputer, saveComputer } from "@/server/inventory/computers";
import { fail, ok } from "@/server/problems";
import { action, flag, id, input, question, version, word } from "../_lib/guard";

// Thin doors to the services: who may pass is said here, what comes through is checked inside.

export const addComputerAction = action("addComputer", "technician", [input], addComputer);
export const saveComputerAction = action("saveComputer", "technician", [id, version, input], saveComputer);
export const retireComputerAction = action("retireComputer", "lead", [id, version, flag], retireComputer);
export const moveComputerAction = action("moveComputer", "technician", [id, version, id.nullable()], moveComputer);
export const replaceDiskAction = action("replaceDisk", "technician", [id, version, input], replaceDisk);
export const setPartitionAction = action("setPartition", "technician", [id, version, input], setPartition);
export const copyComputerAction = action("copyComputer", "technician", [word, input], copyComputer);
export const previewFactsAction = question("previewFacts", "technician", [input], previewFacts);
export const takeInFactsAction = action("takeInFacts", "technician", [input, version.nullable()], takeInFacts);
export const previewBulkAction = question("previewBulk", "technician", [input, input], previewBulk);
export const bulkChangeAction = action("bulkChange", "lead", [input, input], bulkChange);
export const undoBatchAction = action("undoBatch", "lead", [id], undoBatch);
export const saveViewAction = action("saveView", "technician", [input], saveView, { refresh: false });
export const removeViewAction = action("removeView", "technician", [id], removeView, { refresh: false });

/** A computer as it is now, for a form that was opened on what it was. */
export const computerNowAction = question("computerNow", "technician", [word], async (context, tag) => {
  const now = await getComputer(context, tag);
  return now
    ? ok({ ...inputOf(now), version: now.row.version })
    : fail({ code: "not-found", what: "computer", name: tag });
});
