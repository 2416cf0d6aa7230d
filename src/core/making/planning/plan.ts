import { FAT32_FILE_MAX_BYTES } from "../../formats/fat32-writing";
import { type Layout, LayoutSource, writtenBytes } from "../../formats/pieces";
import type { FileToWrite } from "../../formats/tree-writing";
import type { StartKind } from "../../judging/model/start-kind";
import { Seed } from "../../kernel/seed";
import type { ByteSource } from "../../kernel/source";
import { MemorySource } from "../../kernel/source";
import { isSystemFile } from "../../medium/contents/systems";
import type { Place } from "../../medium/firmware/place";
import { inspect } from "../../medium/inspection/inspect";
import type { Inspection } from "../../medium/inspection/schema";
import { partitionOf, startPathsOf } from "../../medium/inspection/start-paths";
import type { BiosStart } from "../layout/bios-start";
import { type LaidPart, type LayoutProblem, layOut, type TableKind } from "../layout/laid-out";
import { layOutPlainStore } from "../layout/plain-store";
import { asItIs, type ImageProblem, withStore } from "../layout/with-store";
import { BESIDE_MOST } from "../pack/pack";
import type { DeviceKind } from "../writing/device";
import { type DiscKind, discOf, discsFor } from "./discs";
import { type ReleaseTree, releaseTree, type SplitFile, withoutSystemFiles, withSplitArchives } from "./release-tree";
import { choiceConfig, loadConfigPath, type OwnMenu, ownMenuOf, START_CONFIG_PATH, startConfig } from "./start-config";

/** How a medium is made from a release's file. */
export const WAYS = ["as-it-is", "as-it-is-with-store", "laid-out", "disc"] as const;
export type Way = (typeof WAYS)[number];

export interface PlanRequest {
  way: Way;
  /** Of a medium that is laid out. */
  table: TableKind;
  /** Whether the rest of a medium that is laid out becomes a store. */
  store: boolean;
  /** The medium's tag: names its volumes. */
  tag: string;
  /** False: of a release that is laid out, the files that it installs are left out; left out: they go onto it. */
  systemFiles?: boolean | undefined;
}

/** What is carried along: some belongs beside the release, and some, which is large, in a store where there is one. */
export interface Carried {
  start: FileToWrite[];
  store: FileToWrite[];
}

const NOTHING_CARRIED: Carried = { start: [], store: [] };

/** A release that stands on a medium beside another one, in a partition of its own. */
interface Beside {
  /** The release in words: "Bollard 5.0". */
  title: string;
  image: ByteSource;
}

export interface PlanInput {
  request: PlanRequest;
  /** The release's file. */
  image: ByteSource;
  name: string;
  /** The release in words, for a menu of several. */
  title?: string;
  /** More releases, where the medium is laid out. */
  beside?: readonly Beside[];
  device: { kind: DeviceKind; bytes: number; sectorBytes: 512 | 2048 | 4096 };
  /** GRUB's BIOS stages; null where this server has none. */
  bios: BiosStart | null;
  /** What Creel puts on the medium beside the release: under `/CREEL`. */
  pack: readonly FileToWrite[];
  carried?: Carried;
  /** Of a medium that is laid out: system files larger than this are split; left out: what FAT32 cannot hold is. */
  fileMostBytes?: number;
  /** ISO 8601. */
  madeAt: string;
}

/** Why a medium cannot be made this way. */
export type PlanProblem =
  | LayoutProblem
  | ImageProblem
  | { code: "not-hybrid" }
  | { code: "no-files" }
  | { code: "not-optical" }
  | { code: "stick-wanted" }
  | { code: "not-for-several" }
  | { code: "too-many-releases"; most: number }
  | { code: "nothing-starts-it"; release: string }
  | { code: "disc-too-small"; bytes: number; neededBytes: number; disc: DiscKind | null; larger: DiscKind[] }
  | { code: "sector-size"; sectorBytes: number }
  | { code: "table-of-other-sectors"; image: number; device: number };

