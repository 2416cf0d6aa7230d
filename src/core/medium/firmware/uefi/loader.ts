import type { Certificate } from "../../../crypto/certificate";
import { derOf } from "../../../crypto/der";
import { digestOf } from "../../../crypto/rsa";
import { readSigning } from "../../../formats/authenticode";
import { readBuiltInLists } from "../../../formats/built-in-lists";
import { type FileTree, findEntry, type TreeEntry } from "../../../formats/file-tree";
import { type Architecture, type PeImage, readPe, readSbat, readSbatLevelSection } from "../../../formats/pe";
import { ARCHITECTURES, LOADER_PATHS } from "../../../kernel/architecture";
import { toBase64 } from "../../../kernel/base64";
import { latin1 } from "../../../kernel/fields";
import type { ByteSource } from "../../../kernel/source";
import type { FirstStage, Loader, LoaderSigning, NextStage, StartFile, UefiVolume } from "./view";

/** What is gathered while the programs of a medium are read. */
interface Gathered {
  /** Certificates that they carry, by their SHA-256: DER in base64. */
  certificates: Record<string, string>;
  /** Bytes of programs that may still be hashed. */
  bytesLeft: number;
}

/** Programs that are hashed, all together: a damaged tree may name the same bytes a thousand times. */
const HASHED_MAX_BYTES = 1 << 29;

/** Reads the start files of a medium's volumes; a volume that is met twice is read once. */
export class StartFileReader {
  private readonly gathered: Gathered = { certificates: {}, bytesLeft: HASHED_MAX_BYTES };
  private readonly byVolume = new Map<string, Promise<UefiVolume["files"]>>();

  /** Certificates that the programs read so far carry, by their SHA-256: DER in base64. */
  get certificates(): Record<string, string> {
    return this.gathered.certificates;
  }

  /** The loader files of a volume for every architecture, each with the stage behind it. */
  read<E extends TreeEntry>(
    tree: FileTree<E>,
    volume: Pick<UefiVolume, "filesystem" | "start" | "length">,
  ): Promise<UefiVolume["files"]> {
    const key = `${volume.filesystem} ${volume.start} ${volume.length}`;
    const keptLoader = this.byVolume.get(key);
    if (keptLoader) return keptLoader;
    const files = readStartFiles(tree, this.gathered);
    this.byVolume.set(key, files);
    return files;
  }
}

async function readStartFiles<E extends TreeEntry>(
  tree: FileTree<E>,
  gathered: Gathered,
): Promise<UefiVolume["files"]> {
  const files: UefiVolume["files"] = {};
  const directory = await findEntry(tree, "/EFI/BOOT");
  if (!directory?.directory) return files;
  const entries = await tree.list(directory);
  for (const architecture of ARCHITECTURES) {
    const name = LOADER_PATHS[architecture].slice("/EFI/BOOT/".length);
    const entry = entries.find((each) => each.name.toUpperCase() === name);
    if (!entry || entry.directory) continue;
    files[architecture] = await readStartFile(tree, entries, entry, architecture, gathered);
  }
  return files;
}

async function readStartFile<E extends TreeEntry>(
  tree: FileTree<E>,
  beside: E[],
  entry: E,
  architecture: Architecture,
  gathered: Gathered,
): Promise<StartFile> {
  const loader = await readLoader(tree, entry, gathered);
  switch (await familyOf(tree, entry, loader)) {
    case "first-stage":
      return {
        loader: { ...loader, firstStage: await readFirstStage(tree, entry, gathered) },
        next: await readNextStage(tree, beside, architecture, gathered),
      };
    case "syslinux":
      return { loader, next: await readModule(tree, beside, architecture, gathered) };
    case "other":
      return { loader, next: null };
  }
}

async function readFirstStage<E extends TreeEntry>(
  tree: FileTree<E>,
  entry: E,
  gathered: Gathered,
): Promise<FirstStage | null> {
  const content = await tree.open(entry);
  if (!content) return null;
  const image = await readPe(content);
  const builtIn = await readBuiltInLists(content, image);
  if (!builtIn) return null;
  for (const certificate of builtIn.certificates) keep(certificate, gathered);
  const { allowed, allowedDigests, revoked, revokedDigests } = builtIn.lists;
  return {
    allowed: allowed.map((each) => each.sha256),
    allowedDigests,
    revoked: revoked.map((each) => each.sha256),
    revokedDigests,
    sbatLevel: await readSbatLevelSection(content, image),
  };
}

/** Keeps a certificate; its name. */
function keep(certificate: Certificate, gathered: Gathered): string {
  const der = derOf(certificate.der);
  const name = digestOf("sha256", der);
  gathered.certificates[name] ??= toBase64(der);
  return name;
}

async function signingOf(content: ByteSource, image: PeImage, gathered: Gathered): Promise<LoaderSigning | null> {
  if (!image.recognised || content.sizeBytes > gathered.bytesLeft) return null;
  gathered.bytesLeft -= content.sizeBytes;
  const { digests, entries, tableBytes, tableFault } = await readSigning(content, image);
  return {
    digests,
    signed: tableBytes > 0,
    tableCut: tableFault === "entry-cut",
    entries: entries.map(({ digestName, fault, signers, carried }) => ({
      digestName,
      fault,
      signers: signers.map((each) => keep(each, gathered)),
      carried: carried.map((each) => keep(each, gathered)),
    })),
  };
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
  gathered: Gathered,
): Promise<NextStage> {
  const name = architecture === "ia32" ? "ldlinux.e32" : "ldlinux.e64";
  let found = beside.find((each) => !each.directory && each.name.toLowerCase() === name) ?? null;
  for (const folder of MODULE_FOLDERS) found ??= await findEntry(tree, `${folder}/${name}`);
  const loader = found ? await readLoader(tree, found, gathered) : null;
  return { expected: `/EFI/BOOT/${name}`, role: "module", loader };
}

/** What the first stage starts: a fallback program where one lies beside it, else its second stage. */
async function readNextStage<E extends TreeEntry>(
  tree: FileTree<E>,
  beside: E[],
  architecture: Architecture,
  gathered: Gathered,
): Promise<NextStage> {
  const named = (name: string) =>
    beside.find((each) => !each.directory && each.name.toUpperCase() === name.toUpperCase());
  const fallback = named(`fb${architecture}.efi`);
  const name = fallback ? `fb${architecture}.efi` : `grub${architecture}.efi`;
  const entry = fallback ?? named(name);
  return {
    expected: `/EFI/BOOT/${name}`,
    role: fallback ? "fallback" : "second-stage",
    loader: entry ? await readLoader(tree, entry, gathered) : null,
  };
}

async function readLoader<E extends TreeEntry>(tree: FileTree<E>, entry: E, gathered: Gathered): Promise<Loader> {
  const content = await tree.open(entry);
  const base = { file: `/EFI/BOOT/${entry.name}`, bytes: entry.sizeBytes, firstStage: null };
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
      signing: null,
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
    signing: await signingOf(content, image, gathered),
  };
}

/** Whether the last byte can be had: a volume may reach past its partition, or the medium may be cut short. */
async function endIsThere(content: ByteSource): Promise<boolean> {
  return content.sizeBytes === 0 || (await content.read(content.sizeBytes - 1, 1)).length === 1;
}
