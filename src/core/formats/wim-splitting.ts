import { ConcatSource } from "../kernel/concat";
import { Fields, guid, hasText, toSafeNumber } from "../kernel/fields";
import { itemAt } from "../kernel/item-at";
import { Put } from "../kernel/put";
import { type ByteSource, MemorySource, readExactly, WindowSource } from "../kernel/source";

/**
 * An archive of system images cut into parts that fit where the whole does not, and put together again to the byte.
 * Parts as Microsoft's "Windows Imaging File Format" (2007) describes spanned archives; checked against wimlib.
 *
 * Each part repeats a run of the archive as it is, cut where a resource begins, between a header and lists of its own.
 * The runs follow each other and the last one ends with the archive, whose header is kept behind it: what the lists do
 * not name is passed over by readers, and makes the archive whole again.
 */
const HEADER_BYTES = 208;
const HEADER_AT = { version: 12, flags: 16, part: 40, parts: 42, table: 48, xml: 72, boot: 96, integrity: 124 };
const RESOURCE_BYTES = 24;
const ENTRY_BYTES = 50;
const ENTRY_AT = { part: 24 };
const VERSION_PLAIN = 0x10d00;
const SPANNED = 0x8;
/** Flags of a resource, in the eighth byte of its length. */
const RESOURCE = { metadata: 0x2, spanned: 0x8, solid: 0x10 };
/** Real archives list some hundred thousand resources. */
const ENTRIES_MAX = 4_000_000;
const XML_MAX_BYTES = 8 << 20;
const PARTS_MAX = 99;

/** Why an archive is not split: `solid` ones are one block, `damaged` ones list what is not there. */
type SplitRefusal = "no-archive" | "solid" | "is-part" | "damaged" | "too-coarse";

export type SplitResult = { ok: true; parts: ByteSource[] } | { ok: false; why: SplitRefusal };

/** Where bytes lie in a file. */
interface Run {
  start: number;
  lengthBytes: number;
}

/** A resource as the list of contents has it, with that entry's bytes. */
interface Listed extends Run {
  entry: Uint8Array;
  isMetadata: boolean;
}

interface Archive {
  header: Uint8Array;
  xml: Uint8Array;
  listed: Listed[];
}

/** Cuts an archive into parts of at most `mostBytes` each, which are read from it when they are read. */
export async function splitWim(file: ByteSource, mostBytes: number): Promise<SplitResult> {
  const archive = await readArchive(file);
  if (typeof archive === "string") return { ok: false, why: archive };
  if (file.sizeBytes <= mostBytes) return { ok: true, parts: [file] };
  const cuts = cutsOf(archive, file.sizeBytes, mostBytes);
  if (!cuts) return { ok: false, why: "too-coarse" };
  const parts = cuts.map((start, nth) =>
    partOf(file, archive, {
      ...{ number: nth + 1, parts: cuts.length },
      run: { start, lengthBytes: (cuts[nth + 1] ?? file.sizeBytes) - start },
    }),
  );
  return { ok: true, parts };
}

/** The archive that `splitWim` made these parts of; null where they are others, or not all of it. In their order. */
export async function joinedWim(parts: readonly ByteSource[]): Promise<ByteSource | null> {
  const runs: ByteSource[] = [];
  let whole: Uint8Array | null = null;
  let name: string | null = null;
  for (const [nth, part] of parts.entries()) {
    const header = await readExactly(part, 0, HEADER_BYTES);
    if (!header || !hasText(header, 0, "MSWIM\0\0\0")) return null;
    const fields = new Fields(header);
    name ??= guid(fields, 24);
    const isNext = fields.u16le(HEADER_AT.part) === nth + 1 && fields.u16le(HEADER_AT.parts) === parts.length;
    const table = runAt(fields, HEADER_AT.table);
    if (!isNext || guid(fields, 24) !== name || !table || table.start + table.lengthBytes > part.sizeBytes) return null;
    const copied = nth === 0 ? await metadataBytes(part, table) : 0;
    const start = HEADER_BYTES + (copied ?? 0);
    const isLast = nth === parts.length - 1;
    const end = table.start - (isLast ? HEADER_BYTES : 0);
    if (copied === null || end < start) return null;
    runs.push(new WindowSource(part, start, end - start));
    if (isLast) whole = await readExactly(part, end, HEADER_BYTES);
  }
  // Only parts that were made here have the archive's own header: others cannot be put together to the byte.
  if (!whole || !hasText(whole, 0, "MSWIM\0\0\0") || guid(new Fields(whole), 24) !== name) return null;
  return new ConcatSource([new MemorySource(whole), ...runs]);
}

