import { readFileSync, writeFileSync } from "node:fs";
import type { Workshop } from "../../scripts/media/workshop";
import type { Case, Cell } from "./blocks";
import { type SignWish, signed } from "./keys";
import { PROGRAMS } from "./programs";
import type { SetUpName } from "./set-ups";

/** Secure Boot: what is signed by whom, on computers that allow or revoke it. */

const on = (...setUps: SetUpName[]): Cell[] => setUps.map((setUp) => ["uefi-x64", "usb", setUp]);
const onIa32 = (...setUps: SetUpName[]): Cell[] => setUps.map((setUp) => ["uefi-ia32", "usb", setUp]);

/** A stick without a table: the cases differ in the loader alone. */
const stick = (w: Workshop, name: string, loader: string, more: Record<string, string> = {}) =>
  w.fat(`${name}.img`, 24, 16, { "EFI/BOOT/BOOTX64.EFI": loader, ...more }, ["-s", "4"]);

const withLoader = (name: string, loader: (w: Workshop) => string, cells: Cell[], fast = false): Case => ({
  name,
  make: (w) => stick(w, name, loader(w)),
  on: cells,
  fast,
});

const signedBy = (name: string, wishes: (string | SignWish)[], cells: Cell[], fast = false): Case =>
  withLoader(name, (w) => signed(w, w.efi("x64"), `${name}.efi`, ...wishes), cells, fast);

/** Where a distribution's second stage reads what to do. */
const CONFIG = "EFI/debian/grub.cfg";

const staged = (
  name: string,
  first: (w: Workshop) => string,
  second: ((w: Workshop) => string) | null,
  cells: Cell[],
  fast = false,
): Case => ({
  name,
  make: (w) =>
    stick(w, name, first(w), {
      [CONFIG]: w.text(
        "distribution.cfg",
        "serial --unit=0 --speed=115200\nterminal_output serial\necho CREEL-STARTED\nhalt\n",
      ),
      ...(second ? { "EFI/BOOT/grubx64.efi": second(w) } : {}),
    }),
  on: cells,
  fast,
});

/** The certificate table of a program, changed in place. */
const tableChanged = (name: string, change: (bytes: Buffer, at: number, length: number) => Buffer) => (w: Workshop) => {
  const bytes = readFileSync(signed(w, w.efi("x64"), "for-table.efi", "north"));
  const entry = bytes.readUInt32LE(60) + 24 + 112 + 4 * 8;
  const file = w.path(`${name}.efi`);
  writeFileSync(file, change(bytes, bytes.readUInt32LE(entry), entry + 4));
  return file;
};

