import { promisify } from "node:util";
import { gunzip, gzip } from "node:zlib";
import { z } from "zod";
import { type DriverSource, driverSourceSchema } from "@/core/medium/drivers/driver-set";
import { type Inspection, inspectionSchema } from "@/core/medium/inspection/schema";
import { type Manifest, manifestSchema } from "@/core/medium/integrity/manifest";
import { type Listing, listingSchema } from "@/core/medium/volumes/listing";
import { checked, ok, type Result, refused } from "../problems";

/** Unpacked, at most. */
const SENT_UNPACKED_BYTES_MAX = 32 << 20;
/** What was kept by earlier versions may be larger. */
const UNPACKED_BYTES_MAX = 512 << 20;

const pack = async (value: unknown) => new Uint8Array(await promisify(gzip)(JSON.stringify(value)));

export async function unpack(bytes: Uint8Array, maxOutputLength = UNPACKED_BYTES_MAX): Promise<unknown> {
  const buffer = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const plain = await promisify(gunzip)(buffer, { maxOutputLength });
  return JSON.parse(plain.toString("utf8"));
}

const contentsSchema = z.object({
  inspection: inspectionSchema,
  listing: listingSchema.nullable(),
  drivers: z.array(driverSourceSchema).max(20_000).nullable(),
});

/** What a browser read from a file: its larger parts are packed as they are kept. */
export interface PackedContents {
  inspection: Inspection;
  listing: Uint8Array | null;
  drivers: Uint8Array | null;
}

export async function packedContents(contents: {
  inspection: Inspection;
  listing: Listing | null;
  drivers: DriverSource[] | null;
}): Promise<PackedContents> {
  const { inspection, listing, drivers } = contents;
  return {
    inspection,
    listing: listing && (await pack(listing)),
    drivers: drivers && drivers.length > 0 ? await pack(drivers) : null,
  };
}

/** A manifest with what its record needs of it. */
export interface PackedManifest {
  file: Manifest["file"];
  packed: Uint8Array;
}

export const packedManifest = async (manifest: Manifest): Promise<PackedManifest> => ({
  file: manifest.file,
  packed: await pack(manifest),
});

/** Reads what was sent, gzip-compressed JSON, against its schema, and packs it as it is kept. */
export const READERS = {
  contents: async (body: Uint8Array): Promise<Result<PackedContents>> => {
    const read = await readBody(body, contentsSchema);
    return read.ok ? ok(await packedContents(read.value)) : read;
  },
  manifest: async (body: Uint8Array): Promise<Result<PackedManifest>> => {
    const read = await readBody(body, manifestSchema);
    return read.ok ? ok(await packedManifest(read.value)) : read;
  },
};
export type Readers = typeof READERS;

async function readBody<S extends z.ZodType>(body: Uint8Array, schema: S): Promise<Result<z.output<S>>> {
  try {
    return checked(schema, await unpack(body, SENT_UNPACKED_BYTES_MAX));
  } catch {
    return refused({ code: "body-unreadable" });
  }
}
