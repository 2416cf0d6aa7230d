import { type FileTree, findEntry, openPath, type TreeEntry } from "../../../formats/file-tree";
import { type Architecture, readPe } from "../../../formats/pe";
import type { ByteSource } from "../../../kernel/source";

// What systemd-boot starts by itself, after its sources (src/boot/efi/boot.c, version 252) and the UAPI Group's Boot
// Loader Specification: entries of both types, then what it finds at well-known places.
const ENTRIES_MAX = 200;
const TEXT_MAX_BYTES = 64 * 1024;
const ENTRIES_FOLDER = "/loader/entries";
const UNIFIED_FOLDER = "/EFI/Linux";

interface Entry {
  /** Name of the file, in small letters: what a default is a pattern of. */
  id: string;
  sortKey: string | null;
  version: string;
  /** The program that it starts. */
  path: string;
  /** Other files that have to be there for it. */
  beside: string[];
  /** Found at a well-known place: it is started only after a menu was shown. */
  isFound: boolean;
}

const NOWHERE: Entry = {
  ...{ id: "auto-reboot-to-firmware-setup", sortKey: null, version: "", path: "", beside: [], isFound: true },
};

export interface ManagerChoice {
  path: string;
  /** A file that the entry needs and that is not there. */
  lacks: string | null;
}

/** What the boot manager starts where nobody touches a key; null where it has nothing to start. */
export async function chosenEntry<E extends TreeEntry>(
  tree: FileTree<E>,
  arch: Architecture,
): Promise<ManagerChoice | null> {
  const settings = linesOf(await textAt(tree, "/loader/loader.conf"));
  const entries = [...(await written(tree, arch)), ...(await unified(tree))].sort(inOrder);
  if (settings.get("auto-entries") !== "no" && settings.get("auto-entries") !== "0")
    entries.push(...(await found(tree, arch)));
  // Firmware's own settings are an entry, too, which a pattern may name.
  if (settings.get("auto-firmware") !== "no" && settings.get("auto-firmware") !== "0") entries.push(NOWHERE);
  const wanted = settings.get("default");
  const byDefault = wanted ? entries.find(({ id }) => matches(wanted.toLowerCase(), id)) : undefined;
  const entry = byDefault ?? entries.find(({ isFound }) => !isFound) ?? entries[0];
  if (!entry || entry === NOWHERE) return null;
  for (const path of entry.beside) if (!(await isFile(tree, path))) return { path: entry.path, lacks: path };
  return { path: entry.path, lacks: null };
}

/** Entries of type 1: a text each. One whose program is not there, or for another architecture, is dropped. */
async function written<E extends TreeEntry>(tree: FileTree<E>, arch: Architecture): Promise<Entry[]> {
  const entries: Entry[] = [];
  for (const name of await namesIn(tree, ENTRIES_FOLDER, ".conf")) {
    const text = await textAt(tree, `${ENTRIES_FOLDER}/${name}`);
    const lines = linesOf(text);
    const program = lines.get("linux") ?? lines.get("efi");
    const own = lines.get("architecture");
    if (!program || (own && own.toLowerCase() !== arch)) continue;
    const path = pathOf(program);
    if (!(await isFile(tree, path))) continue;
    const beside = lines.has("linux") ? allOf(text, "initrd").map(pathOf) : [];
    const sortKey = lines.get("sort-key") ?? null;
    entries.push({
      id: name.toLowerCase(),
      sortKey,
      version: lines.get("version") ?? "",
      path,
      beside,
      isFound: false,
    });
  }
  return entries;
}

/** Entries of type 2: unified kernels, which say what system they are of. */
async function unified<E extends TreeEntry>(tree: FileTree<E>): Promise<Entry[]> {
  const entries: Entry[] = [];
  for (const name of await namesIn(tree, UNIFIED_FOLDER, ".efi")) {
    const path = `${UNIFIED_FOLDER}/${name}`;
    const content = await openPath(tree, path);
    const release = content && (await osRelease(content));
    if (!release) continue;
    const sortKey = release.get("IMAGE_ID") ?? release.get("ID") ?? null;
    const version = release.get("IMAGE_VERSION") ?? release.get("VERSION") ?? release.get("VERSION_ID") ?? "";
    entries.push({ id: name.toLowerCase(), sortKey, version, path, beside: [], isFound: false });
  }
  return entries;
}

