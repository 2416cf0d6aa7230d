import { run } from "../../scripts/media/workshop";
import {
  BIOS_STICK,
  type Case,
  code,
  flip,
  grubGap,
  grubInVolume,
  mbrStick,
  partedStick,
  SYSLINUX,
  syslinuxStick,
  syslinuxVolume,
} from "./blocks";

/** Sticks for BIOS. */
export const BIOS_CASES: Case[] = [
  // BIOS sticks
  { name: "bios-empty-code", make: (w) => mbrStick(w, "bempty.img", "2048,40960,c,*"), on: BIOS_STICK, fast: true },
  { name: "bios-syslinux", make: (w) => syslinuxStick(w, "bsl.img"), on: BIOS_STICK, fast: true },
  {
    name: "bios-syslinux-no-active",
    make: (w) => syslinuxStick(w, "bsln.img", "2048,40960,c"),
    on: BIOS_STICK,
    fast: true,
  },
  {
    name: "bios-syslinux-two-active",
    make: (w) => {
      const i = syslinuxStick(w, "bslt.img", "2048,40960,c,*\n43008,1024,83");
      w.put(i, 462, new Uint8Array([0x80]));
      return i;
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-syslinux-unsigned-volume",
    make: (w) => {
      const i = syslinuxStick(w, "bslu.img");
      w.put(i, 1048576 + 510, new Uint8Array(2));
      return i;
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-syslinux-not-installed",
    make: (w) => syslinuxStick(w, "bsli.img", undefined, undefined, syslinuxVolume(w, "sln.img", { install: false })),
    on: BIOS_STICK,
  },
  {
    name: "bios-syslinux-damaged",
    make: (w) => {
      const i = syslinuxStick(w, "bsld.img");
      const at = w.bytes(i).indexOf(Buffer.from("SYSLINUX 6"));
      return flip(w, i, at + 9000);
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-syslinux-no-module",
    make: (w) => {
      const v = syslinuxVolume(w, "slm.img", { hidden: 2048 });
      run("mdel", ["-i", v, "::/ldlinux.c32"]);
      return syslinuxStick(w, "bslm.img", undefined, undefined, v);
    },
    on: BIOS_STICK,
  },
  { name: "bios-syslinux-superfloppy", make: (w) => syslinuxVolume(w, "slf.img"), on: BIOS_STICK },
  {
    name: "bios-syslinux-superfloppy-hidden",
    make: (w) => syslinuxVolume(w, "slfh.img", { hidden: 2048 }),
    on: BIOS_STICK,
  },
  {
    name: "bios-altmbr",
    make: (w) => {
      const i = syslinuxStick(w, "balt.img", "2048,40960,c", "altmbr.bin");
      w.put(i, 439, new Uint8Array([1]));
      return i;
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-altmbr-wrong",
    make: (w) => {
      const i = syslinuxStick(w, "baltw.img", "2048,40960,c", "altmbr.bin");
      w.put(i, 439, new Uint8Array([2]));
      return i;
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-gptmbr",
    make: (w) => {
      const i = w.gpt("bgpt.img", 24, ["-n", "1:2048:+20M", "-t", "1:ef00", "-A", "1:set:2"], {
        1: syslinuxVolume(w, "slg.img", { hidden: 2048 }),
      });
      code(w, i, `${SYSLINUX}/mbr/gptmbr.bin`);
      return i;
    },
    on: BIOS_STICK,
    fast: true,
  },
  {
    name: "bios-gptmbr-no-attribute",
    make: (w) => {
      const i = w.gpt("bgptn.img", 24, ["-n", "1:2048:+20M", "-t", "1:ef00"], {
        1: syslinuxVolume(w, "slg2.img", { hidden: 2048 }),
      });
      code(w, i, `${SYSLINUX}/mbr/gptmbr.bin`);
      return i;
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-gptmbr-primary-damaged",
    make: (w) => {
      const i = w.gpt("bgptd.img", 24, ["-n", "1:2048:+20M", "-t", "1:ef00", "-A", "1:set:2"], {
        1: syslinuxVolume(w, "slg3.img", { hidden: 2048 }),
      });
      code(w, i, `${SYSLINUX}/mbr/gptmbr.bin`);
      return flip(w, i, 512 + 20);
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-mbr-code-on-gpt",
    make: (w) => {
      const i = w.gpt("bmg.img", 24, ["-n", "1:2048:+20M", "-t", "1:ef00", "-A", "1:set:2"], {
        1: syslinuxVolume(w, "slg4.img", { hidden: 2048 }),
      });
      code(w, i, `${SYSLINUX}/mbr/mbr.bin`);
      return i;
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-install-mbr",
    make: (w) => {
      const i = w.mbr("bdm.img", 24, "2048,40960,c,*", { 1048576: syslinuxVolume(w, "sldm.img", { hidden: 2048 }) });
      run("install-mbr", ["--force", i]);
      return i;
    },
    on: BIOS_STICK,
  },
  { name: "bios-parted-code", make: partedStick, on: BIOS_STICK },
  {
    name: "bios-grub",
    make: (w) => {
      const i = mbrStick(w, "bgrub.img");
      grubGap(w, i);
      return i;
    },
    on: BIOS_STICK,
    fast: true,
  },
  {
    name: "bios-grub-no-partitions",
    make: (w) => {
      const i = w.blank("bgrubn.img", 4);
      w.put(i, 510, new Uint8Array([0x55, 0xaa]));
      grubGap(w, i);
      return i;
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-grub-core-elsewhere",
    make: (w) => {
      const i = mbrStick(w, "bgrube.img");
      grubGap(w, i, 100);
      return i;
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-grub-core-missing",
    make: (w) => {
      const i = mbrStick(w, "bgrubm.img");
      grubGap(w, i);
      w.put(i, 512, new Uint8Array(512));
      return i;
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-grub-core-blank",
    make: (w) => {
      const i = mbrStick(w, "bgrubb.img");
      grubGap(w, i);
      w.put(i, 1024, new Uint8Array(60000));
      return i;
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-grub-unsigned",
    make: (w) => {
      const i = mbrStick(w, "bgrubu.img");
      grubGap(w, i);
      w.put(i, 510, new Uint8Array(2));
      return i;
    },
    on: BIOS_STICK,
  },
  { name: "bios-grub-in-volume", make: grubInVolume, on: BIOS_STICK },
  {
    name: "bios-active-stub",
    make: (w) => {
      const i = mbrStick(w, "bstub.img", "2048,40960,c,*");
      code(w, i, `${SYSLINUX}/mbr/mbr.bin`);
      return i;
    },
    on: BIOS_STICK,
  },
];
