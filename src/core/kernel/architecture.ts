import { z } from "zod";

/** Architectures that UEFI firmware is of. */
export const architectureSchema = z.enum(["x64", "ia32", "aa64", "arm", "riscv64"]);
export const ARCHITECTURES = architectureSchema.options;
export type Architecture = z.infer<typeof architectureSchema>;

/** The fixed paths of UEFI 2.10, 3.5.1.1. */
export const LOADER_PATHS = {
  x64: "/EFI/BOOT/BOOTX64.EFI",
  ia32: "/EFI/BOOT/BOOTIA32.EFI",
  aa64: "/EFI/BOOT/BOOTAA64.EFI",
  arm: "/EFI/BOOT/BOOTARM.EFI",
  riscv64: "/EFI/BOOT/BOOTRISCV64.EFI",
} as const satisfies Record<Architecture, string>;
