import { eq, sql } from "drizzle-orm";
import type { Inspection } from "@/core/inspection/schema";
import type { Context } from "../context";
import { devices, media } from "../db/schema";
import { problemText } from "../problems";
import { addMedium, getMedium, type MediumInput, mediumInputOf, saveMedium } from "../services/media";
import { type DeviceRow, mediumKindOf } from "./devices";
import type { BenchJob } from "./jobs";

/** Enters a medium that was made and verified: the one with its tag as it is now, or a new one. Gives its tag. */
export async function recordMedium(
  context: Context,
  job: BenchJob,
  device: DeviceRow,
  read: Inspection,
): Promise<string | null> {
  const tag = job.mediumTag;
  if (tag === null || job.releaseId === null) return null;
  const today = context.now().toISOString().slice(0, 10);
  const made = {
    kind: mediumKindOf(device),
    capacityBytes: device.bytes,
    writtenOn: today,
    verified: { on: today, whole: true },
    releaseIds: [job.releaseId],
  } as const;
  const before = await getMedium(context, tag);
  const fresh: MediumInput = {
    tag,
    name: null,
    siteId: null,
    lentTo: null,
    note: null,
    condition: "good",
    ...made,
    releaseIds: [...made.releaseIds],
  };
  const result = before
    ? await saveMedium(
        context,
        before.row.id,
        before.row.version,
        { ...mediumInputOf(before), ...made, releaseIds: [...made.releaseIds] },
        read,
      )
    : await addMedium(context, fresh, read);
  if (!result.ok) throw new Error(problemText(result.problem));
  const [row] = await context.db.select({ id: media.id }).from(media).where(eq(media.tag, tag));
  if (row) await context.db.update(devices).set({ mediumId: row.id }).where(eq(devices.id, device.id));
  return tag;
}

/** Adds to what a device went through. */
export async function recordWear(
  context: Context,
  deviceId: number,
  { bytesWritten, writeRate, readRate }: { bytesWritten: number; writeRate: number | null; readRate: number | null },
): Promise<void> {
  await context.db
    .update(devices)
    .set({
      timesWritten: sql`${devices.timesWritten} + 1`,
      bytesWritten: sql`${devices.bytesWritten} + ${bytesWritten}`,
      ...(writeRate === null ? {} : { writeRate }),
      ...(readRate === null ? {} : { readRate }),
      updatedAt: context.now(),
    })
    .where(eq(devices.id, deviceId));
}