async function metadataBytes(part: ByteSource, table: Run): Promise<number | null> {
  const listed = await readEntries(part, table);
  return listed?.filter(({ isMetadata }) => isMetadata).reduce((sum, { lengthBytes }) => sum + lengthBytes, 0) ?? null;
}

async function readArchive(file: ByteSource): Promise<Archive | SplitRefusal> {
  const header = await readExactly(file, 0, HEADER_BYTES);
  // Pipable archives (WLPWM) have heads inside their resources, and no header in front.
  if (!header || !hasText(header, 0, "MSWIM\0\0\0")) return "no-archive";
  const fields = new Fields(header);
  if (fields.u32le(HEADER_AT.version) !== VERSION_PLAIN) return "solid";
  if (fields.u16le(HEADER_AT.parts) !== 1) return "is-part";
  const [table, xmlRun] = [runAt(fields, HEADER_AT.table), runAt(fields, HEADER_AT.xml)];
  if (!table || !xmlRun || xmlRun.lengthBytes > XML_MAX_BYTES) return "damaged";
  const xml = await readExactly(file, xmlRun.start, xmlRun.lengthBytes);
  const listed = await readEntries(file, table);
  if (!xml || !listed || listed.length === 0) return "damaged";
  if (listed.some(({ entry }) => ((entry[7] ?? 0) & (RESOURCE.solid | RESOURCE.spanned)) !== 0)) return "solid";
  listed.sort((a, b) => a.start - b.start);
  let end = HEADER_BYTES;
  for (const { start, lengthBytes } of listed) {
    // Two that overlap, or one outside the file, would be cut through the middle.
    if (start < end || start + lengthBytes > file.sizeBytes) return "damaged";
    end = start + lengthBytes;
  }
  return { header, xml, listed };
}

async function readEntries(file: ByteSource, table: Run): Promise<Listed[] | null> {
  const count = Math.floor(table.lengthBytes / ENTRY_BYTES);
  if (count > ENTRIES_MAX) return null;
  const bytes = await readExactly(file, table.start, count * ENTRY_BYTES);
  if (!bytes) return null;
  const listed: Listed[] = [];
  for (let nth = 0; nth < count; nth++) {
    const entry = bytes.slice(nth * ENTRY_BYTES, (nth + 1) * ENTRY_BYTES);
    const run = runAt(new Fields(entry), 0);
    if (!run) return null;
    // An empty file has no resource; a list may name it all the same.
    if (run.lengthBytes > 0) listed.push({ ...run, entry, isMetadata: ((entry[7] ?? 0) & RESOURCE.metadata) !== 0 });
  }
  return listed;
}

/** Seven bytes of length with a byte of flags, then the place. */
function runAt(fields: Fields, at: number): Run | null {
  const lengthBytes = Number(fields.u64le(at) & 0x00ffffffffffffffn);
  const start = toSafeNumber(fields.u64le(at + 8));
  return start === null || !Number.isSafeInteger(start + lengthBytes) ? null : { start, lengthBytes };
}

