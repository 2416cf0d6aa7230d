import type { Certificate } from "../../../crypto/certificate";
import { derOf } from "../../../crypto/der";
import { digestOf } from "../../../crypto/rsa";
import { readSigning } from "../../../formats/authenticode";
import { readBuiltInLists } from "../../../formats/built-in-lists";
import { type FileTree, findEntry, type TreeEntry } from "../../../formats/file-tree";
import { type Architecture, type PeImage, readPe, readSbat, readSbatLevelSection } from "../../../formats/pe";
import type { SigningReader } from "../../../formats/signing-reader";
import { ARCHITECTURES, LOADER_PATHS } from "../../../kernel/architecture";
import { toBase64 } from "../../../kernel/base64";
import { utf16 } from "../../../kernel/fields";
import type { ByteSource } from "../../../kernel/source";
import { bootFilesOf, STORES } from "../boot-files";
import { chosenEntry } from "./boot-manager";
import { fixedNext, hasKernelInside, programKindOf } from "./program-kind";
import type { FirstStage, Loader, LoaderSigning, NextStage, StartFile, UefiVolume } from "./view";

/** What is gathered while the programs of a medium are read. */
interface Gathered {
  /** Certificates that they carry, by their SHA-256: DER in base64. */
  certificates: Record<string, string>;
  /** Bytes of programs that may still be hashed. */
  bytesLeft: number;
  signings: SigningReader | null;
}

/** Programs that are hashed, all together: a damaged tree may name the same bytes a thousand times. */
const HASHED_MAX_BYTES = 1 << 29;

/** Reads the start files of a medium's volumes; a volume that is met twice is read once. */
export class StartFileReader {
  private readonly gathered: Gathered;
  private readonly byVolume = new Map<string, Promise<UefiVolume["files"]>>();

  constructor(signings: SigningReader | null = null) {
    this.gathered = { certificates: {}, bytesLeft: HASHED_MAX_BYTES, signings };
  }

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
  const stage: Stage<E> = { tree, folder: FOLDER, beside, architecture, gathered };
  const loader = await readLoader(tree, entry, FOLDER, gathered);
  return followed(stage, entry, loader, 0);
}

const FOLDER = "/EFI/BOOT";

/** Where a program lies, and what is around it. */
interface Stage<E extends TreeEntry> {
  tree: FileTree<E>;
  /** Its folder, as a path, with what is in it. */
  folder: string;
  beside: E[];
  architecture: Architecture;
  gathered: Gathered;
}

/** Stages that are read one behind the other. */
const STAGES_MAX = 5;

/** A program with what it starts next. */
async function followed<E extends TreeEntry>(
  stage: Stage<E>,
  entry: E,
  loader: Loader,
  depth: number,
): Promise<StartFile> {
  const { tree, gathered } = stage;
  switch (loader.kind) {
    case "first-stage":
      return {
        loader: { ...loader, firstStage: await readFirstStage(tree, entry, gathered) },
        next: await readSecondStage(stage, depth),
      };
    case "fallback":
      return { loader, next: await readNamed(stage, depth) };
    case "fixed-next":
      return { loader, next: await readFixed(stage, entry, depth) };
    case "boot-manager":
      return { loader, next: await readEntry(stage, depth) };
    case "windows-boot-manager":
      return { loader, next: await readArchive(stage) };
    case "syslinux":
      return { loader, next: await readModule(stage) };
    default:
      return { loader, next: null };
  }
}

