import type { Place } from "../place";
import type { Loader, StartFile, UefiView, UefiVolume } from "./view";

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
  | { code: "fallback-first"; file: string };

/** Why a loader does not run on this architecture or leads nowhere; null where nothing speaks against it. */
export function loadProblem(start: StartFile, arch: Arch): LoadProblem | null {
  const { loader, next } = start;
  if (loader.machine !== arch) return { code: "loader-machine", file: loader.file, machine: machineName(loader) };
  if (loader.faults.length > 0) return { code: "loader-damaged", file: loader.file, faults: loader.faults };
  if (!next) return null;
  if (!next.loader) return { code: "second-stage-missing", file: loader.file, expected: next.expected };
  if (next.role === "module")
    return next.loader.readable ? null : { code: "second-stage-damaged", file: next.loader.file };
  if (next.role === "fallback") return { code: "fallback-first", file: next.loader.file };
  const second = next.loader;
  if (!second.readable || !second.pe || second.faults.length > 0)
    return { code: "second-stage-damaged", file: second.file };
  return second.machine === arch
    ? null
    : { code: "second-stage-machine", file: second.file, machine: machineName(second) };
}

function machineName(loader: Loader): string {
  if (loader.machine) return loader.machine;
  return loader.machineNumber === null ? "unknown" : `0x${loader.machineNumber.toString(16)}`;
}