export const SECURE_CASES: Case[] = [
  withLoader(
    "sb-unsigned",
    (w) => w.efi("x64"),
    on("north", "north-off", "set-up-mode", "empty-db", "digest-of-unsigned", "digest-allowed-and-revoked"),
    true,
  ),
  signedBy(
    "sb-north",
    ["north"],
    on(
      "north",
      "north-off",
      "set-up-mode",
      "south",
      "own-signer",
      "exchange-only",
      "empty-db",
      "digest-of-unsigned",
      "digest-revoked",
      "digest-allowed-and-revoked",
      "signer-revoked",
      "authority-revoked",
      "signer-revoked-by-digest",
      "authority-revoked-by-digest",
      "south-revoked",
      "false-revoked",
    ),
  ),
  signedBy("sb-stranger", ["stranger"], on("north", "stranger", "stranger-revoked", "digest-of-unsigned")),
  signedBy("sb-false-names", ["falseSigner"], on("north", "own-signer")),
  signedBy("sb-false-names-carried", [{ by: "falseSigner", carried: ["falseCa", "northCa"] }], on("north")),
  withLoader("sb-changed", PROGRAMS.changed, on("north", "digest-of-changed", "north-off")),

  // Several signatures.
  signedBy(
    "sb-north-and-south",
    ["north", "south"],
    on("north", "south", "both", "stranger", "south-revoked", "south-signer-revoked", "authority-revoked"),
    true,
  ),
  signedBy("sb-south-and-north", ["south", "north"], on("north", "south-revoked", "south-signer-revoked")),
  signedBy("sb-stranger-and-north", ["stranger", "north"], on("north", "stranger-revoked", "signer-revoked-by-digest")),
  signedBy("sb-nested", ["stranger", { by: "north", nested: true }], on("north", "stranger")),

  // Chains.
  signedBy(
    "sb-middle-carried",
    [{ by: "middle", carried: ["middleCa"] }],
    on("north", "middle", "middle-revoked", "middle-revoked-by-digest", "authority-revoked"),
  ),
  signedBy("sb-middle-not-carried", ["middle"], on("north", "middle")),
  signedBy("sb-overreach", [{ by: "overreach", carried: ["plain"] }], on("north", "plain")),

  // Dates, keys and kinds of digest.
  signedBy("sb-ended", ["ended"], on("ended")),
  signedBy("sb-curve", ["curve"], on("curve")),
  signedBy("sb-curve-and-north", ["curve", "north"], on("north", "curve", "curve-revoked")),
  signedBy("sb-long-key", ["long"], on("north")),
  signedBy("sb-server-purpose", ["server"], on("north")),
  signedBy("sb-sha1", [{ by: "north", digest: "sha1" }], on("north", "digest-of-unsigned")),
  signedBy("sb-sha384", [{ by: "north", digest: "sha384" }], on("north", "digest-of-unsigned", "digest-revoked")),
  signedBy("sb-sha512", [{ by: "north", digest: "sha512" }], on("north")),

  // The certificate table itself.
  withLoader(
    "sb-table-size-odd",
    tableChanged("odd", (bytes, at, length) => {
      const size = bytes.readUInt32LE(length);
      // The entry says eight bytes less than the table has.
      bytes.writeUInt32LE(size - 8, at);
      return bytes;
    }),
    on("north", "north-off"),
  ),
  withLoader(
    "sb-table-other-kind",
    tableChanged("kind", (bytes, at) => {
      bytes.writeUInt16LE(0x0001, at + 6);
      return bytes;
    }),
    on("north", "digest-of-unsigned"),
  ),
  withLoader(
    "sb-table-behind-more",
    tableChanged("behind", (bytes) => Buffer.concat([bytes, Buffer.alloc(64, 0x41)])),
    on("north", "north-off"),
  ),

  // What Secure Boot refuses, nothing behind it is tried.
  {
    name: "sb-refused-before-allowed",
    make: (w) =>
      w.gpt("sb-order.img", 56, ["-n", "1:2048:+24M", "-t", "1:ef00", "-n", "2:0:+24M", "-t", "2:ef00"], {
        1: stick(w, "order-1", w.efi("x64")),
        2: stick(w, "order-2", signed(w, w.efi("x64"), "order.efi", "north")),
      }),
    on: on("north", "north-off"),
  },
  ...(
    [
      ["damaged", (w, file) => w.truncate(file, 60_000)],
      ["other-machine", (w, file) => w.put(file, w.bytes(file).readUInt32LE(60) + 4, Uint8Array.of(0x4c, 0x01))],
    ] as [string, (w: Workshop, file: string) => void][]
  ).map(
    ([what, spoil]): Case => ({
      name: `sb-${what}-before-allowed`,
      make: (w) => {
        const spoilt = w.copy(signed(w, w.efi("x64"), "to-spoil.efi", "north"), `${what}.efi`);
        spoil(w, spoilt);
        return w.gpt(`sb-${what}.img`, 56, ["-n", "1:2048:+24M", "-t", "1:ef00", "-n", "2:0:+24M", "-t", "2:ef00"], {
          1: stick(w, `${what}-1`, spoilt),
          2: stick(w, `${what}-2`, signed(w, w.efi("x64"), "behind.efi", "north")),
        });
      },
      on: on("north", "north-off"),
    }),
  ),
  {
    name: "sb-shim-refusing-before-allowed",
    make: (w) =>
      w.gpt("sb-shim-first.img", 56, ["-n", "1:2048:+24M", "-t", "1:ef00", "-n", "2:0:+24M", "-t", "2:ef00"], {
        1: stick(w, "shim-first-1", PROGRAMS.shim(w), { "EFI/BOOT/grubx64.efi": w.efi("x64") }),
        2: stick(w, "shim-first-2", signed(w, w.efi("x64"), "behind-shim.efi", "north")),
      }),
    on: on("north"),
  },

  // 32-bit firmware.
  {
    name: "sb-ia32",
    make: (w) => {
      const loader = signed(w, w.efi("ia32"), "sb-ia32.efi", "north");
      return w.fat("sb-ia32.img", 24, 16, { "EFI/BOOT/BOOTIA32.EFI": loader }, ["-s", "4"]);
    },
    on: onIa32("north", "south", "authority-revoked", "set-up-mode"),
    fast: true,
  },
  {
    name: "sb-ia32-unsigned",
    make: (w) => w.fat("sb-ia32-unsigned.img", 24, 16, { "EFI/BOOT/BOOTIA32.EFI": w.efi("ia32") }, ["-s", "4"]),
    on: onIa32("north", "north-off"),
  },

  // A disc.
  {
    name: "sb-disc",
    make: (w) => {
      const volume = w.fat(
        "sb-disc.esp",
        8,
        12,
        { "EFI/BOOT/BOOTX64.EFI": signed(w, w.efi("x64"), "sb-disc.efi", "north") },
        ["-s", "16"],
      );
      return w.iso("sb-disc.iso", { "boot/esp.img": volume }, [
        "-eltorito-alt-boot",
        "-e",
        "boot/esp.img",
        "-no-emul-boot",
      ]);
    },
    on: [
      ["uefi-x64", "optical", "north"],
      ["uefi-x64", "optical", "south"],
    ],
  },

  // First stage and what it checks.
  staged(
    "sb-shim-vendor",
    PROGRAMS.shim,
    PROGRAMS.vendorGrub,
    on(
      "north",
      "north-off",
      "set-up-mode",
      "south",
      "level-old",
      "level-grub-5",
      "level-grub-99",
      "level-shim-99",
      "level-other",
      "level-grub-99-long-ago",
      "level-grub-99-off",
      "second-stage-revoked",
    ),
    true,
  ),
  staged("sb-shim-alone", PROGRAMS.shim, null, on("north", "north-off")),
  staged("sb-shim-unsigned-second", PROGRAMS.shim, (w) => w.efi("x64"), on("north", "north-off", "digest-of-unsigned")),
  staged("sb-shim-witness-unsigned", PROGRAMS.shim, PROGRAMS.witness, on("north", "second-stage-digest")),
  staged(
    "sb-shim-witness-north",
    PROGRAMS.shim,
    (w) => signed(w, PROGRAMS.witness(w), "witness-north.efi", "north"),
    on("north", "level-grub-5", "level-grub-99", "signer-revoked-by-digest"),
  ),
  staged(
    "sb-shim-witness-old",
    PROGRAMS.shim,
    (w) => signed(w, PROGRAMS.witnessOld(w), "witness-old.efi", "north"),
    on("north", "level-old", "level-grub-5", "level-other"),
  ),
  staged(
    "sb-shim-no-sbat",
    PROGRAMS.shim,
    (w) => signed(w, w.efi("x64"), "no-sbat.efi", "north"),
    on("north", "level-old", "north-off"),
  ),
  staged(
    "sb-shim-witness-stranger",
    PROGRAMS.shim,
    (w) => signed(w, PROGRAMS.witness(w), "witness-stranger.efi", "stranger"),
    on("north", "north-off"),
  ),
  staged(
    "sb-shim-witness-south",
    PROGRAMS.shim,
    (w) => signed(w, PROGRAMS.witness(w), "witness-south.efi", "south"),
    on("both", "second-signer-revoked", "second-signer-revoked-by-digest"),
  ),
  staged(
    "sb-shim-witness-curve",
    PROGRAMS.shim,
    (w) => signed(w, PROGRAMS.witness(w), "witness-curve.efi", "curve"),
    on("north-and-curve"),
  ),
  staged(
    "sb-shim-witness-south-and-north",
    PROGRAMS.shim,
    (w) => signed(w, PROGRAMS.witness(w), "witness-two.efi", "south", "north"),
    on("north", "second-signer-revoked"),
  ),
  staged(
    "sb-shim-witness-sha384",
    PROGRAMS.shim,
    (w) => signed(w, PROGRAMS.witness(w), "witness-sha384.efi", { by: "north", digest: "sha384" }),
    on("north"),
  ),
  staged(
    "sb-shim-witness-modules",
    PROGRAMS.shim,
    (w) => signed(w, PROGRAMS.witness(w), "witness-modules.efi", "modules"),
    on("north"),
  ),
  staged(
    "sb-shim-witness-ended",
    PROGRAMS.shim,
    (w) => signed(w, PROGRAMS.witness(w), "witness-ended.efi", "ended"),
    on("north"),
  ),
  staged("sb-shim-stranger", PROGRAMS.shimStranger, PROGRAMS.vendorGrub, on("north", "stranger")),
  staged("sb-shim-unsigned", PROGRAMS.shimUnsigned, PROGRAMS.vendorGrub, on("north", "north-off")),
  staged("sb-shim-as-sold", PROGRAMS.shimAsSold, PROGRAMS.vendorGrub, on("as-sold", "north"), true),
  staged("sb-shim-as-sold-unsigned-second", PROGRAMS.shimAsSold, PROGRAMS.witness, on("as-sold")),
  // A distribution's second stage without the first.
  withLoader("sb-vendor-grub-alone", PROGRAMS.vendorGrub, on("north", "as-sold")),
];
