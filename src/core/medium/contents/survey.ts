import { readSigning } from "../../formats/authenticode";
import { readBuiltInLists } from "../../formats/built-in-lists";
import { type FileTree, findEntry, openPath, type TreeEntry, type Walked, walk } from "../../formats/file-tree";
import { readInitrd } from "../../formats/initrd";
import { readKernelImage } from "../../formats/kernel-image";
import { openInner } from "../../formats/open-tree";
import { readPe, readSbat } from "../../formats/pe";
import type { SigningReader } from "../../formats/signing-reader";
import { isWim, readWim, type Wim } from "../../formats/wim";
import { WimArchive } from "../../formats/wim-tree";
import { type ByteSource, CachedSource } from "../../kernel/source";
import {
  type Claim,
  readAliasIndex,
  readBuiltinModinfo,
  readModuleAliases,
  readModulesAlias,
} from "../drivers/aliases";
import { claimsToSource, type DriverSource, infToSources } from "../drivers/driver-set";
import { decodeInf, readInf } from "../drivers/inf";
import { distinct, type Volume } from "../volumes/volumes";
import { memoryFor, readEnvironment } from "./environment";
import type { Program, Survey } from "./schema";
import { systemOfDiskInfo, systemOfOsRelease, systemsOfWim } from "./systems";

export interface SurveyOptions {
  /**
   * `quick` keeps to what a few megabytes tell and names the rest as `unread`; `deep` unpacks initial file systems
   * and walks every tree.
   */
  depth: "quick" | "deep";
  /** Programs of the same medium whose signatures were read already, and which cost nothing more. */
  signings?: SigningReader;
  /** What is being read; answering false ends the survey with what it has. */
  onStep?: (volume: Volume["id"], path: string) => boolean;
}

interface Limits {
  entries: number;
  depth: number;
  programBytes: number;
  initrdBytes: number;
  infs: number;
}

const LIMITS: Record<SurveyOptions["depth"], Limits> = {
  quick: { entries: 6000, depth: 5, programBytes: 6 << 20, initrdBytes: 3 << 20, infs: 60 },
  deep: { entries: 2_000_000, depth: 128, programBytes: 256 << 20, initrdBytes: 2 ** 40, infs: 20_000 },
};
/** All that a quick look may read of files, so that the metadata of any medium comes from less than 16 MB. */
const QUICK_BYTES = 9 << 20;
/** And a deep one: a damaged tree may name the same bytes a thousand times. */
const DEEP_BYTES = 2 ** 30;
const LIST_MAX_BYTES = 64 << 20;
const INF_MAX_BYTES = 8 << 20;
/** What all initial file systems of a medium may unpack to; those of real media stay below it. */
const UNPACKED_MAX_BYTES = 512 << 20;
const PROGRAMS_MAX = 500;
const FINDS_MAX = 500;

/** Looks through the trees of a medium for what it starts, installs, runs and drives. */
export async function survey(volumes: Volume[], options: SurveyOptions): Promise<Survey> {
  const surveyor = new Surveyor(options);
  // The same bytes under two names (a partition that the catalogue names too) are looked into once.
  for (const volume of distinct(volumes)) await surveyor.volume(volume);
  return surveyor.result;
}

class Surveyor {
  readonly result: Survey = {
    info: null,
    systems: [],
    wims: [],
    environments: [],
    kernels: [],
    live: [],
    programs: [],
    drivers: [],
    unread: [],
    entries: 0,
    cut: false,
  };
  private readonly limits: Limits;
  private bytesLeft: number;
  private infsLeft: number;
  private stopped = false;
  private unpackedLeft = UNPACKED_MAX_BYTES;
  /** Folders with a list of modules as text: the same list in binary form need not be read. */
  private readonly textLists = new Set<string>();
  /** Files of a disc, by path and size, and the tree in which they were met. */
  private readonly seenOnDisc = new Map<string, Volume["id"]>();

