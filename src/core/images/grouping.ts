import type { Compression } from "../kernel/decompress";
import { itemAt } from "../kernel/item-at";

/** A file of a store. Paths are from the store's root, with slashes. */
export interface StoreFile {
  path: string;
  bytes: number;
  /** ISO 8601. */
  modified: string | null;
}

/** What a file is by its name alone. */
interface NamedFile {
  file: StoreFile;
  folder: string;
  /** Without suffixes and part number. */
  stem: string;
  form: "raw" | "wim" | "other";
  compression: Compression | null;
  /** Place in a row of parts, from 1; null where it is whole by its name. */
  part: number | null;
  /** The partition that it is of, as its name says. */
  partition: string | null;
}

/** Files that belong together as one image, by their names, folder and time. */
export interface FileGroup {
  /** Tells it from others of the store: its folder and stem. */
  key: string;
  /** What it is called, for people and for reading its name: without folder and suffixes. */
  name: string;
  members: GroupMember[];
  /** Files beside it that say something of it: sums, logs, notes. */
  beside: StoreFile[];
  storedBytes: number;
  modified: string | null;
  /** Numbers of parts that a row of them lacks. */
  missingParts: number[];
}

/** One whole thing in a group: a disk, a partition or an archive, with its files in their order. */
export interface GroupMember {
  partition: string | null;
  form: NamedFile["form"];
  compression: Compression | null;
  files: StoreFile[];
}

const COMPRESSIONS: Record<string, Compression> = {
  gz: "gzip",
  xz: "xz",
  zst: "zstd",
  zstd: "zstd",
  lz4: "lz4",
  bz2: "bzip2",
};
const RAW = ["img", "raw", "dd", "bin", "hdd", "creel-image"];
const ARCHIVES = ["wim", "swm", "esd"];
const BESIDE = [
  "sha256",
  "sha256sum",
  "sha512",
  "sha1",
  "md5",
  "md5sum",
  "log",
  "txt",
  "xml",
  "json",
  "html",
  "sfdisk",
  "gpt",
  "mbr",
];
/** Names that tools for disks give partitions, at the end of a name. Common practice. */
const PARTITION =
  /(?:^|[ ._-])((?:sd[a-z]|hd[a-z]|vd[a-z]|nvme\d+n\d+p|mmcblk\d+p|disk\d+p?|p|part(?:ition)?[ _-]?)(\d{1,3}))$/i;
/** A file without a known suffix counts from this size on. */
const LARGE_BYTES = 64 << 20;
/** Files of one image are written one after the other: further apart they are of two. */
const TOGETHER_MS = 12 * 3_600_000;

function named(file: StoreFile): NamedFile | "beside" | null {
  const slash = file.path.lastIndexOf("/");
  const folder = file.path.slice(0, Math.max(0, slash));
  let rest = file.path.slice(slash + 1);
  let part: number | null = null;
  // A row of parts: "x.img.001", "x.img.gz.aa", "x.part02".
  const numbered = /^(.*)\.(?:(\d{2,4})|part-?(\d{1,4})|([a-z])([a-z]))$/i.exec(rest);
  const pair = numbered?.[4] ? `${numbered[4]}${numbered[5]}`.toLowerCase() : null;
  const isSuffix = pair !== null && (pair in COMPRESSIONS || RAW.includes(pair));
  const beforeLetters =
    numbered && pair ? !isSuffix && /\.(?:img|raw|dd|gz|xz|zst|bin)$/i.test(numbered[1] ?? "") : true;
  if (numbered && beforeLetters) {
    rest = itemAt(numbered, 1);
    part = numbered[4]
      ? (letter(numbered[4]) - 1) * 26 + letter(itemAt(numbered, 5))
      : Number(numbered[2] ?? numbered[3]) + (/^0+$/.test(numbered[2] ?? numbered[3] ?? "") ? 1 : 0);
  }
  let suffix = suffixOf(rest);
  if (suffix && BESIDE.includes(suffix)) return "beside";
  const compression = (suffix && COMPRESSIONS[suffix]) || null;
  if (compression) {
    rest = rest.slice(0, -((suffix as string).length + 1));
    suffix = suffixOf(rest);
  }
  let form: NamedFile["form"] = "other";
  if (suffix && RAW.includes(suffix)) form = "raw";
  if (suffix && ARCHIVES.includes(suffix)) form = "wim";
  if (form !== "other") rest = rest.slice(0, -((suffix as string).length + 1));
  if (form === "other" && !compression && part === null && file.bytes < LARGE_BYTES) return null;
  // A split archive: "x.swm", "x2.swm", "x3.swm".
  if (suffix === "swm") {
    const row = /^(.*?)(\d*)$/.exec(rest);
    rest = row?.[1] || rest;
    part = Number(row?.[2] || 1);
  }
  const found = PARTITION.exec(rest);
  const partition = form !== "wim" && found ? itemAt(found, 1) : null;
  return {
    file,
    folder,
    stem: found && partition ? rest.slice(0, found.index) : rest,
    form,
    compression,
    part,
    partition,
  };
}

