import { latin1 } from "../../bytes/fields";
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
  switch (await familyOf(tree, entry, loader)) {
    case "first-stage":
      return { loader, next: await readNextStage(tree, beside, architecture) };
    case "syslinux":
      return { loader, next: await readModule(tree, beside, architecture) };
    case "other":
      return { loader, next: null };
  }
}

/** Loaders larger than this are not looked through for their names; both families are smaller. */
const NAMED_MAX_BYTES = 1 << 20;

/**
 * A first-stage loader names itself in its SBAT section (the SBAT text published with the shim boot loader), older
 * ones only in a text of their own; Syslinux names the module that it cannot do without.
 */
async function familyOf<E extends TreeEntry>(
  tree: FileTree<E>,
  entry: E,
  loader: Loader,
): Promise<"first-stage" | "syslinux" | "other"> {
  if (loader.sbat) return loader.sbat.some((row) => row.component === "shim") ? "first-stage" : "other";
  if (!loader.pe || loader.bytes > NAMED_MAX_BYTES) return "other";
  const content = await tree.open(entry);
  const text = content ? latin1(await content.read(0, NAMED_MAX_BYTES)) : "";
  if (text.includes("UEFI SHIM\n$Version: ")) return "first-stage";
  return MODULES.some((module) => text.includes(`\0${module}\0`)) ? "syslinux" : "other";
}

const MODULES = ["ldlinux.e64", "ldlinux.e32"];
/** Where Syslinux 6 looks for its module after the loader's own folder (its sources, efi/main.c and core/). */
const MODULE_FOLDERS = ["/boot/syslinux", "/syslinux", ""];

async function readModule<E extends TreeEntry>(
  tree: FileTree<E>,
  beside: E[],
  architecture: Architecture,
): Promise<NextStage> {
  const name = architecture === "ia32" ? "ldlinux.e32" : "ldlinux.e64";
  let found = beside.find((each) => !each.directory && each.name.toLowerCase() === name) ?? null;
  for (const folder of MODULE_FOLDERS) found ??= await findEntry(tree, `${folder}/${name}`);
  const loader = found ? await readLoader(tree, found) : null;
  return { expected: `/EFI/BOOT/${name}`, role: "module", loader };
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
