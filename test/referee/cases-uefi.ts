import { run } from "../../scripts/media/workshop";
import {
  BOTH_UEFI,
  brokenChain,
  type Case,
  EVERYWHERE,
  espVolume,
  flip,
  gptStick,
  IA32_STICK,
  mbrStick,
  mbrTypeZero,
  syslinuxEfi,
  twoVolumes,
  X64_STICK,
} from "./blocks";

/** Sticks for UEFI: tables and loaders. */
export const UEFI_CASES: Case[] = [
  // UEFI sticks: tables
  { name: "superfloppy-fat16", make: (w) => w.copy(espVolume(w), "superfloppy16.img"), on: EVERYWHERE, fast: true },
  { name: "superfloppy-fat12", make: (w) => w.copy(espVolume(w, 12, 8), "superfloppy12.img"), on: IA32_STICK },
  { name: "superfloppy-fat32", make: (w) => w.copy(espVolume(w, 32, 40), "superfloppy32.img"), on: IA32_STICK },
  {
    name: "fat32-too-few-clusters",
    make: (w) => {
      const v = w.copy(espVolume(w, 32, 40), "few.img");
      const total = Buffer.alloc(4);
      total.writeUInt32LE(40000);
      w.put(v, 32, total);
      return v;
    },
    on: IA32_STICK,
  },
  { name: "gpt-esp", make: (w) => gptStick(w, "gpt.img"), on: BOTH_UEFI, fast: true },
  { name: "gpt-as-disc", make: (w) => gptStick(w, "gptd.img"), on: [["uefi-ia32", "optical"]] },
  { name: "gpt-basic-data", make: (w) => gptStick(w, "gptb.img", "0700"), on: IA32_STICK },
  { name: "gpt-primary-damaged", make: (w) => flip(w, gptStick(w, "gptp.img"), 512 + 20), on: IA32_STICK, fast: true },
  { name: "gpt-entries-damaged", make: (w) => flip(w, gptStick(w, "gpte.img"), 1024 + 60), on: IA32_STICK },
  {
    name: "gpt-backup-cut",
    make: (w) => {
      const i = gptStick(w, "gptc.img");
      w.truncate(i, 23 * 1048576);
      return i;
    },
    on: IA32_STICK,
  },
  {
    name: "gpt-backup-displaced",
    make: (w) => {
      const i = gptStick(w, "gptx.img");
      w.truncate(i, 30 * 1048576);
      return i;
    },
    on: IA32_STICK,
  },
  {
    name: "gpt-primary-damaged-backup-displaced",
    make: (w) => {
      const i = flip(w, gptStick(w, "gptpx.img"), 530);
      w.truncate(i, 30 * 1048576);
      return i;
    },
    on: IA32_STICK,
  },
  {
    name: "gpt-both-damaged",
    make: (w) => {
      const i = flip(w, gptStick(w, "gptbb.img"), 530);
      return flip(w, i, 24 * 1048576 - 512 + 20);
    },
    on: IA32_STICK,
  },
  {
    name: "gpt-no-protective",
    make: (w) => {
      const i = gptStick(w, "gptn.img");
      w.put(i, 446, new Uint8Array(64));
      return i;
    },
    on: IA32_STICK,
  },
  {
    name: "gpt-hybrid-mbr",
    make: (w) => {
      const i = gptStick(w, "gpth.img");
      run("sgdisk", ["-h", "1:EE", i]);
      return i;
    },
    on: IA32_STICK,
  },
  {
    name: "gpt-protective-active",
    make: (w) => {
      const i = gptStick(w, "gptact.img");
      w.put(i, 446, new Uint8Array([0x80]));
      return i;
    },
    on: IA32_STICK,
  },
  { name: "mbr-esp", make: (w) => mbrStick(w, "mbr.img"), on: [...BOTH_UEFI, ["bios", "usb"]], fast: true },
  { name: "mbr-type-83", make: (w) => mbrStick(w, "mbr83.img", "2048,40960,83"), on: IA32_STICK },
  {
    name: "mbr-logical",
    make: (w) => w.mbr("mbrl.img", 30, "2048,45056,5\n4096,40960,c", { [4096 * 512]: espVolume(w) }),
    on: IA32_STICK,
  },
  {
    name: "mbr-unsigned",
    make: (w) => {
      const i = mbrStick(w, "mbru.img");
      w.put(i, 510, new Uint8Array(2));
      return i;
    },
    on: IA32_STICK,
  },
  {
    name: "mbr-cut",
    make: (w) => {
      const i = mbrStick(w, "mbrc.img");
      w.truncate(i, 20 * 1048576);
      return i;
    },
    on: IA32_STICK,
  },
  {
    name: "mbr-overlap",
    make: (w) => {
      const i = mbrStick(w, "mbro.img");
      const e = w.bytes(i).subarray(446, 462);
      w.put(i, 462, e);
      return i;
    },
    on: IA32_STICK,
  },
  {
    name: "fat-boot-sector-unsigned",
    make: (w) => {
      const v = w.copy(espVolume(w), "espu.img");
      w.put(v, 510, new Uint8Array(2));
      return w.gpt("gptu.img", 24, ["-n", "1:2048:+20M", "-t", "1:ef00"], { 1: v });
    },
    on: IA32_STICK,
  },
  // UEFI sticks: loaders
  {
    name: "x64-only",
    make: (w) =>
      w.gpt("x64.img", 24, ["-n", "1:2048:+20M", "-t", "1:ef00"], {
        1: w.fat("x64v.img", 20, 16, { "EFI/BOOT/BOOTX64.EFI": w.efi("x64") }, ["-s", "4"]),
      }),
    on: BOTH_UEFI,
    fast: true,
  },
  {
    name: "lower-case",
    make: (w) => w.fat("lower.img", 20, 16, { "efi/boot/bootia32.efi": w.efi("ia32") }, ["-s", "4"]),
    on: IA32_STICK,
  },
  {
    name: "wrong-machine",
    make: (w) =>
      w.fat("wrong.img", 20, 16, { "EFI/BOOT/BOOTIA32.EFI": w.efi("x64"), "EFI/BOOT/BOOTX64.EFI": w.efi("ia32") }, [
        "-s",
        "4",
      ]),
    on: BOTH_UEFI,
    fast: true,
  },
  {
    name: "elsewhere",
    make: (w) => w.fat("else.img", 20, 16, { "EFI/KIT/BOOTIA32.EFI": w.efi("ia32") }, ["-s", "4"]),
    on: IA32_STICK,
  },
  {
    name: "truncated-loader",
    make: (w) => {
      const t = w.copy(w.efi("ia32"), "trunc.efi");
      w.truncate(t, 60000);
      return w.fat("trunc.img", 20, 16, { "EFI/BOOT/BOOTIA32.EFI": t }, ["-s", "4"]);
    },
    on: IA32_STICK,
    fast: true,
  },
  ...twoVolumes("empty-then-good", (w) => w.text("empty.efi", "")),
  ...twoVolumes("text-then-good", (w) => w.text("text.efi", "this is no program\n".repeat(50))),
  ...twoVolumes("driver-then-good", (w) => {
    const d = w.copy(w.efi("ia32"), "driver.efi");
    const b = w.bytes(d);
    w.put(d, b.readUInt32LE(60) + 24 + 68, new Uint8Array([11, 0]));
    return d;
  }),
  ...twoVolumes("truncated-then-good", (w) => {
    const t = w.copy(w.efi("ia32"), "trunc2.efi");
    w.truncate(t, 60000);
    return t;
  }),
  ...twoVolumes("machine-then-good", (w) => w.efi("x64")),
  ...twoVolumes("cut-in-headers-then-good", (w) => {
    const t = w.copy(w.efi("ia32"), "trunc3.efi");
    w.truncate(t, 150);
    return t;
  }),
  { name: "broken-chain-then-good", make: brokenChain, on: IA32_STICK },
  { name: "syslinux-efi", make: (w) => syslinuxEfi(w, "slefi.img", true), on: X64_STICK },
  { name: "syslinux-efi-no-module", make: (w) => syslinuxEfi(w, "slefin.img", false), on: X64_STICK },
  { name: "mbr-type-zero", make: (w) => mbrTypeZero(w), on: IA32_STICK },
  {
    name: "gpt-disc-and-stick-sectors",
    make: (w) => w.gpt("gptmid.img", 40, ["-n", "3:4096:+20M", "-t", "3:8300"], { 3: espVolume(w) }),
    on: IA32_STICK,
  },
];
