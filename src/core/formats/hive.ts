import { Fields, hasText, latin1, utf16 } from "../kernel/fields";
import { type ByteSource, readExactly } from "../kernel/source";
import { fileTime } from "./ntfs";

/**
 * Registry hives, reading only, after the published descriptions of their format ("Windows registry file format
 * specification" by M. Suhanov; the comments of hivex). Offsets are counted from the end of the base block.
 */
const BASE_BYTES = 4096;
/** Of environments they are some ten megabytes. */
const HIVE_MAX_BYTES = 192 << 20;
const NOTHING = 0xffff_ffff;
/** Data in the place of an offset to it. */
const RESIDENT = 0x8000_0000;
/** What a cell of big data holds in each of its segments, and from where data are big (version 1.4). */
const SEGMENT_BYTES = 16_344;
const SUBKEYS_MAX = 100_000;
const VALUES_MAX = 50_000;
const LISTS_DEPTH_MAX = 4;
const FLAG = { latinKey: 0x20, latinValue: 0x1 };
/** winnt.h, REG_… */
const TYPE = { text: 1, expandable: 2, binary: 3, number: 4, texts: 7, wide: 11 } as const;

export interface HiveValue {
  name: string;
  type: number;
  bytes: Uint8Array;
}

export class Hive {
  private constructor(
    private readonly fields: Fields,
    private readonly rootAt: number,
    /** It was written to and not brought to its end: what its logs hold is missing. */
    readonly isDirty: boolean,
  ) {}

  /** Null where it is none, or its root is damaged. */
  static async open(file: ByteSource): Promise<Hive | null> {
    if (file.sizeBytes < BASE_BYTES + 32 || file.sizeBytes > HIVE_MAX_BYTES) return null;
    const base = await readExactly(file, 0, BASE_BYTES);
    if (!base || !hasText(base, 0, "regf")) return null;
    const head = new Fields(base);
    const bytes = await file.read(BASE_BYTES, file.sizeBytes - BASE_BYTES);
    const hive = new Hive(new Fields(bytes), head.u32le(36), head.u32le(4) !== head.u32le(8));
    return hive.keyAt(hive.rootAt) ? hive : null;
  }

  get root(): HiveKey {
    return this.keyAt(this.rootAt) as HiveKey;
  }

  /** The key at a path from the root, parts divided by `\`; letter case is ignored. */
  key(path: string): HiveKey | null {
    let found: HiveKey | null = this.root;
    for (const part of path.split("\\").filter(Boolean)) found = found?.key(part) ?? null;
    return found;
  }

  /** Where a cell's content begins and ends; null where it is free, or leaves the hive. */
  cell(offset: number): { at: number; end: number } | null {
    if (offset === NOTHING || offset % 8 !== 0 || offset + 4 > this.fields.length) return null;
    const size = -(this.fields.u32le(offset) | 0);
    const end = offset + size;
    return size >= 8 && end <= this.fields.length ? { at: offset + 4, end } : null;
  }

  keyAt(offset: number): HiveKey | null {
    const cell = this.cell(offset);
    if (!cell || cell.end - cell.at < 76 || this.fields.ascii(cell.at, 2) !== "nk") return null;
    const nameBytes = this.fields.u16le(cell.at + 72);
    return cell.at + 76 + nameBytes <= cell.end ? new HiveKey(this, this.fields, cell.at) : null;
  }

  /** The data of a value: in its place, in a cell, or in a list of cells. Null where they leave the hive. */
  data(place: number, told: number): Uint8Array | null {
    const bytes = told & ~RESIDENT;
    if ((told & RESIDENT) !== 0) return bytes <= 4 ? this.fields.slice(place, bytes) : null;
    if (bytes === 0) return new Uint8Array(0);
    const cell = this.cell(this.fields.u32le(place));
    if (!cell) return null;
    if (cell.at + bytes <= cell.end) return this.fields.slice(cell.at, bytes);
    if (this.fields.ascii(cell.at, 2) !== "db") return null;
    const list = this.cell(this.fields.u32le(cell.at + 4));
    const many = this.fields.u16le(cell.at + 2);
    if (!list || bytes > many * SEGMENT_BYTES || list.at + many * 4 > list.end) return null;
    const out = new Uint8Array(bytes);
    for (let nth = 0; nth < many; nth++) {
      const segment = this.cell(this.fields.u32le(list.at + nth * 4));
      const part = Math.min(SEGMENT_BYTES, bytes - nth * SEGMENT_BYTES);
      if (part <= 0) break;
      if (!segment || segment.at + part > segment.end) return null;
      out.set(this.fields.slice(segment.at, part), nth * SEGMENT_BYTES);
    }
    return out;
  }
}

