import { existsSync, readFileSync, writeFileSync } from "node:fs";
import { MARKER, run, type Workshop } from "../../scripts/media/workshop";
import { signed } from "./keys";

const SHIM = "/usr/lib/shim/shimx64.efi";
/** A distribution's second stage, signed by what is built into its first stage. */
const VENDOR_GRUB = "/usr/lib/grub/x86_64-efi-signed/grubx64.efi.signed";
const MODULES = ["serial", "terminal", "echo", "halt", "part_msdos", "part_gpt", "fat", "normal", "configfile"];

/** A program that is made once. */
const once =
  (name: string, make: (w: Workshop, file: string) => unknown) =>
  (w: Workshop): string => {
    const file = w.path(name);
    if (!existsSync(file)) make(w, file);
    return file;
  };

const sbatOf = (generation: number) =>
  `sbat,1,SBAT Version,sbat,1,https://example.org/sbat\ngrub,${generation},Witness,grub,1,https://example.org/\n`;

/** GRUB as a second stage that says of which generation it is; it prints the marker. */
const witness = (generation: number) =>
  once(`witness-grub-${generation}.efi`, (w, file) => {
    const config = w.text(
      "second.cfg",
      `serial --unit=0 --speed=115200\nterminal_output serial\necho ${MARKER}\nhalt\n`,
    );
    const sbat = w.text(`sbat-${generation}.csv`, sbatOf(generation));
    run("grub-mkimage", ["-O", "x86_64-efi", "-o", file, "-p", "/", "-c", config, "--sbat", sbat, ...MODULES]);
  });

/** The programs that Secure Boot is tried with. */
export const PROGRAMS = {
  unsigned: (w: Workshop) => w.efi("x64"),
  witness: witness(9),
  witnessOld: witness(1),
  vendorGrub: once("vendor-grub.efi", (_, file) => writeFileSync(file, readFileSync(VENDOR_GRUB))),
  /** Signed by the northern signer, then changed by one byte in its code. */
  changed: once("changed.efi", (w, file) => {
    const bytes = readFileSync(signed(w, w.efi("x64"), "to-change.efi", "north"));
    // In GRUB's own text, which is only printed on errors.
    const at = bytes.indexOf("error: %s.");
    bytes[at] = (bytes[at] as number) ^ 0x20;
    writeFileSync(file, bytes);
  }),
  shim: once("shim-north.efi", (w) => signed(w, SHIM, "shim-north.efi", "north")),
  /** Signed by those who sign for computers as they are sold, in two entries of its table. */
  shimAsSold: once("shim-as-sold.efi", (_, file) => writeFileSync(file, readFileSync(`${SHIM}.signed`))),
  shimUnsigned: once("shim-unsigned.efi", (_, file) => writeFileSync(file, readFileSync(SHIM))),
  shimStranger: once("shim-stranger.efi", (w) => signed(w, SHIM, "shim-stranger.efi", "stranger")),
};
