import { and, eq, isNull } from "drizzle-orm";
import { z } from "zod";
import { CachedSource, ReadFailed } from "@/core/kernel/source";
import { DeviceFault } from "@/core/making/writing/device";
import { inspect } from "@/core/medium/inspection/inspect";
import type { Inspection } from "@/core/medium/inspection/schema";
import { startPathsOf } from "@/core/medium/inspection/start-paths";
import { act } from "../act";
import type { Context } from "../context";
import type { BerthId, ReleaseId } from "../db/ids";
import { berths, devices, inspections, inspectionViews, kits, media, releases } from "../db/schema";
import { asSource, sectorsOf } from "../devices/device";
import { asInspection } from "../inspections/inspections";
import { tagSchema } from "../inventory/computers";
import { addMedium } from "../media/media";
import { checked, fail, ok, type Result, refused } from "../problems";
import { type DeviceRow, mediumKindOf, openDevice } from "./devices";
import { isElsewhere, lookAt } from "./looks";

export interface Registered {
  tag: string;
  /** The release that its loaders are recognised as, by name; null: of none in the inventory. */
  release: string | null;
}

/** Registers the medium that a device in a berth is, as it was found. Problems: `not-found`, `invalid`, `taken`, `device-fault`. */
export async function registerFromBerth(
  context: Context,
  berthId: BerthId,
  input: unknown,
): Promise<Result<Registered>> {
  const parsed = checked(z.object({ tag: tagSchema }), input);
  if (!parsed.ok) return parsed;
  const { tag } = parsed.value;
  const [row] = await context.db
    .select({ device: devices, medium: media.tag })
    .from(berths)
    .innerJoin(devices, eq(devices.id, berths.deviceId))
    .leftJoin(media, and(eq(media.id, devices.mediumId), isNull(media.retiredAt)))
    .where(eq(berths.id, berthId));
  if (!row) return fail({ code: "not-found", what: "device in that berth" });
  if (row.medium !== null) return refused({ code: "device-registered", tag: row.medium });
  const read = await readDevice(context, row.device, tag);
  if (!read.ok) return read;
  const release = await recognisedAs(context, read.value);
  return act(context, null, async (acting) => {
    const added = await addMedium(
      acting,
      {
        ...{ tag, kind: mediumKindOf(row.device), capacityBytes: row.device.bytes, name: null, note: null },
        ...{ siteId: null, onComputer: null, lentTo: null, condition: null, writtenOn: null, verified: null },
        releaseIds: release ? [release.id] : [],
      },
      read.value,
    );
    if (!added.ok) return added;
    await acting.db.update(devices).set({ mediumId: added.value }).where(eq(devices.id, row.device.id));
    return ok({ tag, release: release?.name ?? null });
  });
}

async function readDevice(context: Context, row: DeviceRow, tag: string): Promise<Result<Inspection>> {
  if (await isElsewhere(context, row)) {
    const { inspection } = await lookAt(context, row);
    const file = inspection && { ...inspection.file, name: `${tag}.img` };
    return file ? ok({ ...inspection, file }) : refused({ code: "device-unreadable" });
  }
  try {
    const device = await openDevice(row, { write: false });
    try {
      return ok(
        (await inspect(new CachedSource(asSource(device)), { name: `${tag}.img`, ...sectorsOf(row) })).inspection,
      );
    } finally {
      await device.close();
    }
  } catch (error) {
    const cause = error instanceof ReadFailed ? error.cause : error;
    if (cause instanceof DeviceFault) return refused({ code: "device-fault", fault: cause.code, offset: cause.offset });
    throw error;
  }
}

/** Its loaders by their hashes: what the same release has wherever it stands. Null: it has none. */
function loadersOf(inspection: Inspection): string | null {
  const hashes = startPathsOf(inspection).flatMap((path) =>
    path.firmware === "uefi" ? (path.loader.authenticode ?? []) : [],
  );
  return hashes.length === 0 ? null : [...new Set(hashes)].sort().join(" ");
}

/** What its volumes are called: a raw copy has the labels of its release. */
function labelsOf({ contents, partitions }: Inspection): string {
  return JSON.stringify([contents.label, partitions.map(({ label }) => label)]);
}

/** The release with the same loaders and labels, or the only one with the same loaders. */
async function recognisedAs(context: Context, inspection: Inspection): Promise<{ id: ReleaseId; name: string } | null> {
  const own = loadersOf(inspection);
  if (own === null) return null;
  const rows = await context.db
    .select({
      ...{ id: releases.id, name: releases.name, kit: kits.name },
      ...{ body: inspections.body, views: inspectionViews.body },
    })
    .from(releases)
    .innerJoin(kits, eq(kits.id, releases.kitId))
    .innerJoin(inspections, eq(inspections.id, releases.inspectionId))
    .innerJoin(inspectionViews, eq(inspectionViews.key, inspections.viewsKey));
  const alike = rows.flatMap((row) => {
    const read = asInspection(row.body, row.views);
    return read && loadersOf(read) === own ? [{ ...row, read }] : [];
  });
  const found =
    alike.findLast(({ read }) => labelsOf(read) === labelsOf(inspection)) ??
    (alike.length === 1 ? alike[0] : undefined);
  return found ? { id: found.id, name: `${found.kit} ${found.name}` } : null;
}