  constructor(private readonly options: SurveyOptions) {
    this.limits = LIMITS[options.depth];
    this.bytesLeft = options.depth === "quick" ? QUICK_BYTES : DEEP_BYTES;
    this.infsLeft = this.limits.infs;
  }

  async volume(volume: Volume): Promise<void> {
    const onCut = () => {
      this.result.cut = true;
    };
    const skip = (path: string) => path.split("/").length > this.limits.depth;
    const later: Walked[] = [];
    for await (const walked of walk(volume.tree, null, { entries: this.limits.entries, onCut, skip })) {
      this.result.entries++;
      if (this.stopped) return;
      if (walked.entry.directory || walked.entry.link !== undefined) continue;
      // The binary index comes after its folder's text, which may make it needless.
      if (/\/modules\.alias\.bin$/.test(walked.path)) later.push(walked);
      else await this.file(volume, walked);
    }
    for (const walked of later) if (!this.textLists.has(folderOf(walked.path))) await this.file(volume, walked);
    await this.installedSystem(volume);
  }

  private async file(volume: Volume, walked: Walked): Promise<void> {
    const look = lookFor(walked.path);
    if (!look || walked.entry.unreadable || walked.entry.sizeBytes === 0) return;
    if (this.isSeenOnDisc(volume, walked)) return;
    if (!(await this.isReadAlready(look, volume, walked)) && !this.allowed(look, volume, walked)) return;
    if (this.options.onStep && !this.options.onStep(volume.id, walked.path)) {
      this.stopped = true;
      return;
    }
    const content = await volume.tree.open(walked.entry);
    if (content) await this[look](content, volume, walked);
    else this.unread(volume, walked, "damaged");
  }

  private async isReadAlready(look: Look, { tree }: Volume, { entry }: Walked): Promise<boolean> {
    const { signings } = this.options;
    const content = look === "program" && signings ? await tree.open(entry) : null;
    return content !== null && signings?.has(content) === true;
  }

  /** A disc with two trees names the same files in both: each is looked at once. */
  private isSeenOnDisc({ id }: Volume, { path, entry }: Walked): boolean {
    if (id !== "iso9660" && id !== "udf") return false;
    const key = `${path.toLowerCase()} ${entry.sizeBytes}`;
    const isSeen = this.seenOnDisc.get(key) ?? id;
    this.seenOnDisc.set(key, isSeen);
    return isSeen !== id;
  }

  /** Whether there is room for it in a quick look; else it is named as left for later. */
  private allowed(look: Look, volume: Volume, walked: Walked): boolean {
    const { sizeBytes } = walked.entry;
    const cost: Record<Look, number> = {
      wim: 128 * 1024,
      kernel: 64 * 1024,
      squashfs: 768 * 1024,
      info: sizeBytes,
      moduleList: sizeBytes,
      builtinList: sizeBytes,
      aliasIndex: sizeBytes,
      inf: sizeBytes,
      initrd: sizeBytes,
      program: sizeBytes,
    };
    // What is too dear now is named with its reason, so that a deeper look knows what to do.
    const tooMuch =
      cost[look] > this.bytesLeft ||
      (look === "program" && sizeBytes > this.limits.programBytes) ||
      (look === "initrd" && sizeBytes > this.limits.initrdBytes) ||
      (look === "inf" && this.infsLeft-- <= 0);
    if (tooMuch) {
      this.unread(volume, walked, "later");
      return false;
    }
    this.bytesLeft -= cost[look];
    return true;
  }

  private unread(volume: Pick<Volume, "id">, { path, entry }: Walked, why: Survey["unread"][number]["why"]): void {
    if (this.result.unread.length < FINDS_MAX)
      this.result.unread.push({ volume: volume.id, path, bytes: entry.sizeBytes, why });
    else this.result.cut = true;
  }

  async info(content: ByteSource): Promise<void> {
    const text = new TextDecoder().decode(await content.read(0, 4096)).trim();
    this.result.info ??= text || null;
    const system = systemOfDiskInfo(text);
    if (system) this.result.systems.push({ ...system, role: "installs", from: "/.disk/info" });
  }

