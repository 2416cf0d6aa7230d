"use server";

import { acceptArrivals, dismissArrivals, joinArrival, markSeen, recallArrival } from "@/server/arrivals/arrivals";
import { action, id, input, word } from "../../_lib/guard";

export const acceptArrivalsAction = action("acceptArrivals", "technician", [input], acceptArrivals);
export const joinArrivalAction = action("joinArrival", "technician", [id, word], joinArrival);
export const dismissArrivalsAction = action("dismissArrivals", "technician", [input], dismissArrivals);
export const recallArrivalAction = action("recallArrival", "technician", [id], recallArrival);
export const markSeenAction = action("markSeen", "technician", [id], markSeen);
