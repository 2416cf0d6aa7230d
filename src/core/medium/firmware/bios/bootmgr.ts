import { type FileTree, findEntry, type TreeEntry } from "../../../formats/file-tree";
import { openIso, openTree } from "../../../formats/open-tree";
import { UdfTree } from "../../../formats/udf";
import { WindowSource } from "../../../kernel/source";
import { bootFilesOf, STORES } from "../boot-files";
import { type Drive, type Outcome, type Run, SECTOR_BYTES, stop } from "./machine";
import type { Target } from "./tables";

/** The boot manager in the root of its volume. */
const MANAGER = "/bootmgr";
const STORE = STORES.bios;

/** A boot sector of FAT or NTFS that loads the boot manager of Windows from its own volume. */
export async function followBootmgr(run: Run, drive: Drive, target: Target | null): Promise<Outcome> {
  const source = target
    ? new WindowSource(drive.source, target.startSector * SECTOR_BYTES, target.sectors * SECTOR_BYTES)
    : drive.source;
  const opened = await openTree(source);
  return opened ? end(run, drive, opened.tree) : stop(run, { code: "boot-store", place: drive.place, ...missing });
}

const missing = { state: "missing", file: MANAGER } as const;

/** The boot image of a disc: it looks into the UDF tree, or into that of ISO 9660 where there is none. */
export async function followBootmgrDisc(run: Run, drive: Drive): Promise<Outcome> {
  const tree: FileTree | null = (await UdfTree.find(drive.medium)) ?? (await openIso(drive.medium));
  return tree ? end(run, drive, tree) : stop(run, { code: "boot-store", place: drive.place, ...missing });
}

async function end<E extends TreeEntry>(run: Run, { place }: Drive, tree: FileTree<E>): Promise<Outcome> {
  const manager = await findEntry(tree, MANAGER);
  if (!manager || manager.directory || manager.sizeBytes === 0)
    return stop(run, { code: "boot-store", place, ...missing });
  const files = await bootFilesOf(tree, STORE);
  if (files.state === "there") return stop(run, { code: "core-runs", place, program: "bootmgr-sector" }, "starts");
  if (files.state === "elsewhere")
    return stop(run, { code: "boot-store", place, state: "elsewhere", file: STORE }, "unknown");
  return stop(run, { code: "boot-store", place, state: files.state, file: files.path });
}