  async wim(content: ByteSource, volume: Pick<Volume, "id">, walked: Walked): Promise<void> {
    const wim = await readWim(content);
    if (!wim || this.result.wims.length >= FINDS_MAX) return;
    this.result.wims.push({ volume: volume.id, path: walked.path, fileBytes: walked.entry.sizeBytes, ...wim });
    // Later parts of a split set repeat the first one's list.
    if (wim.part <= 1) this.result.systems.push(...systemsOfWim(wim, walked.path));
    const index = environmentIn(wim);
    if (index === null) return;
    if (this.options.depth === "deep") await this.environment(content, index, volume, walked);
    else this.unread(volume, walked, "later");
  }

  /** The drivers of an environment that is started from an archive: all that its own store holds. */
  private async environment(
    content: ByteSource,
    index: number,
    volume: Pick<Volume, "id">,
    walked: Walked,
  ): Promise<void> {
    const archive = await WimArchive.open(new CachedSource(content));
    const tree = await archive?.image(index);
    if (!tree) return this.unread(volume, walked, archive ? "damaged" : "no-decoder");
    await this.told(tree, index, volume, walked);
    for (const root of DRIVER_STORES) {
      const folder = await findEntry(tree, root);
      if (!folder?.directory) continue;
      let found = 0;
      const onCut = () => {
        this.result.cut = true;
      };
      for await (const { path, entry } of walk(
        tree,
        { path: root, entry: folder },
        { entries: this.limits.entries, onCut },
      )) {
        if (entry.directory || !/\.inf$/i.test(path) || entry.unreadable) continue;
        // Names of a damaged archive may lead to the same content again and again.
        this.bytesLeft -= entry.sizeBytes;
        if (this.infsLeft-- <= 0 || this.bytesLeft < 0) {
          this.result.cut = true;
          return;
        }
        const file = await tree.open(entry);
        const inf = file && readInf(decodeInf(await file.read(0, INF_MAX_BYTES)));
        if (!inf) continue;
        found++;
        // Without its program a driver drives nothing, whatever it claims.
        if (await hasPrograms(tree, folderOf(path), inf.programs))
          this.addSources(infToSources(`${walked.path}: ${path}`, inf, true));
      }
      // What is in the store stands among the installed ones once more.
      if (found > 0) return;
    }
  }

  /** What the environment says of itself; it runs from the medium. */
  private async told(tree: FileTree, index: number, volume: Pick<Volume, "id">, walked: Walked): Promise<void> {
    const found = await readEnvironment(tree);
    const memoryBytes = memoryFor(walked.entry.sizeBytes);
    this.result.environments.push({ volume: volume.id, path: walked.path, index, ...found, memoryBytes });
    const { arch, build, language, version } = found;
    if (version === null && arch === null) return;
    const system = { family: "windows", name: "Windows PE", version, build, edition: null, arch, language };
    this.result.systems.push({ ...system, role: "runs", from: walked.path });
  }

  async kernel(content: ByteSource, volume: Volume, walked: Walked): Promise<void> {
    const image = await readKernelImage(content);
    if (!image || this.result.kernels.length >= FINDS_MAX) return;
    const { version, release } = image;
    this.result.kernels.push({ volume: volume.id, path: walked.path, bytes: walked.entry.sizeBytes, version, release });
  }

  async program(content: ByteSource, volume: Volume, walked: Walked): Promise<void> {
    const program = await readProgram(content, this.options.signings);
    if (!program) return;
    if (this.result.programs.length >= PROGRAMS_MAX) this.result.cut = true;
    else this.result.programs.push({ volume: volume.id, path: walked.path, ...program });
    // A unified image is a kernel too.
    await this.kernel(content, volume, walked);
  }

