import { eq, isNotNull, sql } from "drizzle-orm";
import type { DriverSource } from "@/core/medium/drivers/driver-set";
import type { Inspection } from "@/core/medium/inspection/schema";
import type { Manifest } from "@/core/medium/integrity/manifest";
import type { Listing } from "@/core/medium/volumes/listing";
import { act } from "../act";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import type { InspectionId } from "../db/ids";
import { inspectionContents, inspections } from "../db/schema";
import { fail, ok, type Result, refused } from "../problems";
import { readApart } from "./apart";
import { type PackedContents, type PackedManifest, packedContents, packedManifest, unpack } from "./bodies";
import { storeInspection } from "./inspections";

/** What may be sent at once, compressed. */
export const CONTENTS_BYTES_MAX = 64 << 20;
/** What one value of the database takes by its default settings. */
const STORED_BYTES_MAX = 15 << 20;

/** Keeps what a browser read from a file, gzip-compressed JSON; gives the inspection's id. */
export async function storeContents(context: Context, body: Uint8Array): Promise<Result<number>> {
  const value = await readApart("contents", body);
  return value.ok ? keepPacked(context, value.value) : value;
}

export async function keepContents(
  context: Context,
  contents: { inspection: Inspection; listing: Listing | null; drivers: DriverSource[] | null },
): Promise<Result<number>> {
  return keepPacked(context, await packedContents(contents));
}

async function keepPacked(context: Context, { inspection, ...parts }: PackedContents): Promise<Result<number>> {
  for (const part of Object.values(parts))
    if (part && part.length > STORED_BYTES_MAX) return refused({ code: "too-large-to-keep" });
  return act(context, null, async ({ db: tx }) => {
    const inspectionId = await storeInspection(tx, context, inspection);
    await tx.insert(inspectionContents).values({ inspectionId, ...parts });
    return ok(inspectionId);
  });
}

/** Keeps the manifest of a file that was read before; it must be of the same file. */
export async function storeManifest(
  context: Context,
  inspectionId: InspectionId,
  body: Uint8Array,
): Promise<Result<number>> {
  const value = await readApart("manifest", body);
  return value.ok ? keepPackedManifest(context, inspectionId, value.value) : value;
}

export async function keepManifest(
  context: Context,
  inspectionId: InspectionId,
  manifest: Manifest,
): Promise<Result<number>> {
  return keepPackedManifest(context, inspectionId, await packedManifest(manifest));
}

async function keepPackedManifest(
  context: Context,
  inspectionId: InspectionId,
  { file, packed }: PackedManifest,
): Promise<Result<number>> {
  const [row] = await context.db
    .select({ bytes: inspections.bytes, sha256: inspections.sha256 })
    .from(inspections)
    .where(eq(inspections.id, inspectionId));
  if (!row) return fail({ code: "not-found", what: "file read" });
  if (row.bytes !== file.bytes || (row.sha256 !== null && row.sha256 !== file.sha256))
    return refused({ code: "manifest-of-another-file" });
  if (packed.length > STORED_BYTES_MAX) return refused({ code: "manifest-too-large" });
  return act(context, null, async ({ db: tx }) => {
    const set = { manifest: packed, manifestAt: context.now() };
    await tx
      .insert(inspectionContents)
      .values({ inspectionId, ...set })
      .onDuplicateKeyUpdate({ set });
    await tx.update(inspections).set({ sha256: file.sha256 }).where(eq(inspections.id, inspectionId));
    return ok(inspectionId);
  });
}

async function part(
  queries: Queries,
  inspectionId: InspectionId,
  name: "listing" | "drivers" | "manifest",
): Promise<unknown> {
  const [row] = await queries
    .select({ body: inspectionContents[name] })
    .from(inspectionContents)
    .where(eq(inspectionContents.inspectionId, inspectionId));
  return row?.body ? unpack(row.body) : null;
}

export async function listingOf(context: Context, inspectionId: InspectionId): Promise<Listing | null> {
  return (await part(context.db, inspectionId, "listing")) as Listing | null;
}

export async function readDrivers(context: Context, inspectionId: InspectionId): Promise<DriverSource[] | null> {
  return (await part(context.db, inspectionId, "drivers")) as DriverSource[] | null;
}

export async function readManifest(context: Context, inspectionId: InspectionId): Promise<Manifest | null> {
  return (await part(context.db, inspectionId, "manifest")) as Manifest | null;
}

/** What is kept of a file that was read, and when its manifest was made. */
export async function contentsKept(
  context: Context,
  inspectionId: InspectionId,
): Promise<{ listing: boolean; drivers: boolean; manifestAt: Date | null }> {
  const [row] = await context.db
    .select({
      listing: sql<number>`${isNotNull(inspectionContents.listing)}`,
      drivers: sql<number>`${isNotNull(inspectionContents.drivers)}`,
      manifestAt: inspectionContents.manifestAt,
    })
    .from(inspectionContents)
    .where(eq(inspectionContents.inspectionId, inspectionId));
  return {
    listing: Boolean(Number(row?.listing ?? 0)),
    drivers: Boolean(Number(row?.drivers ?? 0)),
    manifestAt: row?.manifestAt ?? null,
  };
}