export class HiveKey {
  constructor(
    private readonly hive: Hive,
    private readonly fields: Fields,
    private readonly at: number,
  ) {}

  get name(): string {
    const bytes = this.fields.slice(this.at + 76, this.fields.u16le(this.at + 72));
    return this.fields.u16le(this.at + 2) & FLAG.latinKey ? latin1(bytes) : utf16(bytes);
  }

  /** ISO 8601, in UTC. */
  get written(): string | null {
    return fileTime(this.fields.u64le(this.at + 4));
  }

  /** Its keys, in the order of their list; what is damaged among them is left out. */
  *keys(): Generator<HiveKey> {
    if (this.fields.u32le(this.at + 20) > 0)
      yield* this.listed(this.fields.u32le(this.at + 28), 0, { left: SUBKEYS_MAX });
  }

  private *listed(offset: number, depth: number, budget: { left: number }): Generator<HiveKey> {
    const cell = depth < LISTS_DEPTH_MAX ? this.hive.cell(offset) : null;
    if (!cell) return;
    const kind = this.fields.ascii(cell.at, 2);
    const width = kind === "lf" || kind === "lh" ? 8 : kind === "li" || kind === "ri" ? 4 : 0;
    if (width === 0) return;
    const many = Math.min(this.fields.u16le(cell.at + 2), Math.floor((cell.end - cell.at - 4) / width));
    for (let nth = 0; nth < many && budget.left > 0; nth++) {
      const place = this.fields.u32le(cell.at + 4 + nth * width);
      if (kind === "ri") {
        yield* this.listed(place, depth + 1, budget);
        continue;
      }
      budget.left--;
      const key = this.hive.keyAt(place);
      if (key) yield key;
    }
  }

  key(name: string): HiveKey | null {
    const wanted = name.toLowerCase();
    for (const key of this.keys()) if (key.name.toLowerCase() === wanted) return key;
    return null;
  }

  *values(): Generator<HiveValue> {
    const list = this.hive.cell(this.fields.u32le(this.at + 40));
    if (!list) return;
    const many = Math.min(this.fields.u32le(this.at + 36), VALUES_MAX, Math.floor((list.end - list.at) / 4));
    for (let nth = 0; nth < many; nth++) {
      const value = this.valueAt(this.fields.u32le(list.at + nth * 4));
      if (value) yield value;
    }
  }

  private valueAt(offset: number): HiveValue | null {
    const { fields } = this;
    const cell = this.hive.cell(offset);
    if (!cell || cell.end - cell.at < 20 || fields.ascii(cell.at, 2) !== "vk") return null;
    const nameBytes = fields.u16le(cell.at + 2);
    if (cell.at + 20 + nameBytes > cell.end) return null;
    const bytes = this.hive.data(cell.at + 8, fields.u32le(cell.at + 4));
    const named = fields.slice(cell.at + 20, nameBytes);
    const name = fields.u16le(cell.at + 16) & FLAG.latinValue ? latin1(named) : utf16(named);
    return bytes && { name, type: fields.u32le(cell.at + 12), bytes };
  }

  /** The value of a name, "" being the one without; letter case is ignored. */
  value(name: string): HiveValue | null {
    const wanted = name.toLowerCase();
    for (const value of this.values()) if (value.name.toLowerCase() === wanted) return value;
    return null;
  }

  /** A text, without the zero at its end; null where there is none of that name. */
  text(name: string): string | null {
    const value = this.value(name);
    return value && (value.type === TYPE.text || value.type === TYPE.expandable) ? textOf(value.bytes) : null;
  }

  /** A number of 4 or 8 bytes. */
  number(name: string): number | null {
    const value = this.value(name);
    if (!value) return null;
    const fields = new Fields(value.bytes);
    if (value.type === TYPE.number && value.bytes.length === 4) return fields.u32le(0);
    return value.type === TYPE.wide && value.bytes.length === 8 ? Number(fields.u64le(0)) : null;
  }

  /** Several texts, or one. */
  texts(name: string): string[] {
    const value = this.value(name);
    if (value?.type === TYPE.texts) return utf16(value.bytes).split("\0").filter(Boolean);
    const text = this.text(name);
    return text === null ? [] : [text];
  }
}

const textOf = (bytes: Uint8Array) => utf16(bytes.subarray(0, bytes.length & ~1)).replace(/\0[\s\S]*$/, "");
