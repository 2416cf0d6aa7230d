import type { ByteSource } from "../../bytes/source";
import { type FileTree, findEntry, type TreeEntry } from "../../formats/file-tree";
import { type Architecture, readPe, readSbat } from "../../formats/pe";
import { ARCHITECTURES, LOADER_PATHS, type Loader, type NextStage, type StartFile, type UefiVolume } from "./view";

/** The loader files of a volume for every architecture, each with the stage behind it. */
export async function readStartFiles<E extends TreeEntry>(tree: FileTree<E>): Promise<UefiVolume["files"]> {
  const files: UefiVolume["files"] = {};
  const directory = await findEntry(tree, "/EFI/BOOT");
  if (!directory?.directory) return files;
  const entries = await tree.list(directory);
  for (const architecture of ARCHITECTURES) {
    const name = LOADER_PATHS[architecture].slice("/EFI/BOOT/".length);
    const entry = entries.find((each) => each.name.toUpperCase() === name);
    if (!entry || entry.directory) continue;
    files[architecture] = await readStartFile(tree, entries, entry, architecture);
  }
  return files;
}

async function readStartFile<E extends TreeEntry>(
  tree: FileTree<E>,
  beside: E[],
  entry: E,
  architecture: Architecture,
): Promise<StartFile> {
  const loader = await readLoader(tree, entry);
  return { loader, next: isFirstStage(loader) ? await readNextStage(tree, beside, architecture) : null };
}

/** A first-stage loader names itself in its SBAT section (the SBAT text published with the shim boot loader). */
function isFirstStage(loader: Loader): boolean {
  return loader.sbat?.some((row) => row.component === "shim") ?? false;
}

/** What the first stage starts: a fallback program where one lies beside it, else its second stage. */
async function readNextStage<E extends TreeEntry>(
  tree: FileTree<E>,
  beside: E[],
  architecture: Architecture,
): Promise<NextStage> {
  const named = (name: string) =>
    beside.find((each) => !each.directory && each.name.toUpperCase() === name.toUpperCase());
  const fallback = named(`fb${architecture}.efi`);
  const name = fallback ? `fb${architecture}.efi` : `grub${architecture}.efi`;
  const entry = fallback ?? named(name);
  return {
    expected: `/EFI/BOOT/${name}`,
    role: fallback ? "fallback" : "second-stage",
    loader: entry ? await readLoader(tree, entry) : null,
  };
}

async function readLoader<E extends TreeEntry>(tree: FileTree<E>, entry: E): Promise<Loader> {
  const content = await tree.open(entry);
  const base = { file: `/EFI/BOOT/${entry.name}`, bytes: entry.sizeBytes };
  if (!content || !(await endIsThere(content))) {
    return {
      ...base,
      readable: false,
      pe: false,
      machine: null,
      machineNumber: null,
      subsystem: null,
      faults: [],
      sbat: null,
    };
  }
  const image = await readPe(content);
  return {
    ...base,
    readable: true,
    pe: image.recognised,
    machine: image.machine,
    machineNumber: image.machineNumber,
    subsystem: image.subsystem,
    faults: image.faults,
    sbat: await readSbat(content, image),
  };
}

/** Whether the last byte can be had: a volume may reach past its partition, or the medium may be cut short. */
async function endIsThere(content: ByteSource): Promise<boolean> {
  return content.sizeBytes === 0 || (await content.read(content.sizeBytes - 1, 1)).length === 1;
}