/** What is worth knowing of a plan that works. */
export type PlanNote =
  | { code: "room-left"; bytes: number }
  | { code: "system-files"; bytes: number; ofBytes: number; isIncluded: boolean }
  | ({ code: "split" } & SplitFile)
  | { code: "no-bios-start"; why: "no-menu" | "no-stages" }
  | { code: "no-uefi-start" }
  | { code: "pack-left-out" }
  | { code: "carried"; files: number; bytes: number }
  | { code: "carried-left-out"; files: number }
  | { code: "left-out"; count: number; first: string; why: "link" | "unread" }
  | { code: "bios-by-grub"; menu: string }
  | { code: "bios-chooses"; releases: string[] }
  | { code: "started-by"; release: string; by: StartKind[] };

/** One of several releases on a medium: the partition that it stands in, and which firmware comes to it. */
export interface PlannedLoad {
  startBytes: number;
  lengthBytes: number;
  startedBy: StartKind[];
}

/** Another way that would do. */
export interface Alternative {
  way: Way;
  store: boolean;
  table: TableKind;
}

export type MediumPlan =
  | {
      ok: true;
      request: PlanRequest;
      layout: Layout;
      parts: LaidPart[];
      /** In the order in which they were asked for; none where the medium has one release. */
      loads: PlannedLoad[];
      /** What has to be written, and read back. */
      writtenBytes: number;
      notes: PlanNote[];
      /** What will be read from the finished medium. */
      predicted: Inspection;
    }
  | { ok: false; request: PlanRequest; problems: PlanProblem[]; alternatives: Alternative[] };

/** A stick with so much left beside the kit is better used: a store is offered. */
const MUCH_ROOM_BYTES = 2e9;
const DISC_SECTOR_BYTES = 2048;

/** As reading a finished stick asks for its sectors; of a disc they are told by its kind. */
const sectorsOf = ({ sectorBytes }: Pick<PlanInput["device"], "sectorBytes">): { sectorBytes: 512 | 4096 } => ({
  sectorBytes: sectorBytes === 4096 ? 4096 : 512,
});

/** Plans one medium, and reads the finished one before anything is written. */
export async function planMedium(input: PlanInput): Promise<MediumPlan> {
  const made = await layoutFor(input);
  if (!made.ok)
    return { ok: false, request: input.request, problems: made.problems, alternatives: await alternativesTo(input) };
  const source = new LayoutSource(made.layout);
  const { inspection } = await inspect(source, { name: `${input.request.tag}.img`, ...sectorsOf(input.device) });
  const loads = loadsOf(made, inspection);
  const idle = loads.findIndex(({ startedBy }) => startedBy.length === 0);
  if (idle >= 0)
    return {
      ok: false,
      request: input.request,
      problems: [{ code: "nothing-starts-it", release: titleOf(input, idle) }],
      alternatives: [],
    };
  const started = loads.map(({ startedBy }, nth): PlanNote => {
    return { code: "started-by", release: titleOf(input, nth), by: startedBy };
  });
  return {
    ok: true,
    request: input.request,
    layout: made.layout,
    parts: made.parts,
    loads,
    writtenBytes: writtenBytes(made.layout),
    notes: [...started, ...made.notes, ...startNotes(inspection, input)],
    predicted: inspection,
  };
}

/** Whether a plan leaves out system files that its releases have. */
export function isLean({ notes }: { notes: readonly PlanNote[] }): boolean {
  return notes.some((note) => note.code === "system-files" && !note.isIncluded);
}

/** Plans a device as nothing but a store, and reads the finished one before anything is written. */
export async function planPlainStore({
  label,
  device,
  madeAt,
}: {
  /** Names its volume, and makes it the same twice. */
  label: string;
  device: PlanInput["device"];
  /** ISO 8601. */
  madeAt: string;
}): Promise<MediumPlan> {
  const request: PlanRequest = { way: "laid-out", table: "gpt", store: true, tag: label };
  const { sectorBytes, bytes } = device;
  if (sectorBytes === 2048) return { ok: false, request, problems: [{ code: "stick-wanted" }], alternatives: [] };
  const made = await layOutPlainStore({ deviceBytes: bytes, sectorBytes, label, seed: new Seed(label), madeAt });
  if (!made.ok) return { ok: false, request, problems: made.problems, alternatives: [] };
  const { layout, parts } = made.value;
  const { inspection } = await inspect(new LayoutSource(layout), { name: `${label}.img`, ...sectorsOf(device) });
  return {
    ...{ ok: true, request, layout, parts, loads: [], notes: [] },
    ...{ writtenBytes: writtenBytes(layout), predicted: inspection },
  };
}

