import type { Environment } from "../medium/contents/environment";
import { archText } from "./firmware";
import { bytesText } from "./sizes";

/** What an environment is, in one line. */
export function environmentText({ version, arch, language, memoryBytes, isDirty }: Environment): string {
  const parts = [
    version === null ? "version unknown" : `version ${version}`,
    arch === null ? null : archText(arch),
    language,
    `needs ${bytesText(memoryBytes)} of memory`,
    isDirty ? "registry not closed cleanly" : null,
  ];
  return `Windows PE, ${parts.filter((part) => part !== null).join(", ")}`;
}

/** A program that it starts by itself. */
export function startedText({ program, isThere }: Environment["starts"][number]): string {
  return isThere === false ? `${program} (missing)` : program;
}
