import { z } from "zod";
import { pathSegment, walk } from "../../formats/file-tree";
import { volumeIdSchema } from "./volume-id";
import { distinct, type Volume } from "./volumes";

/** One entry: path, bytes, whether it is a folder, time of change, and what is special about it. */
const listingEntrySchema = z.tuple([
  z.string(),
  z.number(),
  z.union([z.literal(0), z.literal(1)]),
  z.string().nullable(),
  z.string().nullable(),
]);

/** Every file of a medium, kept small: what its space goes to is answered from this, without the medium. */
export const listingSchema = z.object({
  volumes: z.array(
    z.object({
      id: volumeIdSchema,
      kind: z.string(),
      label: z.string().nullable(),
      start: z.number(),
      lengthBytes: z.number(),
      entries: z.array(listingEntrySchema),
      cut: z.boolean(),
    }),
  ),
});
export type Listing = z.infer<typeof listingSchema>;
export type ListedVolume = Listing["volumes"][number];

/** Entries kept at most, all volumes together. */
const LISTING_MAX = 300_000;

/** All entries of all volumes in the order of their directories, cut, and said to be cut, at `LISTING_MAX`. */
export async function listVolumes(volumes: Volume[]): Promise<Listing> {
  const listing: Listing = { volumes: [] };
  let left = LISTING_MAX;
  for (const volume of distinct(volumes)) {
    const { id, kind, start, lengthBytes, tree } = volume;
    const listed: ListedVolume = { id, kind, label: tree.label, start, lengthBytes, entries: [], cut: false };
    const onCut = () => {
      listed.cut = true;
    };
    for await (const { path, entry } of walk(tree, null, { entries: left, onCut })) {
      const special = entry.link === undefined ? (entry.unreadable ?? null) : `→ ${entry.link.slice(0, 300)}`;
      listed.entries.push([path, entry.sizeBytes, entry.directory ? 1 : 0, entry.modified, special]);
    }
    left -= listed.entries.length;
    listing.volumes.push(listed);
  }
  return listing;
}

/** Whether a file is one of those that hold files themselves, by its name. */
export function mayHoldFiles(name: string): boolean {
  return /\.(wim|esd|swm|squashfs|sfs|sqfs|squash|sqsh|erofs|iso|img)$/i.test(name);
}

/** A file or folder of one folder, with all that is below it counted in. */
export interface FolderItem {
  name: string;
  path: string;
  folder: boolean;
  bytes: number;
  /** Files below it; 1 for a file. */
  files: number;
  modified: string | null;
  special: string | null;
}

/** What is in a folder, the largest first. `path` is "" or "/" for the root. */
export function folderItems(volume: ListedVolume, path: string): FolderItem[] {
  const parts = path.split("/").filter(Boolean);
  const base = parts.map((part) => `/${pathSegment(part)}`).join("");
  const items = new Map<string, FolderItem>();
  for (const [own, bytes, isFolder, modified, special] of volume.entries) {
    if (!own.startsWith(`${base}/`)) continue;
    const rest = own.slice(base.length + 1);
    const slash = rest.indexOf("/");
    const name = slash < 0 ? rest : rest.slice(0, slash);
    const item = items.get(name) ?? {
      name,
      path: `${base}/${name}`,
      folder: slash >= 0 || isFolder === 1,
      bytes: 0,
      files: 0,
      modified: null,
      special: null,
    };
    items.set(name, item);
    if (slash < 0) {
      item.modified = modified;
      item.special = special;
    }
    if (isFolder === 0) {
      item.bytes += bytes;
      item.files++;
    }
  }
  return [...items.values()].sort((a, b) => b.bytes - a.bytes || a.name.localeCompare(b.name));
}
