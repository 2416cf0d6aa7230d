import type { DeviceKind } from "../bench/device";
import type { ByteSource } from "../bytes/source";
import { MemorySource } from "../bytes/source";
import { inspect } from "../inspection/inspect";
import type { Inspection } from "../inspection/schema";
import type { BiosStart } from "../write/bios-start";
import { type LaidPart, type LayoutProblem, layOut, type TableKind } from "../write/laid-out";
import { type Layout, LayoutSource, writtenBytes } from "../write/pieces";
import { Seed } from "../write/seed";
import type { FileToWrite } from "../write/tree";
import { asItIs, type ImageProblem, withStore } from "../write/with-store";
import { type DiscKind, discOf, discsFor } from "./discs";
import { type ReleaseTree, releaseTree } from "./release-tree";
import { ownMenuOf, START_CONFIG_PATH, startConfig } from "./start-config";

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
}

/** What is carried along: some belongs beside the release, and some, which is large, in a store where there is one. */
export interface Carried {
  start: FileToWrite[];
  store: FileToWrite[];
}

const NOTHING_CARRIED: Carried = { start: [], store: [] };

export interface PlanInput {
  request: PlanRequest;
  /** The release's file. */
  image: ByteSource;
  name: string;
  device: { kind: DeviceKind; bytes: number; sectorBytes: 512 | 2048 | 4096 };
  /** GRUB's BIOS stages; null where this server has none. */
  bios: BiosStart | null;
  /** What Creel puts on the medium beside the release: under `/CREEL`. */
  pack: readonly FileToWrite[];
  carried?: Carried;
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
  | { code: "disc-too-small"; bytes: number; neededBytes: number; disc: DiscKind | null; larger: DiscKind[] }
  | { code: "sector-size"; sectorBytes: number };

/** What is worth knowing of a plan that works. */
export type PlanNote =
  | { code: "room-left"; bytes: number }
  | { code: "no-bios-start"; why: "no-menu" | "no-stages" }
  | { code: "no-uefi-start" }
  | { code: "pack-left-out" }
  | { code: "carried"; files: number; bytes: number }
  | { code: "carried-left-out"; files: number }
  | { code: "left-out"; count: number; first: string; why: "link" | "unread" }
  | { code: "bios-by-grub"; menu: string };

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

/** Plans one medium, and reads the finished one before anything is written. */
export async function planMedium(input: PlanInput): Promise<MediumPlan> {
  const made = await layoutFor(input);
  if (!made.ok)
    return { ok: false, request: input.request, problems: made.problems, alternatives: await alternativesTo(input) };
  const source = new LayoutSource(made.layout);
  const { inspection } = await inspect(source, { name: `${input.request.tag}.img` });
  return {
    ok: true,
    request: input.request,
    layout: made.layout,
    parts: made.parts,
    writtenBytes: writtenBytes(made.layout),
    notes: [...made.notes, ...startNotes(inspection, input)],
    predicted: inspection,
  };
}

type Made = { ok: true; layout: Layout; parts: LaidPart[]; notes: PlanNote[] } | { ok: false; problems: PlanProblem[] };

async function layoutFor(input: PlanInput): Promise<Made> {
  const { request, device, image } = input;
  const isDisc = device.kind === "optical";
  if (request.way === "disc") return isDisc ? onDisc(input) : failed({ code: "not-optical" });
  if (isDisc) return failed({ code: "stick-wanted" });
  if (request.way === "laid-out") return laidOut(input);
  if (!(await startsFromStick(image, input.name))) return failed({ code: "not-hybrid" });
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
  return { ok: true, layout, parts, notes };
}

function failed(problem: PlanProblem): Made {
  return { ok: false, problems: [problem] };
}

/** Whether some computer starts the image block by block from a stick. */
async function startsFromStick(image: ByteSource, name: string): Promise<boolean> {
  const { inspection } = await inspect(image, { name });
  return inspection.startPaths.some(({ as }) => as === "usb");
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
  return { ok: true, layout: result.value.layout, parts: [], notes };
}

function carriedNotes(files: readonly FileToWrite[]): PlanNote[] {
  if (files.length === 0) return [];
  const bytes = files.reduce((sum, { content }) => sum + content.sizeBytes, 0);
  return [{ code: "carried", files: files.length, bytes }];
}

async function laidOut({
  request,
  image,
  device,
  bios,
  pack,
  carried = NOTHING_CARRIED,
  madeAt,
}: PlanInput): Promise<Made> {
  if (device.sectorBytes === 2048) return failed({ code: "sector-size", sectorBytes: device.sectorBytes });
  const tree = await releaseTree(image);
  if (tree.files.length === 0) return failed({ code: "no-files" });
  const menu = ownMenuOf(tree.files.map(({ path }) => path));
  const stages = menu ? bios : null;
  const own = tree.files.filter(({ path }) => !path.toUpperCase().startsWith("/CREEL/"));
  const large = request.store ? [] : carried.store;
  const files = [
    ...own,
    ...pack,
    ...carried.start,
    ...large,
    ...(menu && stages ? [configFile(startConfig(menu))] : []),
  ];
  const result = await layOut({
    deviceBytes: device.bytes,
    sectorBytes: device.sectorBytes,
    table: request.table,
    start: { label: request.tag, files },
    store: request.store ? { label: `${request.tag} STORE`, files: carried.store } : null,
    bios: stages,
    seed: new Seed(request.tag),
    madeAt,
  });
  if (!result.ok) return { ok: false, problems: result.problems };
  const { layout, parts } = result.value;
  const notes: PlanNote[] = [...leftOut(tree), ...carriedNotes([...carried.start, ...carried.store])];
  const start = parts.find(({ role }) => role === "start");
  if (!request.store && start && start.freeBytes >= MUCH_ROOM_BYTES)
    notes.push({ code: "room-left", bytes: start.freeBytes });
  if (menu && stages) notes.push({ code: "bios-by-grub", menu: menu.path });
  else notes.push({ code: "no-bios-start", why: menu ? "no-stages" : "no-menu" });
  return { ok: true, layout, parts, notes };
}

function configFile(text: string): FileToWrite {
  return { path: START_CONFIG_PATH, content: new MemorySource(new TextEncoder().encode(text)), modified: null };
}

function leftOut({ left }: ReleaseTree): PlanNote[] {
  return (["link", "unread"] as const).flatMap((why): PlanNote[] => {
    const own = left.filter((each) => each.why === why);
    const [first] = own;
    return first ? [{ code: "left-out", count: own.length, first: first.path, why }] : [];
  });
}

function startNotes({ startPaths }: Inspection, { device }: PlanInput): PlanNote[] {
  const as = device.kind === "optical" ? "optical" : "usb";
  const uefi = startPaths.some((path) => path.firmware === "uefi" && path.as === as && path.problems.length === 0);
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
