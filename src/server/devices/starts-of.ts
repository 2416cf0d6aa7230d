import type { Inspection } from "@/core/medium/inspection/schema";
import { startPathsOf } from "@/core/medium/inspection/start-paths";

/** What firmware makes of a medium, a line for each way to start from it. */
export function startsOf(inspection: Inspection): string[] {
  return startPathsOf(inspection)
    .map((path) => {
      const { firmware, arch, as, problem } = path;
      const what = path.firmware === "bios" ? path.program : path.file;
      return [firmware, arch, as, what, ...(problem ? [problem.code] : [])].join(" ");
    })
    .sort();
}