/** Which firmware comes to which of several releases, as the finished medium is read. */
function loadsOf({ parts, biosMenus }: Extract<Made, { ok: true }>, inspection: Inspection): PlannedLoad[] {
  const starts = parts.filter(({ role }) => role === "start" || role === "load");
  if (starts.length < 2) return [];
  const { partitions } = inspection;
  const startPaths = startPathsOf(inspection).filter(({ as }) => as === "usb");
  const startOf = (place: Place) => partitions.find(({ index }) => index === partitionOf(place))?.start;
  const runsBios = startPaths.some(({ firmware, problem }) => firmware === "bios" && problem === null);
  return starts.map(({ startBytes, lengthBytes }, nth) => {
    const startedBy = startPaths.flatMap((path): StartKind[] =>
      path.firmware === "uefi" && startOf(path.place) === startBytes ? [path.arch] : [],
    );
    if (runsBios && biosMenus.includes(nth)) startedBy.push("bios");
    return { startBytes, lengthBytes, startedBy };
  });
}

type Made =
  | { ok: true; layout: Layout; parts: LaidPart[]; notes: PlanNote[]; biosMenus: number[] }
  | { ok: false; problems: PlanProblem[] };

async function layoutFor(input: PlanInput): Promise<Made> {
  const { request, device, image } = input;
  const isDisc = device.kind === "optical";
  const besideCount = input.beside?.length ?? 0;
  if (besideCount > BESIDE_MOST) return failed({ code: "too-many-releases", most: BESIDE_MOST + 1 });
  if (besideCount > 0 && request.way !== "laid-out") return failed({ code: "not-for-several" });
  if (request.way === "disc") return isDisc ? onDisc(input) : failed({ code: "not-optical" });
  if (isDisc) return failed({ code: "stick-wanted" });
  if (request.way === "laid-out") return laidOut(input);
  if (!(await startsFromStick(image, input.name))) return failed({ code: "not-hybrid" });
  if (device.sectorBytes === 4096 && (await hasTableAt(image, 512)))
    return failed({ code: "table-of-other-sectors", image: 512, device: device.sectorBytes });
  const seed = new Seed(request.tag);
  const { start: beside, store: large } = input.carried ?? NOTHING_CARRIED;
  const carried = [...beside, ...large];
  const store = { label: request.tag, files: [...input.pack, ...carried], seed, madeAt: input.madeAt };
  const result = request.way === "as-it-is" ? asItIs(image, device.bytes) : await withStore(image, device.bytes, store);
  if (!result.ok) return { ok: false, problems: result.problems };
  const { layout, store: behind } = result.value;
  const notes: PlanNote[] = [];
  const restBytes = device.bytes - image.sizeBytes;
  if (!behind && restBytes >= MUCH_ROOM_BYTES) notes.push({ code: "room-left", bytes: restBytes });
  if (!behind && input.pack.length > 0) notes.push({ code: "pack-left-out" });
  if (!behind && carried.length > 0) notes.push({ code: "carried-left-out", files: carried.length });
  if (behind) notes.push(...carriedNotes(carried));
  const parts: LaidPart[] = behind ? [{ role: "store", filesystem: "exfat", ...behind }] : [];
  return { ok: true, layout, parts, notes, biosMenus: [] };
}

function failed(problem: PlanProblem): Made {
  return { ok: false, problems: [problem] };
}

