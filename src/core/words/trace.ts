import type { TraceStep } from "../judging/model/trace";
import type { BiosStep } from "../medium/firmware/bios/view";
import { absentText, biosStepText, fileSystemText, uefiNoteText } from "./firmware";
import { placeText } from "./places";
import { reasonText } from "./reasons";

const inVolume = ({ place, filesystem }: Extract<TraceStep, { filesystem: string; file: string } | { path: string }>) =>
  `${placeText(place)} (${fileSystemText(filesystem)})`;

/** A step of what firmware tries, in one line without a full stop. */
export function traceText(step: TraceStep): string {
  switch (step.code) {
    case "loader-absent":
      return `${inVolume(step)}: ${step.file} counts as absent, ${absentText(step.why)}`;
    case "loader-taken":
      return `${inVolume(step)}: ${step.file} is used`;
    case "no-file-at":
      return `${inVolume(step)}: no ${step.path}`;
    case "nothing-left":
      return "nothing left to try";
    case "loader-runs":
      return step.next === null ? `${step.file} runs` : `${step.file} runs and starts ${step.next}`;
    case "because":
      return reasonText(step.reason);
    case "gpt-used":
    case "gpt-not-protected":
    case "gpt-damaged":
    case "gpt-entry-skipped":
    case "el-torito-used":
    case "el-torito-refused":
    case "mbr-used":
    case "mbr-unsigned":
    case "mbr-void":
    case "volume-not-read":
    case "fat-too-few-clusters":
      return uefiNoteText(step);
    default:
      return biosStepText(step satisfies BiosStep);
  }
}
