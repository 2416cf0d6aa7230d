import { XMLParser } from "fast-xml-parser";
import { createSHA1 } from "hash-wasm";
import { z } from "zod";
import { Fields, guid, hasText, toSafeNumber, utf16 } from "../kernel/fields";
import { type ByteSource, readExactly } from "../kernel/source";
import { fileTime } from "./ntfs";
import { LOOKUP_BYTES, RESOURCE } from "./wim-resource";

/**
 * Headers and descriptions of WIM archives, their split parts (.swm) and solid form (.esd), after Microsoft's
 * "Windows Imaging File Format" (2007) and, for what is newer, the headers of wimlib.
 */
export const WIM_HEADER_BYTES = 208;
/** Descriptions of real archives are some tens of kilobytes. */
const XML_MAX_BYTES = 8 << 20;
const IMAGES_MAX = 1000;
/** Entries of the table of contents that tell whether it is packed as one. */
const TOLD_ENTRIES = 1_300;
const FLAG = { compressed: 0x2, readOnly: 0x4, spanned: 0x8, xpress: 0x20000, lzx: 0x40000, lzms: 0x80000 };
/** PROCESSOR_ARCHITECTURE values of winnt.h. */
const ARCHITECTURES: Record<string, string> = { "0": "ia32", "5": "arm", "6": "ia64", "9": "x64", "12": "aa64" };

const wimImageSchema = z.object({
  index: z.number().int(),
  name: z.string(),
  description: z.string().nullable(),
  edition: z.string().nullable(),
  /** "10.0.1234.5". */
  version: z.string().nullable(),
  build: z.number().int().nullable(),
  arch: z.string().nullable(),
  languages: z.array(z.string()),
  defaultLanguage: z.string().nullable(),
  /** "Client", "Server", "WindowsPE" …; null where the image holds no such system. */
  installationType: z.string().nullable(),
  productName: z.string().nullable(),
  /** Content unpacked, in bytes; files and folders. */
  bytes: z.number(),
  files: z.number(),
  folders: z.number(),
  created: z.string().nullable(),
  /** It is the one that a loader starts. */
  startable: z.boolean(),
});
type WimImage = z.infer<typeof wimImageSchema>;

const wimFaultSchema = z.discriminatedUnion("code", [
  z.object({ code: z.literal("ends-in-header") }),
  z.object({
    code: z.literal("cut-short"),
    part: z.enum(["contents", "description", "integrity"]),
    at: z.number(),
    fileBytes: z.number(),
  }),
  z.object({ code: z.literal("image-counts-differ"), header: z.number(), description: z.number() }),
  z.object({ code: z.literal("description-too-long"), bytes: z.number() }),
  z.object({ code: z.literal("description-unreadable") }),
  /** As an inspection of earlier days has it. */
  z.object({ code: z.literal("told-in-words"), text: z.string() }),
]);
/** What is wrong with an archive. Places and lengths are bytes. */
export type WimFault = z.infer<typeof wimFaultSchema>;

export const wimSchema = z.object({
  /** What tells the parts of one split archive from those of another. */
  guid: z.string(),
  part: z.number().int(),
  parts: z.number().int(),
  compression: z.enum(["none", "xpress", "lzx", "lzms", "unknown"]),
  solid: z.boolean(),
  /** Images that the header counts. */
  imageCount: z.number().int(),
  /** Index of the image marked as startable; 0 where none is. */
  startIndex: z.number().int(),
  hasIntegrityTable: z.boolean(),
  images: z.array(wimImageSchema),
  faults: z.array(wimFaultSchema.or(z.string().transform((text): WimFault => ({ code: "told-in-words", text })))),
});
export type Wim = z.infer<typeof wimSchema>;

/** A pipable archive has its complete header at its end (wimlib, "header.c"). Null where the file is no archive. */
export async function readWimHeader(file: ByteSource): Promise<Uint8Array | null> {
  const first = await file.read(0, WIM_HEADER_BYTES);
  if (!isWim(first)) return null;
  if (!hasText(first, 0, "WLPWM")) return first;
  const last = await file.read(file.sizeBytes - WIM_HEADER_BYTES, WIM_HEADER_BYTES);
  return isWim(last) ? last : first;
}

interface Resource {
  lengthBytes: number;
  start: number;
}

/** By the first eight bytes, also of pipable archives (WLPWM, wimlib). Microsoft, "Windows Imaging File Format". */
export function isWim(start: Uint8Array): boolean {
  return hasText(start, 0, "MSWIM\0\0\0") || hasText(start, 0, "WLPWM\0\0\0");
}

