import { readFileSync } from "node:fs";
import { run, type Workshop } from "../media/workshop";

/** The demo's media, small but real: made by reference tools as the kits of Skerry Line would be. */
const SYSLINUX = "/usr/lib/syslinux";
const ISOLINUX = "/usr/lib/ISOLINUX";
const ISOLINUX_ENTRY = [
  "-b",
  "isolinux/isolinux.bin",
  "-c",
  "isolinux/boot.cat",
  "-no-emul-boot",
  "-boot-load-size",
  "4",
  "-boot-info-table",
];
const HYBRID = ["-isohybrid-mbr", `${ISOLINUX}/isohdpfx.bin`];
const MIB = 1048576;

const menu = (w: Workshop, name: string, title: string) =>
  w.text(name, `SERIAL 0 115200\nPROMPT 1\nTIMEOUT 0\nSAY ${title}\n`);

function isolinux(w: Workshop, title: string): Record<string, string> {
  return {
    "isolinux/isolinux.bin": `${ISOLINUX}/isolinux.bin`,
    "isolinux/ldlinux.c32": `${SYSLINUX}/modules/bios/ldlinux.c32`,
    "isolinux/isolinux.cfg": menu(w, "isolinux.cfg", title),
  };
}

const loaders = (w: Workshop, ...arches: ("x64" | "ia32")[]) =>
  Object.fromEntries(arches.map((arch) => [`EFI/BOOT/BOOT${arch.toUpperCase()}.EFI`, w.efi(arch)]));

function espImage(w: Workshop, name: string, ...arches: ("x64" | "ia32")[]): string {
  return w.fat(name, 6, 12, loaders(w, ...arches), ["-s", "8"]);
}

function code(w: Workshop, image: string, file: string): void {
  w.put(image, 0, readFileSync(file).subarray(0, 440));
}

export interface DemoImage {
  file: string;
  make: (w: Workshop) => string;
}

export const IMAGES = {
  /** Starts nearly everything: BIOS, 64-bit and 32-bit UEFI, as a stick and as a disc. */
  bollard5: {
    file: "bollard-5.0.iso",
    make: (w) =>
      w.iso(
        "bollard-5.0.iso",
        {
          ...isolinux(w, "Bollard 5.0"),
          "boot/efi.img": espImage(w, "b5.esp", "x64", "ia32"),
          "README.TXT": menu(w, "readme.txt", "Bollard 5.0"),
        },
        [
          "-V",
          "BOLLARD_50",
          ...ISOLINUX_ENTRY,
          ...HYBRID,
          "-eltorito-alt-boot",
          "-e",
          "boot/efi.img",
          "-no-emul-boot",
          "-isohybrid-gpt-basdat",
        ],
      ),
  },
  /** An old release: BIOS only, hybrid. */
  bollard4: {
    file: "bollard-4.1.iso",
    make: (w) =>
      w.iso("bollard-4.1.iso", isolinux(w, "Bollard 4.1"), ["-V", "BOLLARD_41", ...ISOLINUX_ENTRY, ...HYBRID]),
  },
  /** Not hybrid: a disc, but not a stick for BIOS. */
  spindleDisc: {
    file: "spindle-2.3.iso",
    make: (w) =>
      w.iso("spindle-2.3.iso", { ...isolinux(w, "Spindle 2.3"), "boot/efi.img": espImage(w, "s2.esp", "x64") }, [
        "-V",
        "SPINDLE_23",
        ...ISOLINUX_ENTRY,
        "-eltorito-alt-boot",
        "-e",
        "boot/efi.img",
        "-no-emul-boot",
      ]),
  },
  /** A GPT stick for 64-bit UEFI with a store behind it. */
  lantern12: {
    file: "lantern-12.img",
    make: (w) => {
      const start = w.fat(
        "l12.fat",
        34,
        32,
        { ...loaders(w, "x64"), "SOURCES/LANTERN.TXT": menu(w, "l12.txt", "Lantern 12") },
        ["-s", "1"],
      );
      const store = w.blank("l12.exfat", 40);
      run("mkfs.exfat", ["-L", "STORE", store]);
      return w.gpt(
        "lantern-12.img",
        80,
        ["-n", "1:2048:+34M", "-t", "1:ef00", "-c", "1:Lantern", "-n", "2:0:+40M", "-t", "2:0700", "-c", "2:Store"],
        { 1: start, 2: store },
      );
    },
  },
  /** An MBR stick for 64-bit UEFI; its boot sector only prints that it cannot be started. */
  lantern11: {
    file: "lantern-11.img",
    make: (w) =>
      w.mbr("lantern-11.img", 48, "2048,81920,c,*", {
        [MIB]: w.fat("l11.fat", 40, 32, loaders(w, "x64"), ["-s", "1"]),
      }),
  },
  /** An MBR stick for BIOS and both UEFIs, with a store. */
  spindle3: {
    file: "spindle-3.0.img",
    make: (w) => {
      const start = w.fat(
        "s3.fat",
        20,
        16,
        { ...loaders(w, "x64", "ia32"), "syslinux.cfg": menu(w, "s3.cfg", "Spindle 3.0") },
        ["-s", "4", "-h", "2048"],
      );
      run("syslinux", ["--install", start]);
      const store = w.blank("s3.exfat", 30);
      run("mkfs.exfat", ["-L", "IMAGES", store]);
      const image = w.mbr("spindle-3.0.img", 56, "2048,40960,c,*\n43008,61440,7", {
        [MIB]: start,
        [43008 * 512]: store,
      });
      code(w, image, `${SYSLINUX}/mbr/mbr.bin`);
      return image;
    },
  },
  /** Spindle 3.0 after somebody repartitioned it: no active partition any more. */
  spindle3Inactive: {
    file: "spindle-3.0-inactive.img",
    make: (w) => {
      const image = w.copy(IMAGES.spindle3.make(w), "spindle-3.0-inactive.img");
      w.put(image, 446, new Uint8Array([0]));
      return image;
    },
  },
  /** Lantern 12 with its first GPT header overwritten. */
  lantern12Worn: {
    file: "lantern-12-worn.img",
    make: (w) => {
      const image = w.copy(IMAGES.lantern12.make(w), "lantern-12-worn.img");
      w.put(image, 512 + 16, new Uint8Array(8));
      return image;
    },
  },
  /** A download that broke off. */
  bollardCut: {
    file: "bollard-5.0-cut.iso",
    make: (w) => {
      const image = w.copy(IMAGES.bollard5.make(w), "bollard-5.0-cut.iso");
      w.truncate(image, 2 * MIB);
      return image;
    },
  },
  /** A stick with documents on it: nothing to start. */
  papers: {
    file: "papers.img",
    make: (w) =>
      w.mbr("papers.img", 16, "2048,28672,c", {
        [MIB]: w.fat("papers.fat", 14, 16, { "ROTA.TXT": menu(w, "rota.txt", "Rota") }, ["-s", "2"]),
      }),
  },
} satisfies Record<string, DemoImage>;

export type ImageName = keyof typeof IMAGES;