  async squashfs(content: ByteSource, volume: Volume, walked: Walked): Promise<void> {
    let inner = await openInner(content);
    if (!inner) return;
    const made = "made" in inner.tree ? String(inner.tree.made) : null;
    const place = { volume: volume.id, path: walked.path, bytes: walked.entry.sizeBytes };
    if (this.result.live.length < FINDS_MAX) this.result.live.push({ ...place, kind: inner.kind, made });
    if (inner.tree.unread) {
      this.unread(volume, walked, "no-decoder");
      return;
    }
    // Some live systems keep a whole file system image inside the compressed one.
    const image = await openPath(inner.tree, "/LiveOS/rootfs.img");
    inner = (image && (await openInner(image))) ?? inner;
    const system = await readSystem(inner.tree);
    if (system) this.result.systems.push({ ...system, role: "runs", from: walked.path });
    if (this.options.depth === "deep") await this.innerModules(inner.tree, walked.path);
    else this.unread(volume, walked, "later");
  }

  /** The lists of every kernel of a system's tree. */
  private async innerModules(tree: FileTree, where: string): Promise<void> {
    for (const root of ["/usr/lib/modules", "/lib/modules"]) {
      const folder = await findEntry(tree, root);
      if (!folder?.directory) continue;
      for (const kernel of await tree.list(folder)) {
        if (!kernel.directory) continue;
        const entries = await tree.list(kernel);
        const read = async (name: string) => {
          const entry = entries.find((each: TreeEntry) => each.name === name);
          const content = entry && (await tree.open(entry));
          return content ? await content.read(0, Math.min(content.sizeBytes, LIST_MAX_BYTES)) : null;
        };
        const at = `${where}: ${root}/${kernel.name}`;
        const text = await read("modules.alias");
        const index = text ? null : await read("modules.alias.bin");
        if (text) this.addModules(text, `${at}/modules.alias`, kernel.name);
        if (index) this.addIndex(index, `${at}/modules.alias.bin`, kernel.name);
        const builtIn = await read("modules.builtin.modinfo");
        if (builtIn) this.addBuiltin(builtIn, `${at}/modules.builtin.modinfo`, kernel.name);
      }
      // Where /lib is a link to /usr/lib, the second root is the first.
      return;
    }
  }

  async moduleList(content: ByteSource, _volume: Volume, walked: Walked): Promise<void> {
    this.textLists.add(folderOf(walked.path));
    this.addModules(await content.read(0, LIST_MAX_BYTES), walked.path, kernelOf(walked.path));
  }

  async aliasIndex(content: ByteSource, _volume: Volume, walked: Walked): Promise<void> {
    this.addIndex(await content.read(0, LIST_MAX_BYTES), walked.path, kernelOf(walked.path));
  }

  async builtinList(content: ByteSource, _volume: Volume, walked: Walked): Promise<void> {
    this.addBuiltin(await content.read(0, LIST_MAX_BYTES), walked.path, kernelOf(walked.path));
  }

  async inf(content: ByteSource, _volume: Volume, walked: Walked): Promise<void> {
    const inf = readInf(decodeInf(await content.read(0, INF_MAX_BYTES)));
    if (inf) this.addSources(infToSources(walked.path, inf));
  }