/** Whether a GPT is in the second sector of so many bytes: firmware looks for it by the device's own. UEFI 2.10, 5.3.1. */
async function hasTableAt(image: ByteSource, sectorBytes: number): Promise<boolean> {
  const head = await image.read(sectorBytes, GPT_SIGNATURE.length);
  return new TextDecoder("latin1").decode(head) === GPT_SIGNATURE;
}
const GPT_SIGNATURE = "EFI PART";

/** Whether some computer starts the image block by block from a stick. */
async function startsFromStick(image: ByteSource, name: string): Promise<boolean> {
  const { inspection } = await inspect(image, { name });
  return startPathsOf(inspection).some(({ as }) => as === "usb");
}

function onDisc({ image, device, carried }: PlanInput): Made {
  const sectors = Math.ceil(image.sizeBytes / DISC_SECTOR_BYTES);
  const neededBytes = sectors * DISC_SECTOR_BYTES;
  if (neededBytes > device.bytes)
    return failed({
      code: "disc-too-small",
      bytes: device.bytes,
      neededBytes,
      disc: discOf(device.bytes),
      larger: discsFor(neededBytes),
    });
  const result = asItIs(image, device.bytes, { isWrittenOnce: true });
  if (!result.ok) return { ok: false, problems: result.problems };
  const left = (carried?.start.length ?? 0) + (carried?.store.length ?? 0);
  const notes: PlanNote[] = left > 0 ? [{ code: "carried-left-out", files: left }] : [];
  return { ok: true, layout: result.value.layout, parts: [], notes, biosMenus: [] };
}

function carriedNotes(files: readonly FileToWrite[]): PlanNote[] {
  if (files.length === 0) return [];
  const bytes = files.reduce((sum, { content }) => sum + content.sizeBytes, 0);
  return [{ code: "carried", files: files.length, bytes }];
}

async function laidOut(input: PlanInput): Promise<Made> {
  const { request, image, device, bios, pack, carried = NOTHING_CARRIED, beside = [], madeAt } = input;
  if (device.sectorBytes === 2048) return failed({ code: "sector-size", sectorBytes: device.sectorBytes });
  const all = await Promise.all([image, ...beside.map((each) => each.image)].map(releaseTree));
  const isIncluded = request.systemFiles !== false;
  const mostBytes = input.fileMostBytes ?? FAT32_FILE_MAX_BYTES;
  const fitted = await Promise.all(
    (isIncluded ? all : all.map(withoutSystemFiles)).map((tree) => withSplitArchives(tree, mostBytes)),
  );
  const trees = fitted.map(({ tree }) => tree);
  if (trees.some(({ files }) => files.length === 0)) return failed({ code: "no-files" });
  const menus = trees.map(({ files }) => ownMenuOf(files.map(({ path }) => path)));
  const stages = menus.some((menu) => menu !== null) ? bios : null;
  const [own, ...others] = filesOfLoads(trees, stages ? menus : [], input);
  const large = request.store ? [] : carried.store;
  const result = await layOut({
    deviceBytes: device.bytes,
    sectorBytes: device.sectorBytes,
    table: request.table,
    start: { label: request.tag, files: [...(own ?? []), ...pack, ...carried.start, ...large] },
    beside: others.map((files, nth) => ({ label: `${request.tag.slice(0, 9)} ${nth + 2}`, files })),
    store: request.store ? { label: `${request.tag} STORE`, files: carried.store } : null,
    bios: stages,
    seed: new Seed(request.tag),
    madeAt,
  });
  if (!result.ok) return { ok: false, problems: result.problems };
  const { layout, parts } = result.value;
  const notes: PlanNote[] = [
    ...systemFilesNotes(all, isIncluded),
    ...fitted.flatMap(({ split }) => split.map((each): PlanNote => ({ code: "split", ...each }))),
    ...trees.flatMap(leftOut),
    ...carriedNotes([...carried.start, ...carried.store]),
  ];
  const start = parts.find(({ role }) => role === "start");
  if (!request.store && start && start.freeBytes >= MUCH_ROOM_BYTES)
    notes.push({ code: "room-left", bytes: start.freeBytes });
  const biosMenus = stages ? [...menus.keys()].filter((nth) => menus[nth]) : [];
  const [first = null] = menus.filter((menu) => menu !== null);
  if (biosMenus.length > 1) notes.push({ code: "bios-chooses", releases: biosMenus.map((nth) => titleOf(input, nth)) });
  else if (first && stages) notes.push({ code: "bios-by-grub", menu: first.path });
  else notes.push({ code: "no-bios-start", why: first ? "no-stages" : "no-menu" });
  return { ok: true, layout, parts, notes, biosMenus };
}