/** A next stage at a path, with what comes after it. */
async function stageAt<E extends TreeEntry>(
  { tree, architecture, gathered }: Stage<E>,
  path: string,
  role: NextStage["role"],
  depth: number,
): Promise<NextStage> {
  const missing: NextStage = { expected: path, role, loader: null, next: null };
  const folder = path.slice(0, path.lastIndexOf("/"));
  const entry = await findEntry(tree, path);
  if (!entry || entry.directory || depth >= STAGES_MAX) return missing;
  const directory = folder === "" ? null : await findEntry(tree, folder);
  const beside = folder === "" || directory ? await tree.list(directory) : [];
  const loader = await readLoader(tree, entry, folder, gathered);
  const start = await followed({ tree, folder, beside, architecture, gathered }, entry, loader, depth + 1);
  return { expected: path, role, loader: start.loader, next: start.next };
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
  const signing = gathered.signings?.read(content, image) ?? readSigning(content, image);
  const { digests, entries, tableBytes, tableFault } = await signing;
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

/** Where Syslinux 6 looks for its module after the loader's own folder (its sources, efi/main.c and core/). */
const MODULE_FOLDERS = ["/boot/syslinux", "/syslinux", ""];

async function readModule<E extends TreeEntry>(stage: Stage<E>): Promise<NextStage> {
  const { tree, folder, beside, architecture, gathered } = stage;
  const name = architecture === "ia32" ? "ldlinux.e32" : "ldlinux.e64";
  let found = beside.find((each) => !each.directory && each.name.toLowerCase() === name) ?? null;
  for (const other of MODULE_FOLDERS) found ??= await findEntry(tree, `${other}/${name}`);
  const loader = found ? await readLoader(tree, found, FOLDER, gathered) : null;
  return { expected: `${folder}/${name}`, role: "module", loader, next: null };
}

/** What the first stage starts: a fallback program where one lies beside it, else its second stage. */
async function readSecondStage<E extends TreeEntry>(stage: Stage<E>, depth: number): Promise<NextStage> {
  const { folder, beside, architecture } = stage;
  const named = (name: string) =>
    beside.find((each) => !each.directory && each.name.toUpperCase() === name.toUpperCase());
  // It looks for the fallback program only where firmware found it at the fixed path (shim.c, should_use_fallback).
  const fallback = folder.toUpperCase() === FOLDER ? named(`fb${architecture}.efi`) : undefined;
  if (fallback) return stageAt(stage, `${folder}/${fallback.name}`, "fallback", depth);
  const expected = `${folder}/grub${architecture}.efi`;
  const second = named(`grub${architecture}.efi`);
  // What it is in itself is of no account here: the menu that it would show is not looked into.
  return second
    ? { ...(await stageAt(stage, `${folder}/${second.name}`, "second-stage", depth)), expected }
    : { expected, role: "second-stage", loader: null, next: null };
}

async function readArchive<E extends TreeEntry>({ tree, gathered }: Stage<E>): Promise<NextStage | null> {
  const files = await bootFilesOf(tree, STORES.uefi);
  if (files.state === "elsewhere") return null;
  const path = files.state === "there" ? files.archive : files.path;
  const entry = files.state === "missing" ? null : await findEntry(tree, path);
  const loader = entry ? await readLoader(tree, entry, path.slice(0, path.lastIndexOf("/")), gathered) : null;
  // A store that is damaged is as good as cut.
  const told = loader && files.state === "damaged" ? { ...loader, readable: false } : loader;
  return { expected: path, role: "archive", loader: told, next: null };
}

const LIST_MAX_BYTES = 16 * 1024;

/**
 * The loader that the fallback program starts: the first that the first list names, of the folders of \EFI in their order
 * (shim's fallback.c: BOOTX64.CSV or BOOT.CSV, in UTF-16, a line each: file, label, options). Without a list it resets the
 * computer; a loader that is not there or does not load ends the same.
 */
async function readNamed<E extends TreeEntry>(stage: Stage<E>, depth: number): Promise<NextStage> {
  const { tree, architecture } = stage;
  const names = [`BOOT${architecture.toUpperCase()}.CSV`, "BOOT.CSV"];
  const missing: NextStage = { expected: `/EFI/*/${names[0]}`, role: "named", loader: null, next: null };
  const efi = await findEntry(tree, "/EFI");
  for (const folder of efi?.directory ? await tree.list(efi) : []) {
    if (!folder.directory || [".", "..", "BOOT"].includes(folder.name.toUpperCase())) continue;
    const entries = await tree.list(folder);
    const list = names
      .map((name) => entries.find((each) => !each.directory && each.name.toUpperCase() === name))
      .find((each) => each !== undefined);
    const content = list && (await tree.open(list));
    if (!content) continue;
    const text = utf16(await content.read(0, LIST_MAX_BYTES)).replace(/^\ufeff/, "");
    const file =
      text
        .split(/[\n\0]/, 1)[0]
        ?.split(",", 1)[0]
        ?.trim() ?? "";
    const path = `/EFI/${folder.name}/${file.replaceAll("\\", "/").replace(/^\//, "")}`;
    return file === "" ? missing : stageAt(stage, path, "named", depth);
  }
  return missing;
}

async function readFixed<E extends TreeEntry>(stage: Stage<E>, entry: E, depth: number): Promise<NextStage | null> {
  const content = await stage.tree.open(entry);
  const name = content && (await fixedNext(content));
  return name ? stageAt(stage, `${stage.folder}/${name}`, "fixed", depth) : null;
}

async function readEntry<E extends TreeEntry>(stage: Stage<E>, depth: number): Promise<NextStage> {
  const chosen = await chosenEntry(stage.tree, stage.architecture);
  const none: NextStage = { expected: "/loader/entries/*.conf", role: "entry", loader: null, next: null };
  if (!chosen) return none;
  return chosen.lacks ? { ...none, expected: chosen.lacks } : stageAt(stage, chosen.path, "entry", depth);
}

async function readLoader<E extends TreeEntry>(
  tree: FileTree<E>,
  entry: E,
  folder: string,
  gathered: Gathered,
): Promise<Loader> {
  const content = await tree.open(entry);
  const base = { file: `${folder}/${entry.name}`, bytes: entry.sizeBytes, firstStage: null };
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
      kind: null,
      lacksKernel: false,
      signing: null,
    };
  }
  const image = await readPe(content);
  const sbat = await readSbat(content, image);
  const kind = image.recognised ? await programKindOf(content, image, sbat) : null;
  return {
    ...base,
    readable: true,
    pe: image.recognised,
    machine: image.machine,
    machineNumber: image.machineNumber,
    subsystem: image.subsystem,
    faults: image.faults,
    sbat,
    kind,
    lacksKernel: kind === "unified-kernel" && !(await hasKernelInside(content, image)),
    signing: await signingOf(content, image, gathered),
  };
}

/** Whether the last byte can be had: a volume may reach past its partition, or the medium may be cut short. */
async function endIsThere(content: ByteSource): Promise<boolean> {
  return content.sizeBytes === 0 || (await content.read(content.sizeBytes - 1, 1)).length === 1;
}