  async initrd(content: ByteSource, volume: Volume, walked: Walked): Promise<void> {
    /** Without lists, the modules themselves say what they claim. */
    const claimsByList = new Map<string, Claim[]>();
    const lists = new Map<string, { text?: Uint8Array; index?: Uint8Array; builtIn?: Uint8Array }>();
    let osRelease: string | null = null;
    const reading = await readInitrd(
      content,
      ({ path }) => {
        const name = path.slice(path.lastIndexOf("/") + 1);
        const of = () => {
          const folder = folderOf(path);
          const claimsByList = lists.get(folder) ?? {};
          lists.set(folder, claimsByList);
          return claimsByList;
        };
        const take = (key: "text" | "index" | "builtIn") => (bytes: Uint8Array) => {
          of()[key] = bytes;
        };
        if (name === "modules.alias") return take("text");
        if (name === "modules.alias.bin") return take("index");
        if (name === "modules.builtin.modinfo") return take("builtIn");
        // A small system that lives in its initial file system as a whole; elsewhere this is a link.
        if (path === "etc/os-release")
          return (bytes) => {
            osRelease ??= new TextDecoder().decode(bytes);
          };
        const module = /^(?:usr\/)?lib\/modules\/([^/]+)\/.*?([^/]+)\.ko$/.exec(path);
        if (!module || this.options.depth !== "deep") return null;
        const [, kernel, driver] = module as unknown as [string, string, string];
        return (bytes) => {
          const claims = claimsByList.get(kernel) ?? [];
          claimsByList.set(kernel, [...claims, ...readModuleAliases(bytes, driver.replaceAll("-", "_"))]);
        };
      },
      { contentBytes: LIST_MAX_BYTES, unpackedBytes: this.unpackedLeft },
    );
    this.unpackedLeft -= Math.min(this.unpackedLeft, reading.unpackedBytes);
    if (reading.tooLarge) this.unread(volume, walked, "too-large");
    if (reading.end === null || reading.tooLarge) return;
    if (reading.end !== "whole") this.unread(volume, walked, reading.end === "no-decoder" ? "no-decoder" : "damaged");
    for (const [folder, { text, index, builtIn }] of lists) {
      const at = `${walked.path}: ${folder}`;
      const kernel = folder.slice(folder.lastIndexOf("/") + 1);
      if (text) this.addModules(text, `${at}/modules.alias`, kernel);
      else if (index) this.addIndex(index, `${at}/modules.alias.bin`, kernel);
      if (builtIn) this.addBuiltin(builtIn, `${at}/modules.builtin.modinfo`, kernel);
    }
    if (lists.size === 0)
      for (const [kernel, claims] of claimsByList)
        this.addSources([claimsToSource("modules", `${walked.path}: lib/modules/${kernel}`, kernel, claims)]);
    const system = osRelease === null ? null : systemOfOsRelease(osRelease);
    if (system) this.result.systems.push({ ...system, role: "runs", from: walked.path });
  }

  /** A volume that is the root of an installed or unpacked system. */
  private async installedSystem(volume: Volume): Promise<void> {
    // Discs and start partitions carry systems, and are none: an os-release there belongs to what they carry.
    if (volume.kind === "iso9660" || volume.kind === "udf" || volume.kind.startsWith("fat") || volume.kind === "folder")
      return;
    const system = await readSystem(volume.tree);
    if (!system) return;
    const role = volume.kind === "squashfs" ? "runs" : "installed";
    this.result.systems.push({ ...system, role, from: "/etc/os-release" });
  }

  private addModules(bytes: Uint8Array, path: string, kernel: string | null): void {
    this.addSources([claimsToSource("modules", path, kernel, readModulesAlias(latin1Text(bytes)))]);
  }

  private addBuiltin(bytes: Uint8Array, path: string, kernel: string | null): void {
    this.addSources([claimsToSource("built-in", path, kernel, readBuiltinModinfo(latin1Text(bytes)))]);
  }

  private addIndex(bytes: Uint8Array, path: string, kernel: string | null): void {
    const claims = readAliasIndex(bytes);
    if (claims) this.addSources([claimsToSource("modules", path, kernel, claims)]);
  }

  private addSources(sources: DriverSource[]): void {
    for (const source of sources) {
      if (Object.keys(source.drivers).length > 0) this.result.drivers.push(source);
    }
  }
}

/** Where an environment keeps its drivers: the store, and where the installed ones are (Microsoft, "Driver Store"). */
const DRIVER_STORES = ["/Windows/System32/DriverStore/FileRepository", "/Windows/INF"];

/** Whether one of a driver's programs is beside it, or among the environment's; where it names none, nothing is missing. */
async function hasPrograms(tree: FileTree, folder: string, programs: readonly string[]): Promise<boolean> {
  for (const program of programs)
    for (const place of [folder, "/Windows/System32/drivers", "/Windows/System32"])
      if (await findEntry(tree, `${place}/${program}`)) return true;
  return programs.length === 0;
}

