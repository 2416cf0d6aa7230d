"use server";

import { z } from "zod";
import { fillBerth, setBatch } from "@/server/bench/berths";
import { FAULTS, switchFault } from "@/server/bench/faults";
import { askOf, resume, startCheck, startPreparation, startStore } from "@/server/bench/jobs";
import { registerFromBerth } from "@/server/bench/register-found";
import { takeInFromBerth } from "@/server/bench/take-in";
import { addMedium, NOTHING_READ } from "@/server/media/media";
import { action, id, input, version, word } from "../_lib/guard";

/** Of its content: above 0, at most 1; null: all of it. */
const share = z.number().positive().max(1).nullable();
const file = z.object({
  ...{ tag: word, name: word.nullable(), note: z.string().max(10_000).nullable() },
  ...{
    releaseIds: z.array(id).max(100),
    siteId: id.nullable(),
    bytes: z.number().int().min(0).max(Number.MAX_SAFE_INTEGER),
  },
});

export const startPreparationAction = action("startPreparation", "technician", [input], startPreparation);
export const startStoreAction = action("startStore", "technician", [input], startStore);

/** A medium that is still a file: it is at hand once it was written or burnt. */
export const registerFileAction = action("registerFile", "technician", [file], (context, { bytes, ...said }) => {
  const medium = { ...said, kind: "file", capacityBytes: bytes, onComputer: null, lentTo: null };
  const rest = { condition: null, writtenOn: null, verified: null };
  return addMedium(context, { ...medium, ...rest }, NOTHING_READ);
});

export const startTestAction = action("startTest", "technician", [id, word], (context, berth, confirm) =>
  startCheck(context, berth, { kind: "capacity" }, confirm),
);
export const startVerificationAction = action("startVerification", "technician", [id, share], (context, berth, part) =>
  startCheck(context, berth, { kind: "verify", share: part }, ""),
);
export const askAction = action("ask", "technician", [id, z.enum(["pause", "cancel"])], askOf);
export const resumeAction = action("resume", "technician", [id], resume);
export const switchFaultAction = action("switchFault", "lead", [id, z.enum(FAULTS)], switchFault);
export const takeInAction = action("takeIn", "technician", [id], takeInFromBerth);
export const registerFoundAction = action("registerFound", "technician", [id, word], (context, berth, tag) =>
  registerFromBerth(context, berth, { tag }),
);
export const setBatchAction = action("setBatch", "technician", [id, version, word], setBatch);
export const fillBerthAction = action("fillBerth", "technician", [id, version, id.nullable()], fillBerth);
