import type { Case } from "./blocks";
import { BIOS_CASES } from "./cases-bios";
import { DISC_CASES } from "./cases-disc";
import { PROGRAM_CASES } from "./cases-programs";
import { SECTOR_CASES } from "./cases-sectors";
import { SECURE_CASES } from "./cases-secure";
import { UEFI_CASES } from "./cases-uefi";

/** The table of media that Creel's verdicts are held against. */
export const CASES: Case[] = [
  ...UEFI_CASES,
  ...DISC_CASES,
  ...BIOS_CASES,
  ...SECURE_CASES,
  ...PROGRAM_CASES,
  ...SECTOR_CASES,
];
