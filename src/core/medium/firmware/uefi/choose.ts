import type { Place } from "../place";
import type { Loader, NextStage, StartFile, UefiView, UefiVolume } from "./view";

type Arch = keyof UefiVolume["files"];

/** Why a file at the fixed path counts as absent, so that the search goes on to the next volume. */
export type AbsentWhy = "empty" | "unreadable" | "not-pe" | "not-application";

export interface Choice {
  /** Files at the path that the firmware passed over, in order. */
  skipped: { place: Place; file: string; why: AbsentWhy }[];
  /** The first file that it takes; nothing behind it is tried, whatever becomes of it. */
  chosen: { volume: UefiVolume; start: StartFile } | null;
}

/** PE format documentation, "Windows Subsystem": EFI application. */
const EFI_APPLICATION = 10;

/**
 * The file that UEFI firmware of `arch` takes from a medium. The reference firmware reads the first file that it
 * finds and looks only at its signature and subsystem before it settles for it (EDK2, BmLoadOption.c,
 * `BmIsLoadOptionPeImage`). `after`: only volumes behind that one are looked into.
 */
export function chooseLoader(view: UefiView, arch: Arch, after: UefiVolume | null = null): Choice {
  const choice: Choice = { skipped: [], chosen: null };
  for (const volume of view.volumes.slice(after ? view.volumes.indexOf(after) + 1 : 0)) {
    const start = volume.files[arch];
    if (!start) continue;
    const why = absentWhy(start.loader);
    if (why === null) return { ...choice, chosen: { volume, start } };
    choice.skipped.push({ place: volume.place, file: start.loader.file, why });
  }
  return choice;
}

function absentWhy(loader: Loader): AbsentWhy | null {
  if (loader.bytes === 0) return "empty";
  if (!loader.readable) return "unreadable";
  if (!loader.pe) return "not-pe";
  return loader.subsystem === EFI_APPLICATION ? null : "not-application";
}

/** What becomes of the chosen file on firmware of `arch`, Secure Boot aside. */
export type LoadProblem =
  | { code: "loader-damaged"; file: string; faults: Loader["faults"] }
  | { code: "loader-machine"; file: string; machine: string }
  | { code: "second-stage-missing"; file: string; expected: string }
  | { code: "second-stage-damaged"; file: string }
  | { code: "second-stage-machine"; file: string; machine: string }
  | { code: "fallback-first"; file: string }
  | { code: "fallback-names-none"; file: string; expected: string }
  | { code: "next-missing"; file: string; expected: string }
  | { code: "no-boot-entry"; file: string; expected: string }
  | { code: "kernel-missing"; file: string };

/** Why a loader does not run on this architecture or leads nowhere; null where nothing speaks against it. */
export function loadProblem(start: StartFile, arch: Arch): LoadProblem | null {
  const { loader, next } = start;
  if (loader.machine !== arch) return { code: "loader-machine", file: loader.file, machine: machineName(loader) };
  if (loader.faults.length > 0) return { code: "loader-damaged", file: loader.file, faults: loader.faults };
  return lacksKernel(loader) ?? (next ? nextProblem(loader.file, next, arch) : null);
}

function lacksKernel(loader: Loader): LoadProblem | null {
  return loader.lacksKernel ? { code: "kernel-missing", file: loader.file } : null;
}

/** Stages behind each other that are followed: a list may name a first stage once more. */
const STAGES_MAX = 6;

function nextProblem(file: string, stage: NextStage, arch: Arch, depth = 0): LoadProblem | null {
  const { role, expected, loader, next } = stage;
  if (!loader) return missing(file, role, expected);
  if (role === "module" || role === "archive")
    return loader.readable ? null : { code: "second-stage-damaged", file: loader.file };
  if (!loader.readable || !loader.pe || loader.faults.length > 0)
    return { code: "second-stage-damaged", file: loader.file };
  if (loader.machine !== arch) return { code: "second-stage-machine", file: loader.file, machine: machineName(loader) };
  // Before such lists were read, it was not known what they name.
  if (role === "fallback" && next === undefined) return { code: "fallback-first", file: loader.file };
  return lacksKernel(loader) ?? (next && depth < STAGES_MAX ? nextProblem(loader.file, next, arch, depth + 1) : null);
}

function missing(file: string, role: NextStage["role"], expected: string): LoadProblem {
  switch (role) {
    case "named":
      // Without a list at all the computer is reset; a file that it names and that is not there ends the same.
      return /\.CSV$/i.test(expected)
        ? { code: "fallback-names-none", file, expected }
        : { code: "next-missing", file, expected };
    case "fixed":
    case "archive":
      return { code: "next-missing", file, expected };
    case "entry":
      return { code: "no-boot-entry", file, expected };
    case "second-stage":
    case "module":
    case "fallback":
      return { code: "second-stage-missing", file, expected };
  }
}

function machineName(loader: Loader): string {
  if (loader.machine) return loader.machine;
  return loader.machineNumber === null ? "unknown" : `0x${loader.machineNumber.toString(16)}`;
}
