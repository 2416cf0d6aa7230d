import { existsSync, mkdirSync, readFileSync, renameSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { run, type Workshop } from "../media/workshop";
import { MODULES_ALIAS_4, MODULES_ALIAS_5, STORAGE_INF } from "./drivers";
import { NORLIGHT, pem } from "./norlight";

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

/** A folder in the workshop with files of these contents. */
function folder(w: Workshop, name: string, files: Record<string, string>): string {
  for (const [path, content] of Object.entries(files)) {
    mkdirSync(dirname(join(w.path(name), path)), { recursive: true });
    writeFileSync(join(w.path(name), path), content);
  }
  return w.path(name);
}

/** The start of a Linux-based kit: an initial file system that knows some drivers. */
export function initrd(w: Workshop, name: string, kernel: string, aliases: string): string {
  const tree = folder(w, `${name}.tree`, {
    init: "#!/bin/sh\n",
    [`lib/modules/${kernel}/modules.alias`]: aliases,
    "etc/initrd-release": `NAME="${name}"\nVERSION_ID="${kernel}"\n`,
  });
  const file = w.path(`${name}.initrd`);
  run("sh", ["-c", 'cd "$1" && find . | sort | cpio -o -H newc --quiet | gzip -9 -n > "$2"', "sh", tree, file]);
  return file;
}

/** The system that a kit runs, packed. */
function live(w: Workshop, name: string, version: string): string {
  const tree = folder(w, `${name}.root`, {
    "etc/os-release": `NAME="${name}"\nID=${name.toLowerCase()}\nVERSION_ID="${version}"\nPRETTY_NAME="${name} ${version}"\n`,
    "usr/share/doc/README": `${name} ${version}\n`.repeat(400),
  });
  const file = w.path(`${name}.squashfs`);
  run("mksquashfs", [tree, file, "-noappend", "-quiet", "-no-progress"]);
  return file;
}

/** Keys of an invented signer and its issuer, as files. */
function signer(w: Workshop, year: keyof typeof NORLIGHT): { key: string; certificate: string; issuer: string } {
  const { authority, signer: own, key } = NORLIGHT[year];
  const file = (name: string, kind: "CERTIFICATE" | "PRIVATE KEY", base64: string) =>
    w.text(`norlight-${year}-${name}.pem`, pem(kind, base64));
  return {
    key: file("key", "PRIVATE KEY", key),
    certificate: file("signer", "CERTIFICATE", own),
    issuer: file("authority", "CERTIFICATE", authority),
  };
}

/** A loader with one signature after the other. */
function signed(w: Workshop, arch: "x64" | "ia32", ...years: (keyof typeof NORLIGHT)[]): string {
  let file = w.efi(arch);
  for (const year of years) {
    const { key, certificate, issuer } = signer(w, year);
    const next = w.path(`${arch}-${years.slice(0, years.indexOf(year) + 1).join("-")}.efi`);
    run("sbsign", ["--key", key, "--cert", certificate, "--addcert", issuer, "--output", next, file]);
    file = next;
  }
  return file;
}

const EDITIONS = [
  { name: "Gannet Desk 11.4 Office", edition: "Office", type: "Client" },
  { name: "Gannet Desk 11.4 Kiosk", edition: "Kiosk", type: "Client" },
];

/** The systems that a repair environment can put on a computer. */
function systemArchive(w: Workshop): string {
  const file = w.path("install.wim");
  if (existsSync(file)) return file;
  const tree = folder(w, "gannet", {
    "Gannet/readme.txt": "Gannet Desk\n".repeat(500),
    "Gannet/licence.txt": "Invented.\n",
  });
  for (const [index, { name, edition, type }] of EDITIONS.entries()) {
    run(index === 0 ? "wimcapture" : "wimappend", [tree, file, name, "--check", "--quiet"]);
    const properties = {
      ARCH: "9",
      PRODUCTNAME: "Gannet Desk",
      EDITIONID: edition,
      INSTALLATIONTYPE: type,
      "LANGUAGES/LANGUAGE": "en-GB",
      "LANGUAGES/DEFAULT": "en-GB",
      "VERSION/MAJOR": "11",
      "VERSION/MINOR": "4",
      "VERSION/BUILD": "31140",
      "VERSION/SPBUILD": "318",
    };
    for (const [key, value] of Object.entries(properties))
      run("wiminfo", [file, String(index + 1), `--image-property=WINDOWS/${key}=${value}`, "--check"]);
  }
  return file;
}

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
          "live/initrd.img": initrd(w, "Bollard5", "6.12.9-bollard", MODULES_ALIAS_5),
          "live/filesystem.squashfs": live(w, "Bollard", "5.0"),
          ".disk/info": w.text("b5.info", 'Bollard 5.0 "Harbour" - Official amd64 LIVE 20250930-08:00\n'),
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
      w.iso(
        "bollard-4.1.iso",
        {
          ...isolinux(w, "Bollard 4.1"),
          "live/initrd.img": initrd(w, "Bollard4", "5.10.3-bollard", MODULES_ALIAS_4),
          ".disk/info": w.text("b4.info", 'Bollard 4.1 "Quay" - Official amd64 LIVE 20210211-08:00\n'),
        },
        ["-V", "BOLLARD_41", ...ISOLINUX_ENTRY, ...HYBRID],
      ),
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
        {
          "EFI/BOOT/BOOTX64.EFI": signed(w, "x64", 2011, 2023),
          "SOURCES/LANTERN.TXT": menu(w, "l12.txt", "Lantern 12"),
          "SOURCES/INSTALL.WIM": systemArchive(w),
          "DRIVERS/NLSTOR.INF": w.text("nlstor.inf", STORAGE_INF),
        },
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
        [MIB]: w.fat("l11.fat", 40, 32, { "EFI/BOOT/BOOTX64.EFI": signed(w, "x64", 2011) }, ["-s", "1"]),
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
        {
          ...loaders(w, "x64", "ia32"),
          "syslinux.cfg": menu(w, "s3.cfg", "Spindle 3.0"),
          "initrd.img": initrd(w, "Spindle3", "6.6.12-spindle", MODULES_ALIAS_5),
        },
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

/** A folder in which what was made once is kept, for runs that make the same media again and again; none: nothing is. */
const KEPT = process.env.CREEL_KEPT_MEDIA;

/** Makes it, or copies what was made before. Whoever makes it beside somebody else makes the same bytes. */
function once(image: DemoImage, kept: string): DemoImage["make"] {
  const { file, make } = image;
  return (w) => {
    const source = join(kept, file);
    if (existsSync(source)) return w.copy(source, file);
    const made = make(w);
    mkdirSync(kept, { recursive: true });
    const beside = join(kept, `${process.pid}-${file}`);
    run("cp", ["--sparse=always", made, beside]);
    renameSync(beside, source);
    return made;
  };
}

if (KEPT) for (const image of Object.values<DemoImage>(IMAGES)) image.make = once(image, KEPT);