/** Where each part's run begins: as few parts as go; null where one resource alone is too large for a part. */
function cutsOf({ listed, xml }: Archive, fileBytes: number, mostBytes: number): number[] | null {
  const metadata = listed.filter(({ isMetadata }) => isMetadata).reduce((sum, { lengthBytes }) => sum + lengthBytes, 0);
  const cuts = [HEADER_BYTES];
  let [from, entries] = [HEADER_BYTES, 0];
  // All metadata is listed in the first part; every part has a header, its list and the description.
  const sizeTo = (end: number, isLast: boolean) => {
    const own = cuts.length === 1 ? metadata + listed.length * ENTRY_BYTES : 0;
    const around = HEADER_BYTES + xml.length + (isLast ? HEADER_BYTES : 0);
    return around + own + end - from + entries * ENTRY_BYTES;
  };
  for (const [nth, resource] of listed.entries()) {
    const isLast = nth === listed.length - 1;
    // What follows the last resource, the archive's own lists among it, stays with it.
    const end = isLast ? fileBytes : itemAt(listed, nth + 1).start;
    entries++;
    if (sizeTo(end, isLast) <= mostBytes) continue;
    if (from === resource.start || cuts.length === PARTS_MAX) return null;
    cuts.push(resource.start);
    [from, entries] = [resource.start, 1];
    if (sizeTo(end, isLast) > mostBytes) return null;
  }
  return cuts;
}

function partOf(
  file: ByteSource,
  { header, xml, listed }: Archive,
  { number, parts, run }: { number: number; parts: number; run: Run },
): ByteSource {
  const pieces: ByteSource[] = [];
  const entries: Uint8Array[] = [];
  let at = HEADER_BYTES;
  const list = (entry: Uint8Array, start: number) => {
    entries.push(new Put(entry.slice()).u64le(8, start).u16le(ENTRY_AT.part, number).bytes);
  };
  const metadata = number === 1 ? listed.filter(({ isMetadata }) => isMetadata) : [];
  // Copied to the front of the first part, where readers of a spanned archive look for them.
  const bootAt = runAt(new Fields(header), HEADER_AT.boot)?.start;
  let bootCopy: number | null = null;
  for (const { start, lengthBytes, entry } of metadata) {
    if (start === bootAt) bootCopy = at;
    list(entry, at);
    pieces.push(new WindowSource(file, start, lengthBytes));
    at += lengthBytes;
  }
  const isInRun = ({ start }: Run) => start >= run.start && start < run.start + run.lengthBytes;
  for (const each of listed) if (!each.isMetadata && isInRun(each)) list(each.entry, at + each.start - run.start);
  pieces.push(new WindowSource(file, run.start, run.lengthBytes));
  at += run.lengthBytes;
  if (number === parts) {
    pieces.push(new MemorySource(header));
    at += HEADER_BYTES;
  }
  const table = new Uint8Array(entries.length * ENTRY_BYTES);
  for (const [nth, entry] of entries.entries()) table.set(entry, nth * ENTRY_BYTES);
  const head = new Put(header.slice());
  const fields = new Fields(header);
  head.u32le(HEADER_AT.flags, fields.u32le(HEADER_AT.flags) | SPANNED);
  head.u16le(HEADER_AT.part, number).u16le(HEADER_AT.parts, parts);
  // The list and the description lie behind the content, neither compressed: as long as they are.
  for (const [place, start, length] of [
    [HEADER_AT.table, at, table.length],
    [HEADER_AT.xml, at + table.length, xml.length],
  ] as const)
    head
      .u64le(place, BigInt(length) | flagsAt(fields, place))
      .u64le(place + 8, start)
      .u64le(place + 16, length);
  if (bootCopy === null) head.raw(HEADER_AT.boot, new Uint8Array(RESOURCE_BYTES));
  else head.u64le(HEADER_AT.boot + 8, bootCopy);
  head.raw(HEADER_AT.integrity, new Uint8Array(RESOURCE_BYTES));
  return new ConcatSource([new MemorySource(head.bytes), ...pieces, new MemorySource(table), new MemorySource(xml)]);
}

function flagsAt(fields: Fields, at: number): bigint {
  return fields.u64le(at) & 0xff00000000000000n;
}
