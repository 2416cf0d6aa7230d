export interface SbatRow {
  component: string;
  generation: number;
}

/**
 * The day of a level, as its first row "sbat,1,2021030218" says it; "" where there is none. First-stage loaders keep
 * whichever of two levels has the later day (shim's sbat.c, `preserve_sbat_uefi_variable`).
 */
export function sbatDay(text: string): string {
  return /^sbat,\d+,(\d+)/.exec(text.trim())?.[1] ?? "";
}

/** Rows of a program that a level no longer allows: SBAT of the shim project, "Verification". */
export function revokedBySbat(rows: SbatRow[], level: SbatRow[]): (SbatRow & { least: number })[] {
  return level.flatMap(({ component, generation }) =>
    rows
      .filter((row) => row.component === component && row.generation < generation)
      .map((row) => ({ ...row, least: generation })),
  );
}

/** Rows "component,generation,…" after the first one, which is the level's own ("sbat,1,date"). */
export function readSbatLevel(text: string): SbatRow[] {
  return text
    .replaceAll("\0", "")
    .split(/\r?\n/)
    .map((line) => line.split(","))
    .filter(([component, generation]) => component && /^\d+$/.test(generation ?? ""))
    .map(([component, generation]) => ({ component: component as string, generation: Number(generation) }));
}
