"use server";

import { z } from "zod";
import { chooseRoute, closeCallout, openCallout, setNewComputer, setNewDisk } from "@/server/callouts/callouts";
import { action, id, input, word } from "../_lib/guard";

const wanted = z.object({ medium: word, outcome: word, image: word.nullable(), release: word.nullable() });

export const openCalloutAction = action("openCallout", "technician", [input], openCallout);
export const chooseRouteAction = action("chooseRoute", "technician", [id, wanted], chooseRoute);
export const setNewDiskAction = action("setNewDisk", "technician", [id, input], setNewDisk);
export const setNewComputerAction = action("setNewComputer", "technician", [id, word], setNewComputer);
export const closeCalloutAction = action("closeCallout", "technician", [id, input], closeCallout);
