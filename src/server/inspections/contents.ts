import { promisify } from "node:util";
import { gunzip, gzip } from "node:zlib";
import { eq, isNotNull, sql } from "drizzle-orm";
import { z } from "zod";
import { type DriverSource, driverSourceSchema } from "@/core/medium/drivers/driver-set";
import { type Inspection, inspectionSchema } from "@/core/medium/inspection/schema";
import { type Manifest, manifestSchema } from "@/core/medium/integrity/manifest";
import { type Listing, listingSchema } from "@/core/medium/volumes/listing";
import { act } from "../act";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import type { InspectionId } from "../db/ids";
import { inspectionContents, inspections } from "../db/schema";
import { checked, fail, ok, type Result, refused } from "../problems";
import { storeInspection } from "./inspections";

/** What may be sent at once, compressed and unpacked. */
export const CONTENTS_BYTES_MAX = 64 << 20;
const SENT_UNPACKED_BYTES_MAX = 32 << 20;
/** What was kept by earlier versions may be larger. */
const UNPACKED_BYTES_MAX = 512 << 20;
/** What one value of the database takes by its default settings. */
const STORED_BYTES_MAX = 15 << 20;

const pack = async (value: unknown) => new Uint8Array(await promisify(gzip)(JSON.stringify(value)));

async function unpack(bytes: Uint8Array, maxOutputLength = UNPACKED_BYTES_MAX): Promise<unknown> {
  const buffer = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const plain = await promisify(gunzip)(buffer, { maxOutputLength });
  return JSON.parse(plain.toString("utf8"));
}

const contentsSchema = z.object({
  inspection: inspectionSchema,
  listing: listingSchema.nullable(),
  drivers: z.array(driverSourceSchema).max(20_000).nullable(),
});

/** Keeps what a browser read from a file, gzip-compressed JSON; gives the inspection's id. */
export async function storeContents(context: Context, body: Uint8Array): Promise<Result<number>> {
  const value = await readBody(body, contentsSchema);
  if (!value.ok) return value;
  return keepContents(context, value.value);
}

export async function keepContents(
  context: Context,
  { inspection, listing, drivers }: { inspection: Inspection; listing: Listing | null; drivers: DriverSource[] | null },
): Promise<Result<number>> {
  const parts = {
    listing: listing && (await pack(listing)),
    drivers: drivers && drivers.length > 0 ? await pack(drivers) : null,
  };
  for (const part of Object.values(parts))
    if (part && part.length > STORED_BYTES_MAX) return refused({ code: "too-large-to-keep" });
  return act(context, null, async ({ db: tx }) => {
    const inspectionId = await storeInspection(tx, context, inspection);
    await tx.insert(inspectionContents).values({ inspectionId, ...parts });
    return ok(inspectionId);
  });
}

async function readBody<S extends z.ZodType>(body: Uint8Array, schema: S): Promise<Result<z.output<S>>> {
  try {
    return checked(schema, await unpack(body, SENT_UNPACKED_BYTES_MAX));
  } catch {
    return refused({ code: "body-unreadable" });
  }
}

/** Keeps the manifest of a file that was read before; it must be of the same file. */
export async function storeManifest(
  context: Context,
  inspectionId: InspectionId,
  body: Uint8Array,
): Promise<Result<number>> {
  const value = await readBody(body, manifestSchema);
  return value.ok ? keepManifest(context, inspectionId, value.value) : value;
}

export async function keepManifest(
  context: Context,
  inspectionId: InspectionId,
  manifest: Manifest,
): Promise<Result<number>> {
  const [row] = await context.db
    .select({ bytes: inspections.bytes, sha256: inspections.sha256 })
    .from(inspections)
    .where(eq(inspections.id, inspectionId));
  if (!row) return fail({ code: "not-found", what: "file read" });
  if (row.bytes !== manifest.file.bytes || (row.sha256 !== null && row.sha256 !== manifest.file.sha256))
    return refused({ code: "manifest-of-another-file" });
  const packed = await pack(manifest);
  if (packed.length > STORED_BYTES_MAX) return refused({ code: "manifest-too-large" });
  return act(context, null, async ({ db: tx }) => {
    const set = { manifest: packed, manifestAt: context.now() };
    await tx
      .insert(inspectionContents)
      .values({ inspectionId, ...set })
      .onDuplicateKeyUpdate({ set });
    await tx.update(inspections).set({ sha256: manifest.file.sha256 }).where(eq(inspections.id, inspectionId));
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