/** Included system files, with what all files come to with them. */
function systemFilesNotes(trees: readonly ReleaseTree[], isIncluded: boolean): PlanNote[] {
  const files = trees.flatMap((tree) => tree.files);
  const sum = (some: FileToWrite[]) => some.reduce((bytes, { content }) => bytes + content.sizeBytes, 0);
  const bytes = sum(files.filter(({ path }) => isSystemFile(path)));
  return bytes > 0 ? [{ code: "system-files", bytes, ofBytes: sum(files), isIncluded }] : [];
}

/** The nth release of a medium in words. */
function titleOf({ title, name, beside = [] }: PlanInput, nth: number): string {
  return nth === 0 ? (title ?? name) : (beside[nth - 1]?.title ?? "");
}

/** The files of each release, and beside them what the BIOS stage is told. */
function filesOfLoads(trees: readonly ReleaseTree[], menus: readonly (OwnMenu | null)[], input: PlanInput) {
  const isOne = trees.length === 1;
  const readMenus = menus.flatMap((menu, nth) => (menu ? [{ nth: nth + 1, title: titleOf(input, nth) }] : []));
  return trees.map(({ files }, nth): FileToWrite[] => {
    const menu = menus[nth];
    const releaseFiles = files.filter(({ path }) => !path.toUpperCase().startsWith("/CREEL/"));
    if (menu) releaseFiles.push(configFile(isOne ? START_CONFIG_PATH : loadConfigPath(nth + 1), startConfig(menu)));
    if (!isOne && nth === 0 && readMenus.length > 0)
      releaseFiles.push(configFile(START_CONFIG_PATH, choiceConfig(readMenus)));
    return releaseFiles;
  });
}

function configFile(path: string, text: string): FileToWrite {
  return { path, content: new MemorySource(new TextEncoder().encode(text)), modified: null };
}

function leftOut({ left }: ReleaseTree): PlanNote[] {
  return (["link", "unread"] as const).flatMap((why): PlanNote[] => {
    const leftFor = left.filter((each) => each.why === why);
    const [first] = leftFor;
    return first ? [{ code: "left-out", count: leftFor.length, first: first.path, why }] : [];
  });
}

function startNotes(inspection: Inspection, { device }: PlanInput): PlanNote[] {
  const as = device.kind === "optical" ? "optical" : "usb";
  const uefi = startPathsOf(inspection).some(
    (path) => path.firmware === "uefi" && path.as === as && path.problem === null,
  );
  return uefi ? [] : [{ code: "no-uefi-start" }];
}

/** Of the other ways, those that work on this device; the one that keeps the file as it is first. */
async function alternativesTo(input: PlanInput): Promise<Alternative[]> {
  const others: Alternative[] = [
    { way: "as-it-is", store: false, table: "gpt" },
    { way: "as-it-is-with-store", store: true, table: "gpt" },
    { way: "laid-out", store: false, table: "gpt" },
    { way: "laid-out", store: true, table: "gpt" },
    { way: "laid-out", store: false, table: "mbr" },
    { way: "disc", store: false, table: "gpt" },
  ];
  const found: Alternative[] = [];
  for (const other of others) {
    const { way, store, table } = input.request;
    if (other.way === way && other.store === store && other.table === table) continue;
    const made = await layoutFor({ ...input, request: { ...input.request, ...other } });
    // One kind of table is enough to offer.
    if (made.ok && !found.some((each) => each.way === other.way)) found.push(other);
  }
  return found;
}
