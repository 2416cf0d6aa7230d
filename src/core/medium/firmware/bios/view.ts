import { z } from "zod";
import { placeSchema } from "../place";

/**
 * What BIOS firmware makes of a medium attached in one way: which start code runs, what that code looks for and
 * whether it is there. Nothing of it depends on the computer, so the outcome is part of the inspection.
 */
export const startCodeSchema = z.enum([
  "classic-strict",
  "classic-first-active",
  "classic-chs",
  "classic-numbered",
  "gpt-legacy",
  "grub",
  "grub-hybrid",
  "grub-disc",
  "syslinux",
  "isolinux",
  "isolinux-hybrid",
  "grub-legacy",
  "classic-windows",
  "bootmgr-sector",
  "bootmgr-disc",
  "memory-tester",
  "kernel-stub",
  "format-stub",
  "blank",
  "unknown",
]);
/** Start code that Creel recognises; see `start-code.ts` for what marks each. */
export type StartCode = z.infer<typeof startCodeSchema>;

const at = { place: placeSchema };

/** One step on the way, in order. The last one decides. */
export const biosStepSchema = z.discriminatedUnion("code", [
  z.object({ code: z.literal("medium-too-short") }),
  z.object({ code: z.literal("folder-read") }),
  z.object({ code: z.literal("sectors-too-large"), bytes: z.number() }),
  z.object({ code: z.literal("no-boot-record") }),
  z.object({ code: z.literal("catalogue-outside") }),
  z.object({ code: z.literal("catalogue-header") }),
  z.object({ code: z.literal("default-entry-platform"), platform: z.number() }),
  z.object({ code: z.literal("default-entry-not-startable") }),
  z.object({ code: z.literal("default-entry-outside"), sector: z.number() }),
  z.object({ code: z.literal("default-entry-empty") }),
  z.object({ code: z.literal("default-entry-loaded"), sector: z.number(), emulation: z.string() }),
  z.object({ code: z.literal("sector-unsigned"), ...at }),
  z.object({ code: z.literal("start-code"), ...at, program: startCodeSchema }),
  z.object({ code: z.literal("no-active-partition"), ...at }),
  z.object({ code: z.literal("several-active-partitions"), ...at, count: z.number() }),
  z.object({ code: z.literal("no-legacy-start-partition"), ...at }),
  z.object({ code: z.literal("several-legacy-start-partitions"), ...at, count: z.number() }),
  z.object({ code: z.literal("gpt-missing"), ...at }),
  z.object({ code: z.literal("partition-outside"), ...at }),
  z.object({ code: z.literal("address-beyond-chs"), ...at }),
  z.object({ code: z.literal("core-missing"), ...at, program: startCodeSchema, sector: z.number() }),
  z.object({ code: z.literal("core-cut"), ...at, program: startCodeSchema, sector: z.number() }),
  z.object({ code: z.literal("core-damaged"), ...at, program: startCodeSchema }),
  z.object({ code: z.literal("reads-floppy"), ...at, program: startCodeSchema }),
  z.object({ code: z.literal("drive-too-small"), ...at, program: startCodeSchema, sector: z.number() }),
  z.object({ code: z.literal("boot-info-missing"), ...at }),
  /** The store of boot entries, or the archive that it names, is not there or not readable. */
  z.object({
    code: z.literal("boot-store"),
    ...at,
    state: z.enum(["missing", "damaged", "elsewhere"]),
    file: z.string(),
  }),
  z.object({ code: z.literal("module-missing"), ...at, file: z.string() }),
  z.object({ code: z.literal("core-runs"), ...at, program: startCodeSchema }),
  z.object({ code: z.literal("too-many-steps") }),
]);
export type BiosStep = z.infer<typeof biosStepSchema>;

export const biosViewSchema = z.object({
  steps: z.array(biosStepSchema),
  outcome: z.enum(["starts", "stops", "unknown"]),
  /** What only some makers' firmware asks for and this medium lacks. */
  leniencies: z.array(z.enum(["no-active-partition", "floppy-emulation", "hard-disk-emulation", "catalogue-checksum"])),
});
export type BiosView = z.infer<typeof biosViewSchema>;
