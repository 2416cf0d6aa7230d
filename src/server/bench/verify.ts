import { and, asc, eq, isNull } from "drizzle-orm";
import { manifestWithoutSystemFiles } from "@/core/making/planning/release-tree";
import { problemText } from "../../core/words/problems";
import type { Context } from "../context";
import { loads, media, releases } from "../db/schema";
import type { Compared, Manifested } from "../devices/compare";
import { readManifest } from "../inspections/contents";
import { dateVerification } from "../media/date-verification";
import type { DeviceRow } from "./devices";

export interface ToCompare {
  /** Of the medium that the device is. */
  tag: string;
  loads: Manifested[];
}

/** What a device is compared with: the manifests of the releases that its medium carries; null where one has none. */
export async function toCompareWith(
  context: Context,
  { mediumId }: Pick<DeviceRow, "mediumId">,
): Promise<ToCompare | null> {
  const carried = mediumId
    ? await context.db
        .select({
          inspectionId: releases.inspectionId,
          tag: media.tag,
          part: loads.part,
          lacks: loads.lacksSystemFiles,
        })
        .from(loads)
        .innerJoin(releases, eq(releases.id, loads.releaseId))
        .innerJoin(media, eq(media.id, loads.mediumId))
        .where(and(eq(loads.mediumId, mediumId), isNull(media.retiredAt)))
        .orderBy(asc(loads.id))
    : [];
  const manifested: Manifested[] = [];
  for (const { inspectionId, part, lacks } of carried) {
    const whole = inspectionId ? await readManifest(context, inspectionId) : null;
    const manifest = whole && lacks ? manifestWithoutSystemFiles(whole) : whole;
    // One of several that cannot be compared leaves the whole in doubt.
    if (!manifest) return null;
    manifested.push({ manifest, part: part && { startBytes: part.startBytes, lengthBytes: part.lengthBytes } });
  }
  const [{ tag } = { tag: "" }] = carried;
  return manifested.length === 0 ? null : { tag, loads: manifested };
}

/** Dates the verification of a medium by what comparing it came to. */
export async function dateByComparison(context: Context, tag: string, compared: Compared): Promise<void> {
  const right = compared.state === "compared" ? "whole" : "sample-right";
  const saved = await dateVerification(context, tag, compared.same ? right : "damaged");
  if (!saved.ok) throw new Error(problemText(saved.problem));
}
