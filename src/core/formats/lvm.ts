import { Fields, hasText, latin1, toSafeNumber } from "../kernel/fields";
import { type ByteSource, type Extent, ExtentSource, readExactly } from "../kernel/source";

/**
 * LVM2, reading only: the label and headers of a physical volume, and the text that describes its group (lvm2's sources,
 * lib/format_text/layout.h and lib/label/label.h). Only what lies linear on this one volume is opened.
 */
const SECTOR_BYTES = 512;
const LABEL_SECTORS = 4;
const AREAS_MAX = 16;
const MDA_MAGIC = " LVM2 x[5A%r0N*>";
const TEXT_MAX_BYTES = 4 << 20;
const VOLUMES_MAX = 256;
const SEGMENTS_MAX = 4_096;

export interface LogicalVolume {
  /** "group/volume". */
  name: string;
  source: ByteSource;
  /** Where its first extent begins in the physical volume, in bytes. */
  start: number;
}

/** The linear volumes that lie wholly on this physical volume; empty where it is none, or damaged. */
export async function linearVolumes(source: ByteSource): Promise<LogicalVolume[]> {
  const found = await descriptionOf(source);
  if (!found) return [];
  const { text, uuid } = found;
  const group = parse(text);
  for (const [groupName, content] of Object.entries(group)) {
    if (typeof content !== "object" || Array.isArray(content)) continue;
    const extentBytes = Number(content.extent_size) * SECTOR_BYTES;
    const [physical, logical] = [content.physical_volumes, content.logical_volumes];
    if (!(extentBytes > 0) || !isSection(physical) || !isSection(logical)) continue;
    const own = Object.entries(physical).find(([, each]) => isSection(each) && plain(String(each.id)) === uuid);
    const start = own && isSection(own[1]) ? Number(own[1].pe_start) * SECTOR_BYTES : Number.NaN;
    if (!own || !Number.isSafeInteger(start)) continue;
    const place = { name: own[0], start, extentBytes };
    return Object.entries(logical)
      .slice(0, VOLUMES_MAX)
      .flatMap(([name, each]) => {
        const extents = isSection(each) ? extentsOf(each, place) : null;
        const start = extents?.[0]?.start ?? null;
        if (!extents || start === null) return [];
        const bytes = extents.reduce((sum, { lengthBytes }) => sum + lengthBytes, 0);
        return [{ name: `${groupName}/${name}`, source: new ExtentSource(source, extents, bytes), start }];
      });
  }
  return [];
}

/** The description of the group, and the volume's own id without its dashes. */
async function descriptionOf(source: ByteSource): Promise<{ text: string; uuid: string } | null> {
  const head = await readExactly(source, 0, LABEL_SECTORS * SECTOR_BYTES);
  if (!head) return null;
  for (let at = 0; at < head.length; at += SECTOR_BYTES) {
    if (!hasText(head, at, "LABELONE") || !hasText(head, at + 24, "LVM2 001")) continue;
    const fields = new Fields(head);
    const header = at + fields.u32le(at + 20);
    const uuid = latin1(head.subarray(header, header + 32));
    // Two lists of areas, each ended by zeros: of data, then of descriptions.
    let area = header + 40;
    for (let list = 0; list < 2; list++)
      for (let nth = 0; nth < AREAS_MAX && area + 16 <= head.length; nth++, area += 16) {
        const [start, bytes] = [toSafeNumber(fields.u64le(area)), toSafeNumber(fields.u64le(area + 8))];
        if (start === 0 && bytes === 0) {
          area += 16;
          break;
        }
        if (list === 0 || start === null || bytes === null) continue;
        const text = await textIn(source, start, bytes);
        if (text !== null) return { text, uuid };
      }
  }
  return null;
}

/** The text of an area, which goes on at its beginning behind its header where it comes to its end. */
async function textIn(source: ByteSource, start: number, areaBytes: number): Promise<string | null> {
  const header = await readExactly(source, start, SECTOR_BYTES);
  if (!header || !hasText(header, 4, MDA_MAGIC)) return null;
  const fields = new Fields(header);
  const [offset, bytes] = [toSafeNumber(fields.u64le(40)), toSafeNumber(fields.u64le(48))];
  if (offset === null || bytes === null || bytes === 0 || bytes > TEXT_MAX_BYTES || offset >= areaBytes) return null;
  const first = await readExactly(source, start + offset, Math.min(bytes, areaBytes - offset));
  if (!first) return null;
  const rest = bytes > first.length ? await readExactly(source, start + SECTOR_BYTES, bytes - first.length) : null;
  return latin1(first) + (rest ? latin1(rest) : "");
}

/** Null where some of it lies elsewhere, or is kept otherwise than one piece behind the other. */
function extentsOf(volume: Section, place: { name: string; start: number; extentBytes: number }): Extent[] | null {
  const extents: Extent[] = [];
  const many = Number(volume.segment_count);
  if (!(many > 0) || many > SEGMENTS_MAX) return null;
  for (let nth = 1; nth <= many; nth++) {
    const segment = volume[`segment${nth}`];
    if (!isSection(segment) || segment.type !== "striped" || Number(segment.stripe_count) !== 1) return null;
    const [name, from] = Array.isArray(segment.stripes) ? segment.stripes : [];
    const [first, count] = [Number(from), Number(segment.extent_count)];
    if (name !== place.name || !Number.isSafeInteger(first) || first < 0 || !(count > 0)) return null;
    const start = place.start + first * place.extentBytes;
    if (!Number.isSafeInteger(start + count * place.extentBytes)) return null;
    extents.push({ start, lengthBytes: count * place.extentBytes });
  }
  return extents;
}

const plain = (id: string) => id.replaceAll("-", "");

interface Section {
  [key: string]: string | string[] | Section;
}

const isSection = (value: unknown): value is Section =>
  typeof value === "object" && value !== null && !Array.isArray(value);

const DEPTH_MAX = 8;

/** `key = value`, `key { … }`, lists in brackets, texts in quotes, remarks behind `#`. What is odd ends it. */
function parse(text: string): Section {
  const tokens: string[] = text.replace(/#[^\n]*/g, "").match(/"(?:[^"\\]|\\.)*"|[A-Za-z0-9_.+-]+|[{}[\]=,]/g) ?? [];
  const root: Section = Object.create(null);
  const open: Section[] = [root];
  for (let at = 0; at < tokens.length && open.length > 0 && open.length <= DEPTH_MAX; ) {
    const token = tokens[at] as string;
    const inner = open.at(-1) as Section;
    if (token === "}") {
      open.pop();
      at++;
    } else if (tokens[at + 1] === "{") {
      const section: Section = Object.create(null);
      inner[token] = section;
      open.push(section);
      at += 2;
    } else if (tokens[at + 1] === "=" && tokens[at + 2] === "[") {
      const end = tokens.indexOf("]", at);
      if (end < 0) break;
      inner[token] = tokens
        .slice(at + 3, end)
        .filter((each) => each !== ",")
        .map(unquoted);
      at = end + 1;
    } else if (tokens[at + 1] === "=" && tokens[at + 2] !== undefined) {
      inner[token] = unquoted(tokens[at + 2] as string);
      at += 3;
    } else at++;
  }
  return root;
}

const unquoted = (token: string) => (token.startsWith('"') ? token.slice(1, -1).replace(/\\(.)/g, "$1") : token);
