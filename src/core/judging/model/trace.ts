import type { BiosStep } from "../../medium/firmware/bios/view";
import type { Place } from "../../medium/firmware/place";
import type { AbsentWhy } from "../../medium/firmware/uefi/choose";
import type { UefiNote } from "../../medium/firmware/uefi/view";
import type { Reason } from "./reasons";

interface InVolume {
  place: Place;
  filesystem: string;
}

/** One step of what firmware tries, in order. */
export type TraceStep =
  | UefiNote
  | BiosStep
  | ({ code: "loader-absent"; file: string; why: AbsentWhy } & InVolume)
  | ({ code: "loader-taken"; file: string } & InVolume)
  | ({ code: "no-file-at"; path: string } & InVolume)
  | { code: "nothing-left" }
  /** `next`: the stage that it starts. */
  | { code: "loader-runs"; file: string; next: string | null }
  | { code: "because"; reason: Reason };
