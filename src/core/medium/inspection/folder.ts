import type { FileTree } from "../../formats/file-tree";
import { type SurveyOptions, survey } from "../contents/survey";
import type { DriverSource } from "../drivers/driver-set";
import { StartFileReader } from "../firmware/uefi/loader";
import type { UefiView } from "../firmware/uefi/view";
import type { Volume } from "../volumes/volumes";
import { countDrivers } from "./inspect";
import { INSPECTION_SCHEMA, type Inspection } from "./schema";

export interface FolderOptions extends Pick<SurveyOptions, "depth" | "onStep"> {
  /** Of the drive or folder. */
  name: string;
  /** All its files together. */
  bytes: number;
}

/** The one volume of a folder. */
export function folderVolume(tree: FileTree, bytes: number): Volume {
  return { id: "folder", kind: "folder", tree, start: 0, lengthBytes: bytes };
}

/**
 * Reads what the files of a plugged-in medium tell, without the medium: programs and their signers, systems, archives,
 * drivers. A folder does not show the partition table, the boot code or the file system: the views say so, and what is
 * judged by them stays unknown where it hangs on those.
 */
export async function inspectFolder(
  tree: FileTree,
  { name, bytes, depth, onStep }: FolderOptions,
): Promise<{ inspection: Inspection; drivers: DriverSource[] }> {
  const volume = folderVolume(tree, bytes);
  const startFiles = new StartFileReader();
  const at = { filesystem: "folder" as const, start: 0, length: bytes };
  const files = await startFiles.read(tree, at);
  const uefi: UefiView = { notes: [], volumes: [{ place: [], ...at, label: null, leniencies: [], files }] };
  const bios = { steps: [{ code: "folder-read" as const }], outcome: "unknown" as const, leniencies: [] };
  const found = await survey([volume], { depth, ...(onStep ? { onStep } : {}) });
  const { info, systems, wims, environments, kernels, live, unread, programs, drivers } = found;
  return {
    inspection: {
      schema: INSPECTION_SCHEMA,
      file: { name, bytes, sha256: null },
      ...{ sectorBytes: 512, container: "folder", tables: [], partitions: [], whole: null, catalogue: [] },
      contents: {
        ...{ label: null, made: null, info, systems, wims, environments, kernels, live, unread },
        drivers: countDrivers(drivers),
      },
      programs,
      findings: [{ code: "read-as-folder" }],
      views: {
        uefi: { usb: uefi, optical: uefi },
        bios: { usb: bios, optical: bios },
        certificates: startFiles.certificates,
        from: "folder",
      },
    },
    drivers,
  };
}
