"use client";

import type { DriverSource } from "@/core/medium/drivers/driver-set";
import type { Inspection } from "@/core/medium/inspection/schema";
import type { Listing } from "@/core/medium/volumes/listing";
import { type Sent, sendPacked } from "@/ui/send-packed";

export interface ReadFile {
  inspection: Inspection;
  drivers: DriverSource[];
  /** Null where it was not listed to its end. */
  listing: Listing | null;
}

/** Keeps what was read from a file, for a medium as for a release; gives the id by which either refers to it. */
export function keepRead(read: ReadFile): Promise<Sent> {
  return sendPacked("/api/contents", "POST", read);
}
