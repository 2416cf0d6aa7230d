import type { Architecture } from "../kernel/architecture";
import type { ContainedSystem } from "../medium/contents/schema";
import type { Inspection, Views } from "../medium/inspection/schema";
import { INSPECTION_SCHEMA } from "../medium/inspection/schema";
import { viewsStartedBy } from "./views";

/**
 * What a document tells of a medium or a release, in the place of what was read from its file: what firmware makes of it,
 * and the systems on it. `name` says where it was told; no bytes of it were seen.
 */
export function toldInspection(name: string, views: Views, systems: ContainedSystem[] | null): Inspection {
  return {
    schema: INSPECTION_SCHEMA,
    file: { name, bytes: 0, sha256: null },
    ...{ sectorBytes: 512, container: "unknown" },
    ...{ tables: [], partitions: [], whole: null, catalogue: [], programs: [], findings: [] },
    contents: {
      ...{ label: null, made: null, info: null, systems, wims: null, drivers: null },
      ...{ environments: [], kernels: [], live: [], unread: [] },
    },
    views,
  };
}

/** The views of a release of which only its architecture is told. */
export function viewsOfArch(arch: Architecture | null): Views {
  return viewsStartedBy({ uefi: arch ? [arch] : [], bios: false }, "usb");
}