function suffixOf(name: string): string | null {
  const suffix = /\.(creel-image|[A-Za-z0-9]{1,9})$/i.exec(name)?.[1];
  return suffix?.toLowerCase() ?? null;
}

const letter = (text: string) => text.toLowerCase().charCodeAt(0) - 96;

/** Groups the files of a store into images; what is none and lies beside none is left out. */
export function groupFiles(files: readonly StoreFile[]): FileGroup[] {
  const groups = new Map<string, NamedFile[]>();
  const beside: StoreFile[] = [];
  for (const file of [...files].sort((a, b) => (a.path < b.path ? -1 : 1))) {
    const nameOfFile = named(file);
    if (nameOfFile === "beside") beside.push(file);
    if (nameOfFile === null || nameOfFile === "beside") continue;
    const place = `${nameOfFile.folder}/${nameOfFile.stem}`;
    const key = nameOfFile.partition === null ? `${place}\n${nameOfFile.form}` : `${place}\npartitions`;
    groups.set(key, [...(groups.get(key) ?? []), nameOfFile]);
  }
  return [...groups.values()].flatMap(byTime).map((members) => groupOf(members, beside));
}

/** Partitions that were saved on other days are of another image, though they are called alike. */
function byTime(members: NamedFile[]): NamedFile[][] {
  if (members.every(({ partition }) => partition === null)) return [members];
  const inTime = [...members].sort((a, b) => (a.file.modified ?? "").localeCompare(b.file.modified ?? ""));
  const rows: NamedFile[][] = [];
  for (const member of inTime) {
    const row = rows.at(-1);
    const last = row?.at(-1)?.file.modified;
    const isNear = !last || !member.file.modified || Date.parse(member.file.modified) - Date.parse(last) <= TOGETHER_MS;
    // The same partition twice cannot be of one image.
    const isTwice = row?.some(({ partition, part }) => partition === member.partition && part === member.part) ?? false;
    if (row && isNear && !isTwice) row.push(member);
    else rows.push([member]);
  }
  return rows;
}

function groupOf(all: NamedFile[], beside: StoreFile[]): FileGroup {
  const [first] = all as [NamedFile];
  const members = new Map<string, NamedFile[]>();
  for (const part of all) {
    const key = part.partition ?? "";
    members.set(key, [...(members.get(key) ?? []), part]);
  }
  const missingParts: number[] = [];
  const whole = [...members.values()].map((row): GroupMember => {
    const parts = [...row].sort((a, b) => (a.part ?? 0) - (b.part ?? 0));
    const numbers = new Set(parts.flatMap(({ part }) => part ?? []));
    for (let part = 1; part < Math.max(0, ...numbers); part++) if (!numbers.has(part)) missingParts.push(part);
    const { partition, form, compression } = itemAt(parts, 0);
    return { partition, form, compression, files: parts.map(({ file }) => file) };
  });
  whole.sort((a, b) => natural(a.partition ?? "", b.partition ?? ""));
  const files = whole.flatMap((member) => member.files);
  const folderName = first.folder.slice(first.folder.lastIndexOf("/") + 1);
  const stem = first.stem || folderName;
  const isOwn = ({ path }: StoreFile) =>
    path.startsWith(`${first.folder}/`.replace(/^\//, "")) &&
    !path.slice(first.folder.length + 1).includes("/") &&
    (first.stem === "" || path.slice(path.lastIndexOf("/") + 1).startsWith(first.stem));
  const times = files.flatMap(({ modified }) => modified ?? []).sort();
  return {
    key: files[0]?.path ?? "",
    name: stem,
    members: whole,
    beside: beside.filter(isOwn),
    storedBytes: files.reduce((sum, { bytes }) => sum + bytes, 0),
    modified: times.at(-1) ?? null,
    missingParts: missingParts.sort((a, b) => a - b),
  };
}

const natural = (a: string, b: string) => a.localeCompare(b, "en", { numeric: true });