/** The image of an archive that is started from it as an environment; null where it holds none. */
function environmentIn(wim: Wim): number | null {
  const isOne = ({ installationType, edition }: Wim["images"][number]) =>
    installationType === "WindowsPE" || edition === "WindowsPE";
  const started = wim.images.find(({ index }) => index === wim.startIndex);
  // What a loader starts out of an archive is an environment, whatever it calls itself.
  if (started) return started.index;
  return wim.images.find(isOne)?.index ?? null;
}

type Look =
  | "info"
  | "wim"
  | "kernel"
  | "squashfs"
  | "program"
  | "moduleList"
  | "aliasIndex"
  | "builtinList"
  | "inf"
  | "initrd";

/** What a file is looked at for, by its name and place; its content decides. */
function lookFor(path: string): Look | null {
  const lower = path.toLowerCase();
  const name = lower.slice(lower.lastIndexOf("/") + 1);
  // Names by custom of installers and live systems; a wrong guess costs one small read.
  if (lower === "/.disk/info") return "info";
  if (/\.(wim|esd|swm)$/.test(name)) return "wim";
  if (/\.efi(\.signed)?$/.test(name)) return "program";
  if (/\.(squashfs|sfs|sqfs|squash|sqsh)$/.test(name) || lower.endsWith("/liveos/squashfs.img")) return "squashfs";
  if (name === "modules.alias") return "moduleList";
  if (name === "modules.alias.bin") return "aliasIndex";
  if (name === "modules.builtin.modinfo") return "builtinList";
  // autorun.inf names an icon for a window, and no driver.
  if (name.endsWith(".inf") && !/^autorun\.inf$/.test(name)) return "inf";
  if (/^(initrd|initramfs|initrfs|miniroot)/.test(name) || /\.(initrd|cpio)(\.\w+)?$/.test(name)) return "initrd";
  if (/^(vmlinuz|bzimage|linux|linux26|kernel)([-._].*)?$/.test(name)) return "kernel";
  return null;
}

function folderOf(path: string): string {
  return path.slice(0, Math.max(0, path.lastIndexOf("/")));
}

/** ".../lib/modules/6.1.0/modules.alias" is of kernel 6.1.0. */
function kernelOf(path: string): string | null {
  return /\/modules\/([^/]+)\/[^/]+$/.exec(path)?.[1] ?? null;
}

/** One character a byte, quickly; the lists are plain ASCII. */
function latin1Text(bytes: Uint8Array): string {
  return new TextDecoder("latin1").decode(bytes);
}

/** Machine, digest, signatures and the rest of an EFI program; null where the file is no such thing. */
async function readProgram(
  content: ByteSource,
  signings: SigningReader | undefined,
): Promise<Omit<Program, "volume" | "path"> | null> {
  const image = await readPe(content);
  if (!image.recognised) return null;
  const { authenticode, signatures, tableFault } = await (signings?.read(content, image) ??
    readSigning(content, image));
  return {
    bytes: content.sizeBytes,
    machine: image.machine,
    authenticode,
    signatures,
    sbat: await readSbat(content, image),
    builtIn: (await readBuiltInLists(content, image))?.lists ?? null,
    faults: [...image.faults, ...(tableFault ? [`certificate-table-${tableFault}`] : [])],
  };
}

async function readSystem(tree: FileTree) {
  for (const path of ["/etc/os-release", "/usr/lib/os-release"]) {
    const content = await openPath(tree, path);
    const system = content && systemOfOsRelease(new TextDecoder().decode(await content.read(0, 64 * 1024)));
    if (system) return system;
  }
  return null;
}

/** A file that is an archive of images by itself, without a tree around it. */
export async function surveyBareFile(source: ByteSource, name: string, options: SurveyOptions): Promise<Survey> {
  const cached = new CachedSource(source);
  const surveyor = new Surveyor(options);
  const entry = { name, directory: false, sizeBytes: source.sizeBytes, modified: null };
  if (isWim(await cached.read(0, 16))) await surveyor.wim(cached, { id: "whole" }, { path: `/${name}`, entry });
  return surveyor.result;
}
