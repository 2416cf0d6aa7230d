import { and, desc, eq, isNull, sql } from "drizzle-orm";
import { z } from "zod";
import { dayOf } from "@/core/kernel/days";
import { act } from "../act";
import type { Context } from "../context";
import type { ComputerId, DrillId, MediumId } from "../db/ids";
import { insertedId } from "../db/results";
import { computers, drills, loads, media, plannedDrills } from "../db/schema";
import { recordEvent } from "../inventory/events";
import { checked, fail, ok, type Result, refused } from "../problems";
import { settleTask } from "./cover-tasks";

const DRILL_RESULTS = ["started", "restored", "failed"] as const;
export type DrillResult = (typeof DRILL_RESULTS)[number];

const drillInputSchema = z.object({
  medium: z.string().trim().min(1, "The medium's tag is needed."),
  computer: z.string().trim().min(1, "The computer's tag is needed."),
  on: z.iso.date("A day is year, month and day, such as 2026-03-01."),
  result: z.enum(DRILL_RESULTS),
  /** Of the computer on that day; what is recorded of it now where it is left out. */
  firmwareVersion: z.string().trim().max(200).nullish(),
  note: z
    .string()
    .trim()
    .max(4000)
    .nullish()
    .transform((value) => value || null),
});

/** What an emulated drill leaves: recorded with it, never typed. */
export interface DrillEvidence {
  text: string;
  /** PNG. */
  picture: Uint8Array | null;
}

/** Records a test start, or a test restore. Problems: `invalid`, `not-found`. */
export async function recordDrill(
  context: Context,
  input: unknown,
  evidence: DrillEvidence | null = null,
): Promise<Result<number>> {
  const parsed = checked(drillInputSchema, input);
  if (!parsed.ok) return parsed;
  const { medium: mediumTag, computer: computerTag, on, result, note } = parsed.value;
  if (on > dayOf(context.now())) return refused({ code: "day-ahead-drill" }, "on");
  return act(context, { field: "drill", value: mediumTag }, async ({ db: tx }) => {
    const [[medium], [computer]] = await Promise.all([
      tx.select({ id: media.id, tag: media.tag }).from(media).where(eq(media.tag, mediumTag)),
      tx
        .select({ id: computers.id, tag: computers.tag, firmwareVersion: computers.firmwareVersion })
        .from(computers)
        .where(eq(computers.tag, computerTag)),
    ]);
    if (!medium) return fail({ code: "not-found", what: "medium", name: mediumTag });
    if (!computer) return fail({ code: "not-found", what: "computer", name: computerTag });
    const firmwareVersion = parsed.value.firmwareVersion ?? computer.firmwareVersion;
    const times = { createdAt: context.now(), updatedAt: context.now() };
    const row = await tx
      .insert(drills)
      .values({
        ...{ mediumId: medium.id, computerId: computer.id, on, result, firmwareVersion, note, ...times },
        ...(evidence
          ? {
              isEmulated: true,
              evidenceText: evidence.text,
              evidencePicture: evidence.picture && Buffer.from(evidence.picture),
            }
          : {}),
      })
      .$returningId();
    const id = insertedId(row);
    // A plan is kept by a drill on the computer itself; the emulated one only hints.
    if (!evidence && result !== "failed") {
      const carried = await tx.select({ id: loads.releaseId }).from(loads).where(eq(loads.mediumId, medium.id));
      const releaseIds = carried.map((load) => load.id);
      await settleTask(tx, context, { what: "tried", medium: medium.tag, releaseIds, computer: computer.tag });
    }
    if (!evidence)
      await tx
        .update(plannedDrills)
        .set({ endedAt: context.now(), drillId: id })
        .where(
          and(
            eq(plannedDrills.mediumId, medium.id),
            eq(plannedDrills.computerId, computer.id),
            isNull(plannedDrills.endedAt),
          ),
        );
    await recordEvent(tx, context, {
      entity: "drill",
      entityId: id,
      entityTag: `${medium.tag} on ${computer.tag}`,
      action: "added",
      version: 1,
      before: null,
      after: {
        medium: medium.tag,
        computer: computer.tag,
        on,
        result,
        firmwareVersion,
        note,
        emulated: evidence !== null,
      },
    });
    return ok(id);
  });
}

export interface DrillItem {
  id: DrillId;
  medium: string;
  computer: string;
  on: string;
  result: DrillResult;
  firmwareVersion: string | null;
  note: string | null;
  isEmulated: boolean;
  /** Whether there is a text or picture of it. */
  hasEvidence: boolean;
}

/** The drills of a computer or of a medium, or all there are, the latest first. */
export function drillsOf(
  context: Context,
  of: { computerId: ComputerId } | { mediumId: MediumId } | "all",
  limit = 50,
): Promise<DrillItem[]> {
  return context.db
    .select({
      id: drills.id,
      medium: media.tag,
      computer: computers.tag,
      on: drills.on,
      result: drills.result,
      firmwareVersion: drills.firmwareVersion,
      note: drills.note,
      isEmulated: drills.isEmulated,
      hasEvidence: sql<boolean>`${drills.evidenceText} IS NOT NULL`.mapWith(Boolean),
    })
    .from(drills)
    .innerJoin(media, eq(media.id, drills.mediumId))
    .innerJoin(computers, eq(computers.id, drills.computerId))
    .where(
      of === "all"
        ? undefined
        : "computerId" in of
          ? eq(drills.computerId, of.computerId)
          : eq(drills.mediumId, of.mediumId),
    )
    .orderBy(desc(drills.on), desc(drills.id))
    .limit(limit);
}
