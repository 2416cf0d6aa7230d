import type { Architecture } from "../kernel/architecture";
import { LOADER_PATHS } from "../kernel/architecture";
import type { BiosView } from "../medium/firmware/bios/view";
import type { StartFile, UefiView } from "../medium/firmware/uefi/view";
import type { Attachment, Views } from "../medium/inspection/schema";

/** Machine numbers of PE files. Microsoft, "PE Format", Machine Types. */
const MACHINES: Record<Architecture, number> = { x64: 0x8664, ia32: 0x14c, aa64: 0xaa64, arm: 0x1c2, riscv64: 0x5064 };
const EFI_APPLICATION = 10;
const SMALL_BYTES = 1 << 20;

/** What firmware makes of a medium of which only is said by which firmware it starts: sound, unsigned loaders. */
export function viewsStartedBy(
  { uefi, bios }: { uefi: readonly Architecture[]; bios: boolean },
  as: Attachment,
): Views {
  const files = Object.fromEntries(uefi.map((arch) => [arch, loaderFor(arch)]));
  const view: UefiView = {
    notes: [],
    volumes:
      uefi.length === 0
        ? []
        : [{ place: [], start: 0, length: SMALL_BYTES, filesystem: "fat32", label: null, leniencies: [], files }],
  };
  const code: BiosView = bios
    ? { outcome: "starts", steps: [{ code: "core-runs", program: "grub", place: [] }], leniencies: [] }
    : { outcome: "stops", steps: [{ code: "no-boot-record" }], leniencies: [] };
  const nothing: UefiView = { notes: [], volumes: [] };
  const stops: BiosView = { outcome: "stops", steps: [{ code: "no-boot-record" }], leniencies: [] };
  const isDisc = as === "optical";
  return {
    uefi: { usb: isDisc ? nothing : view, optical: isDisc ? view : nothing },
    bios: { usb: isDisc ? stops : code, optical: isDisc ? code : stops },
    certificates: {},
  };
}

function loaderFor(arch: Architecture): StartFile {
  return {
    loader: {
      ...{ file: LOADER_PATHS[arch], bytes: SMALL_BYTES, readable: true, pe: true, machine: arch },
      ...{ machineNumber: MACHINES[arch], subsystem: EFI_APPLICATION, faults: [], sbat: null, firstStage: null },
      ...{ kind: null, lacksKernel: false },
      signing: { digests: { sha256: "00".repeat(32) }, signed: false, tableCut: false, entries: [] },
    },
    next: null,
  };
}
