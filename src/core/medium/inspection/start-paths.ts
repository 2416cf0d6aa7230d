import { ARCHITECTURES, type Architecture } from "../../kernel/architecture";
import type { Program } from "../contents/schema";
import type { BiosStep, BiosView, StartCode } from "../firmware/bios/view";
import type { Place } from "../firmware/place";
import { chooseLoader, type LoadProblem, loadProblem } from "../firmware/uefi/choose";
import type { ProgramKind } from "../firmware/uefi/view";
import type { Attachment, Inspection } from "./schema";

/** A way in that UEFI firmware of one architecture finds on a medium. */
interface UefiStartPath {
  firmware: "uefi";
  arch: Architecture;
  as: Attachment;
  place: Place;
  file: string;
  loader: {
    machine: string | null;
    bytes: number;
    /** Null: not looked for yet. */
    authenticode: string | null;
    signatures: Program["signatures"] | null;
    sbat: Program["sbat"];
    /** What it is; null: nothing tells. */
    kind: ProgramKind | null;
  };
  /** Null: nothing of the medium keeps it from starting. */
  problem: LoadProblem | null;
}

/** The boot code that BIOS comes to, and the step that it ends with where it does not get through. */
interface BiosStartPath {
  firmware: "bios";
  arch: "x86";
  as: Attachment;
  place: Place;
  program: StartCode;
  problem: { code: "bios-stops" | "bios-not-known"; step: BiosStep } | null;
}

export type StartPath = UefiStartPath | BiosStartPath;

/** Where its end leads to something that is not known, rather than nowhere. */
export function isOpenEnded({ problem }: StartPath): boolean {
  return problem?.code === "bios-not-known" || problem?.code === "fallback-first";
}

/** What start paths derive from. */
type Derived = Pick<Inspection, "views"> & Partial<Pick<Inspection, "programs" | "partitions" | "catalogue">>;

/** The ways in that the medium offers, each with what is wrong with it; what firmware would never take is left out. */
export function startPathsOf(inspection: Derived): StartPath[] {
  const programs = programsByPlace(inspection);
  return (["usb", "optical"] as const).flatMap((as) => [
    ...uefiPaths(inspection.views, as, programs),
    ...biosPath(inspection.views.bios[as], as),
  ]);
}

function placeKey(volumeStart: number, path: string): string {
  return `${volumeStart} ${path.toUpperCase()}`;
}

/** Programs by where their volume begins and their path. */
function programsByPlace(inspection: Derived): Map<string, Program> {
  const start = volumeStarts(inspection);
  return new Map((inspection.programs ?? []).map((each) => [placeKey(start(each.volume), each.path), each]));
}

/** Bytes from the start of the medium at which a volume begins; see `VolumeId`. */
function volumeStarts({ partitions = [], catalogue = [] }: Derived): (volume: number | string) => number {
  const starts = new Map<number | string, number>();
  for (const { index, table, start } of partitions) {
    if (!starts.has(index)) starts.set(index, start);
    starts.set(`${table}:${index}`, start);
  }
  for (const { index, start } of catalogue) starts.set(`eltorito:${index}`, start);
  return (volume) => starts.get(volume) ?? 0;
}

function uefiPaths(views: Inspection["views"], as: Attachment, programs: Map<string, Program>): UefiStartPath[] {
  return ARCHITECTURES.flatMap((arch): UefiStartPath[] => {
    const { chosen } = chooseLoader(views.uefi[as], arch);
    if (!chosen) return [];
    const { volume, start } = chosen;
    const { file, machine, bytes, sbat, kind } = start.loader;
    const program = programs.get(placeKey(volume.start, file));
    const signing = { authenticode: program?.authenticode ?? null, signatures: program?.signatures ?? null };
    const loader = { machine, bytes, ...signing, sbat, kind };
    return [{ firmware: "uefi", arch, as, file, place: volume.place, loader, problem: loadProblem(start, arch) }];
  });
}

function biosPath(view: BiosView, as: Attachment): BiosStartPath[] {
  const last = view.steps.filter((step) => step.code === "start-code").at(-1);
  if (!last || last.program === "blank" || last.program === "format-stub") return [];
  const step = view.steps.at(-1);
  const code = view.outcome === "stops" ? "bios-stops" : "bios-not-known";
  const problem = view.outcome === "starts" || !step ? null : ({ code, step } as const);
  return [{ firmware: "bios", arch: "x86", as, place: last.place, program: last.program, problem }];
}

/** Partition number, or null where it does not lie in a partition. */
export function partitionOf(place: Place): number | null {
  const step = place[0];
  return step && (step.kind === "gpt" || step.kind === "mbr" || step.kind === "logical") ? step.number : null;
}