/** Null where the file is no WIM archive. */
export async function readWim(file: ByteSource): Promise<Wim | null> {
  const header = await readWimHeader(file);
  if (!header) return null;
  const wim: Wim = {
    guid: "",
    part: 0,
    parts: 0,
    compression: "unknown",
    solid: false,
    imageCount: 0,
    startIndex: 0,
    hasIntegrityTable: false,
    images: [],
    faults: [],
  };
  if (header.length < WIM_HEADER_BYTES) {
    wim.faults.push({ code: "ends-in-header" });
    return wim;
  }
  const fields = new Fields(header);
  const flags = fields.u32le(16);
  wim.guid = guid(fields, 24);
  wim.part = fields.u16le(40);
  wim.parts = fields.u16le(42);
  wim.compression = wimCompressionOf(flags);
  wim.imageCount = fields.u32le(44);
  wim.startIndex = fields.u32le(120);
  const table = resource(fields, 48);
  const xml = resource(fields, 72);
  const integrity = resource(fields, 124);
  wim.hasIntegrityTable = integrity !== null && integrity.lengthBytes > 0;
  for (const [name, part] of [
    ["contents", table],
    ["description", xml],
    ["integrity", integrity],
  ] as const) {
    if (part && part.start + part.lengthBytes > file.sizeBytes)
      wim.faults.push({ code: "cut-short", part: name, at: part.start, fileBytes: file.sizeBytes });
  }
  if (table) wim.solid = await isSolid(file, table, fields);
  if (xml && xml.lengthBytes > 0) wim.images = await readDescription(file, xml, wim);
  // Only the first part of a split archive has the images' own data, but every part describes them all.
  if (wim.faults.length === 0 && wim.images.length !== wim.imageCount)
    wim.faults.push({ code: "image-counts-differ", header: wim.imageCount, description: wim.images.length });
  return wim;
}

/** Whether contents lie in solid resources: by their entries, whatever version the header has. */
async function isSolid(file: ByteSource, table: Resource, header: Fields): Promise<boolean> {
  const packed = (header.u64le(48) >> 56n) & BigInt(RESOURCE.compressed);
  if (packed !== 0n) return false;
  const entries = Math.min(TOLD_ENTRIES, Math.floor(table.lengthBytes / LOOKUP_BYTES));
  const bytes = await readExactly(file, table.start, entries * LOOKUP_BYTES);
  const flagsAt = 7;
  for (let at = flagsAt; bytes && at < bytes.length; at += LOOKUP_BYTES)
    if ((bytes[at] as number) & RESOURCE.solid) return true;
  return false;
}

/** By the flags of a header. */
export function wimCompressionOf(flags: number): Wim["compression"] {
  if (!(flags & FLAG.compressed)) return "none";
  if (flags & FLAG.lzms) return "lzms";
  if (flags & FLAG.lzx) return "lzx";
  return flags & FLAG.xpress || flags & 0x200000 ? "xpress" : "unknown";
}

/** 7 bytes of stored size with a byte of flags, the place, and the unpacked size. */
function resource(fields: Fields, at: number): Resource | null {
  const lengthBytes = Number(fields.u64le(at) & 0x00ffffffffffffffn);
  const start = toSafeNumber(fields.u64le(at + 8));
  return start === null || !Number.isSafeInteger(lengthBytes + start) ? null : { lengthBytes, start };
}

async function readDescription(file: ByteSource, xml: Resource, wim: Wim): Promise<WimImage[]> {
  if (xml.lengthBytes > XML_MAX_BYTES) {
    wim.faults.push({ code: "description-too-long", bytes: xml.lengthBytes });
    return [];
  }
  const bytes = await readExactly(file, xml.start, xml.lengthBytes);
  if (!bytes) return [];
  const text = bytes[0] === 0xff && bytes[1] === 0xfe ? utf16(bytes.subarray(2)) : utf16(bytes);
  try {
    const parser = new XMLParser({
      ignoreAttributes: false,
      attributeNamePrefix: "@",
      parseTagValue: false,
      parseAttributeValue: false,
      processEntities: { enabled: true, maxTotalExpansions: 10_000 },
      maxNestedTags: 64,
    });
    const root: unknown = parser.parse(text);
    const images = list(child(child(root, "WIM"), "IMAGE"));
    return images.slice(0, IMAGES_MAX).map((image, position) => describeImage(image, position, wim.startIndex));
  } catch {
    wim.faults.push({ code: "description-unreadable" });
    return [];
  }
}

function child(node: unknown, name: string): unknown {
  return typeof node === "object" && node !== null && !Array.isArray(node) && Object.hasOwn(node, name)
    ? (node as Record<string, unknown>)[name]
    : undefined;
}

function list(node: unknown): unknown[] {
  return node === undefined ? [] : Array.isArray(node) ? node : [node];
}

function text(node: unknown): string | null {
  const value = typeof node === "object" && node !== null ? child(node, "#text") : node;
  const told = value === undefined || value === null ? "" : String(value).trim();
  return told === "" ? null : told.slice(0, 1000);
}

