import type { ProgramKind } from "../medium/firmware/uefi/view";
import type { StartPath } from "../medium/inspection/start-paths";
import { biosStepText } from "./firmware";
import { reasonText } from "./reasons";

const KINDS: Record<ProgramKind, string> = {
  "first-stage": "first-stage loader",
  fallback: "fallback program of the first stage",
  "key-manager": "key-management program",
  "fixed-next": "first-stage loader",
  syslinux: "Syslinux",
  grub: "GRUB",
  "boot-manager": "boot manager",
  "unified-kernel": "unified kernel",
  kernel: "Linux kernel",
  "memory-tester": "memory tester",
  "network-boot": "network boot program",
  shell: "UEFI shell",
  "windows-boot-manager": "Windows boot manager",
};

/** What a first program under UEFI is, in a word or two. */
export function programKindText(kind: ProgramKind): string {
  return KINDS[kind];
}

/** What keeps a medium from starting in one way, in a sentence. */
export function startProblemText(problem: NonNullable<StartPath["problem"]>): string {
  return problem.code === "bios-stops" || problem.code === "bios-not-known"
    ? `${biosStepText(problem.step)}.`
    : reasonText(problem);
}
