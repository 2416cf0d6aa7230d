/** What stands on the label of a medium. */
export interface Label {
  tag: string;
  name: string | null;
  /** Kits and releases. */
  carries: string[];
  /** The day that it was written, ISO. */
  writtenOn: string | null;
  /** Computers that it serves. */
  serves: string[];
}

/** Computers that are named; the others are counted. */
const NAMED = 3;

/** What stands below the tag, a line each. */
export function labelLines({ name, carries, writtenOn, serves }: Label): string[] {
  const few = serves.slice(0, NAMED).join(", ");
  return [
    name,
    carries.join(", ") || null,
    writtenOn ? `written ${writtenOn}` : null,
    serves.length > 0 ? `for ${few}${serves.length > NAMED ? ` and ${serves.length - NAMED} more` : ""}` : null,
  ].filter((line) => line !== null);
}