function count(node: unknown): number {
  const value = Number(text(node) ?? 0);
  return Number.isSafeInteger(value) && value >= 0 ? value : 0;
}

function describeImage(node: unknown, position: number, startIndex: number): WimImage {
  const windows = child(node, "WINDOWS");
  const version = child(windows, "VERSION");
  const numbers = ["MAJOR", "MINOR", "BUILD", "SPBUILD"].map((name) => text(child(version, name)));
  const languages = child(windows, "LANGUAGES");
  const index = Number(text(child(node, "@INDEX")) ?? position + 1);
  const build = text(child(version, "BUILD"));
  return {
    index: Number.isSafeInteger(index) ? index : position + 1,
    name: text(child(node, "DISPLAYNAME")) ?? text(child(node, "NAME")) ?? "",
    description: text(child(node, "DESCRIPTION")),
    edition: text(child(windows, "EDITIONID")) ?? text(child(node, "FLAGS")),
    version: numbers[0] ? numbers.filter((each) => each !== null).join(".") : null,
    build: build !== null && /^\d+$/.test(build) ? Number(build) : null,
    arch: architectureOf(text(child(windows, "ARCH"))),
    languages: list(child(languages, "LANGUAGE")).flatMap((each) => text(each) ?? []),
    defaultLanguage: text(child(languages, "DEFAULT")),
    installationType: text(child(windows, "INSTALLATIONTYPE")),
    productName: text(child(windows, "PRODUCTNAME")),
    bytes: count(child(node, "TOTALBYTES")),
    files: count(child(node, "FILECOUNT")),
    folders: count(child(node, "DIRCOUNT")),
    created: createdAt(child(node, "CREATIONTIME")),
    startable: index === startIndex,
  };
}

function architectureOf(number: string | null): string | null {
  return number === null ? null : (ARCHITECTURES[number] ?? number);
}

/** Two halves of a file time, in hexadecimal. */
function createdAt(node: unknown): string | null {
  const [high, low] = [text(child(node, "HIGHPART")), text(child(node, "LOWPART"))];
  if (!high || !low || !/^0x[0-9a-f]{1,8}$/i.test(high) || !/^0x[0-9a-f]{1,8}$/i.test(low)) return null;
  return fileTime((BigInt(high) << 32n) | BigInt(low));
}

export type IntegrityResult =
  | { state: "none" }
  | { state: "unreadable" }
  | { state: "whole"; chunks: number }
  /** Byte ranges of the file in which something differs. */
  | { state: "damaged"; chunks: number; damaged: { start: number; lengthBytes: number }[] };

const CHUNK_MAX_BYTES = 64 << 20;
const STEP_BYTES = 1 << 20;

/**
 * Checks an archive against its own integrity table: SHA-1 sums of chunks from the end of the header to the end of
 * the list of contents. `onProgress` gets bytes done and bytes in all, and may stop it by answering false.
 */
export async function checkWimIntegrity(
  file: ByteSource,
  onProgress: (doneBytes: number, totalBytes: number) => boolean = () => true,
): Promise<IntegrityResult | null> {
  const header = await readWimHeader(file);
  if (!header || header.length < WIM_HEADER_BYTES) return { state: "unreadable" };
  const fields = new Fields(header);
  const [contents, integrity] = [resource(fields, 48), resource(fields, 124)];
  if (!integrity || integrity.lengthBytes === 0) return { state: "none" };
  const head = await readExactly(file, integrity.start, 12);
  if (!contents || !head) return { state: "unreadable" };
  const [, chunks, chunkBytes] = [0, 4, 8].map((at) => new Fields(head).u32le(at)) as [number, number, number];
  const end = contents.start + contents.lengthBytes;
  const wanted = Math.ceil((end - WIM_HEADER_BYTES) / chunkBytes);
  if (chunkBytes === 0 || chunkBytes > CHUNK_MAX_BYTES || chunks !== wanted) return { state: "unreadable" };
  const sums = await readExactly(file, integrity.start + 12, chunks * 20);
  if (!sums) return { state: "unreadable" };
  const damaged: { start: number; lengthBytes: number }[] = [];
  const hash = await createSHA1();
  for (let chunk = 0; chunk < chunks; chunk++) {
    const start = WIM_HEADER_BYTES + chunk * chunkBytes;
    const lengthBytes = Math.min(chunkBytes, end - start);
    hash.init();
    for (let at = 0; at < lengthBytes; at += STEP_BYTES)
      hash.update(await file.read(start + at, Math.min(STEP_BYTES, lengthBytes - at)));
    const found = hash.digest("binary");
    if (found.some((byte, at) => byte !== sums[chunk * 20 + at])) damaged.push({ start, lengthBytes });
    if (!onProgress(start + lengthBytes, end)) return null;
  }
  return damaged.length > 0 ? { state: "damaged", chunks, damaged } : { state: "whole", chunks };
}