async function osRelease(content: ByteSource): Promise<Map<string, string> | null> {
  const image = await readPe(content);
  const section = image.sections.find(({ name }) => name === ".osrel");
  if (!section || !image.sections.some(({ name }) => name === ".linux")) return null;
  const bytes = await content.read(section.fileOffset, Math.min(section.fileBytes, TEXT_MAX_BYTES));
  const pairs = new Map<string, string>();
  for (const line of new TextDecoder().decode(bytes).split(/[\n\0]/)) {
    const [, key, value] = /^([A-Z_]+)="?([^"]*)"?$/.exec(line.trim()) ?? [];
    if (key && value !== undefined) pairs.set(key, value);
  }
  return pairs.has("PRETTY_NAME") || pairs.has("ID") ? pairs : null;
}

/** Programs at well-known places. */
async function found<E extends TreeEntry>(tree: FileTree<E>, arch: Architecture): Promise<Entry[]> {
  const entries: Entry[] = [];
  for (const [id, path] of [
    ["auto-windows", "/EFI/Microsoft/Boot/bootmgfw.efi"],
    ["auto-efi-shell", `/shell${arch}.efi`],
    ["auto-osx", "/System/Library/CoreServices/boot.efi"],
  ] as const)
    if (await isFile(tree, path)) entries.push({ ...NOWHERE, id, path });
  return entries;
}

/** Those with a sort key first, by it; the newest version first; then by their names, the last first. */
function inOrder(one: Entry, other: Entry): number {
  if ((one.sortKey === null) !== (other.sortKey === null)) return one.sortKey === null ? 1 : -1;
  if (one.sortKey !== null && other.sortKey !== null && one.sortKey !== other.sortKey)
    return one.sortKey < other.sortKey ? -1 : 1;
  const newest = one.sortKey === null ? 0 : byVersion(other.version, one.version);
  return newest || byVersion(other.id, one.id);
}

const byVersion = (one: string, other: string) => new Intl.Collator("en", { numeric: true }).compare(one, other);

/** A pattern as the shell has them: `*`, `?`. */
function matches(pattern: string, id: string): boolean {
  const source = pattern
    .replace(/[.+^${}()|[\]\\]/g, "\\$&")
    .replaceAll("*", ".*")
    .replaceAll("?", ".");
  return new RegExp(`^${source}$`).test(id);
}

const pathOf = (told: string) => told.replaceAll("\\", "/").replace(/^\/*/, "/");

async function isFile<E extends TreeEntry>(tree: FileTree<E>, path: string): Promise<boolean> {
  const entry = await findEntry(tree, path);
  return entry !== null && !entry.directory;
}

async function namesIn<E extends TreeEntry>(tree: FileTree<E>, folder: string, ending: string): Promise<string[]> {
  const directory = await findEntry(tree, folder);
  if (!directory?.directory) return [];
  const entries = await tree.list(directory);
  const fits = ({ name, directory: isFolder }: TreeEntry) =>
    !isFolder &&
    name.toLowerCase().endsWith(ending) &&
    !name.toLowerCase().startsWith("auto-") &&
    !name.startsWith(".");
  return entries
    .filter(fits)
    .slice(0, ENTRIES_MAX)
    .map(({ name }) => name);
}

async function textAt<E extends TreeEntry>(tree: FileTree<E>, path: string): Promise<string> {
  const content = await openPath(tree, path);
  return content ? new TextDecoder().decode(await content.read(0, TEXT_MAX_BYTES)) : "";
}

function pairOf(line: string): [string, string] | null {
  const [, key, value] = /^\s*([^\s#]\S*)\s+(.*?)\s*$/.exec(line) ?? [];
  return key && value ? [key, value] : null;
}

/** Words and what follows them, a line each; the last of a word counts. */
function linesOf(text: string): Map<string, string> {
  return new Map(
    text.split("\n").flatMap((line) => {
      const pair = pairOf(line);
      return pair ? [pair] : [];
    }),
  );
}

const allOf = (text: string, word: string) =>
  text.split("\n").flatMap((line) => {
    const pair = pairOf(line);
    return pair?.[0] === word ? [pair[1]] : [];
  });
