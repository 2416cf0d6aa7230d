import { sha256 } from "@noble/hashes/sha2.js";
import { gzip } from "pako";
import { z } from "zod";
import type { FileToWrite } from "../../formats/tree-writing";
import { startKindSchema } from "../../judging/model/start-kind";
import { hex } from "../../kernel/fields";
import { MemorySource } from "../../kernel/source";
import { driverSourceSchema } from "../../medium/drivers/driver-set";
import { inspectionSchema } from "../../medium/inspection/schema";
import { manifestSchema } from "../../medium/integrity/manifest";
import { releaseFactsSchema } from "../../medium/releases/facts";
import { listingSchema } from "../../medium/volumes/listing";

/** So many stand beside the first: a table of the old kind has four places, and one may be a store's. */
export const BESIDE_MOST = 2;

const PACK_SCHEMA = "creel.pack/1";

const packedReleaseSchema = z.object({
  kit: z.string().min(1).max(120),
  family: z.string().max(60).nullish(),
  purpose: z.string().max(300).nullish(),
  name: z.string().min(1).max(60),
  madeOn: z.string().max(10).nullish(),
  note: z.string().max(4000).nullish(),
  facts: releaseFactsSchema,
  /** Which firmware comes to it, where others stand on the medium too. */
  startedBy: z.array(startKindSchema).max(10).nullish(),
});

/** `pack.json`: what a medium says of itself. The larger records lie beside it. */
export const packHeadSchema = z.object({
  schema: z.literal(PACK_SCHEMA),
  /** ISO 8601. */
  madeAt: z.string(),
  medium: z.object({
    tag: z.string().min(1).max(60),
    name: z.string().max(120).nullish(),
    kind: z.enum(["usb", "disk", "optical"]),
    bytes: z.number().int().positive(),
    site: z.string().max(120).nullish(),
    note: z.string().max(4000).nullish(),
    /** It was made without the release's system files. */
    lacksSystemFiles: z.boolean().optional(),
  }),
  release: packedReleaseSchema,
  /** The other releases on it, each in the next partition. */
  beside: z.array(packedReleaseSchema).max(BESIDE_MOST).default([]),
  keyCards: z
    .array(
      z.object({
        make: z.string().max(200),
        model: z.string().max(200),
        setup: z.string().max(40).nullable(),
        startMenu: z.string().max(40).nullable(),
        save: z.string().max(40).nullable(),
        quirks: z.string().max(2000).nullable(),
        diskFit: z.string().max(500).nullish(),
      }),
    )
    .max(1000)
    .default([]),
});
export type PackHead = z.infer<typeof packHeadSchema>;

/** `release.json.gz`: what was read from the release's file, so that it can be judged and verified without that file. */
export const packReleaseSchema = z.object({
  inspection: inspectionSchema,
  listing: listingSchema.nullable(),
  drivers: z.array(driverSourceSchema).max(20_000).nullable(),
  manifest: manifestSchema.nullable(),
});
export type PackRelease = z.infer<typeof packReleaseSchema>;

/** What a medium carries beside its release, so that it explains itself and rebuilds what is known of it. */
export interface PackInput {
  medium: PackHead["medium"];
  release: PackHead["release"];
  beside?: PackHead["beside"];
  /** What was read from the release's file, its inspection as a document; null where it never was. */
  read: (Omit<PackRelease, "inspection"> & { inspection: object }) | null;
  /** Of the models that it serves. */
  keyCards: PackHead["keyCards"];
  /** For people: about the medium, and a run sheet for each computer that it serves, the surest first. */
  pages: { about: string; sheets: { computer: string; html: string }[] };
  /** `creel.computer/1`, a line each. */
  records: string;
  /** Of the release's files, where they lie on the medium as files: paths from its root. */
  sums: { path: string; sha256: string }[];
  /** ISO 8601. */
  madeAt: string;
}

/** A file of a pack, as it can be kept in JSON. */
export type PackFile = { path: string; text: string } | { path: string; base64: string };

const FOLDER = "/CREEL";
export const PACK_PATHS = {
  about: `${FOLDER}/about.html`,
  head: `${FOLDER}/pack.json`,
  records: `${FOLDER}/records.jsonl`,
  release: `${FOLDER}/release.json.gz`,
  sums: `${FOLDER}/SHA256SUMS`,
} as const;

/** A file's bytes: text as UTF-8, everything else out of its base64. */
export function bytesOf(file: PackFile): Uint8Array {
  if ("text" in file) return new TextEncoder().encode(file.text);
  return Uint8Array.from(atob(file.base64), (character) => character.charCodeAt(0));
}

function compressed(value: unknown): string {
  // Its head tells no time: the same content is the same bytes.
  const bytes = gzip(new TextEncoder().encode(JSON.stringify(value)));
  let binary = "";
  for (let at = 0; at < bytes.length; at += 0x8000) binary += String.fromCharCode(...bytes.subarray(at, at + 0x8000));
  return btoa(binary);
}

/** The files of a pack; the last one is `SHA256SUMS`, for `sha256sum -c CREEL/SHA256SUMS` at the medium's root. */
export function packFiles(input: PackInput): PackFile[] {
  const { medium, release, beside = [], read, keyCards, pages, records, sums, madeAt } = input;
  const head: PackHead = { schema: PACK_SCHEMA, madeAt, medium, release, beside, keyCards };
  const files: PackFile[] = [
    { path: PACK_PATHS.about, text: pages.about },
    { path: PACK_PATHS.head, text: `${JSON.stringify(head, null, 1)}\n` },
    { path: PACK_PATHS.records, text: records },
    ...(read ? [{ path: PACK_PATHS.release, base64: compressed(read) }] : []),
    ...pages.sheets.map(({ computer, html }) => ({ path: sheetPath(computer), text: html })),
  ];
  const digests = files.map((file) => ({ path: file.path, sha256: hex(sha256(bytesOf(file))) }));
  const lines = [...sums, ...digests].map(({ path, sha256: digest }) => `${digest}  ${path.replace(/^\//, "")}\n`);
  return [...files, { path: PACK_PATHS.sums, text: lines.join("") }];
}

/** Where the run sheet of a computer lies; its tag becomes a name that every file system takes. */
export function sheetPath(tag: string): string {
  const name = tag.replace(/[^A-Za-z0-9._-]/g, "_").replace(/\.+$/, "_");
  return `${FOLDER}/sheets/${name}.html`;
}

/** Pack files as files to be written. */
export function packToWrite(files: readonly PackFile[], madeAt: string): FileToWrite[] {
  return files.map((file) => ({ path: file.path, content: new MemorySource(bytesOf(file)), modified: madeAt }));
}
