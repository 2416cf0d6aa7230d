import { z } from "zod";
import type { StartFacts } from "../../computer/facts/profile";
import { switchedMode } from "./changes";
import type { Link } from "./schema";
import { type StartKind, startKindSchema } from "./start-kind";

/** Where a release stands on a medium that carries several, and which firmware comes to it. */
const loadPartSchema = z.object({
  /** Bytes from the start of the medium. */
  startBytes: z.number().int().nonnegative(),
  lengthBytes: z.number().int().positive(),
  startedBy: z.array(startKindSchema),
});
export type LoadPart = z.infer<typeof loadPartSchema>;

/**
 * Of the releases on a medium, those that come up on a computer. UEFI takes the first loader of its architecture, so
 * that of several releases one is out of reach; with a BIOS whoever sits there chooses. `starts` is the medium's own
 * link: where it is broken nothing comes up, and all are told. A release without `startedBy` comes up however the
 * medium starts.
 */
export function loadsReached<T extends { startedBy?: readonly StartKind[] | null }>(
  loads: readonly T[],
  { firmware }: StartFacts,
  starts: Pick<Link, "verdict" | "changes" | "passedOver">,
): T[] {
  if (starts.verdict === "broken" || loads.every(({ startedBy }) => startedBy == null)) return [...loads];
  const { kind, arch, legacyMode } = firmware;
  if (kind === null) return [...loads];
  const switched = switchedMode(starts.changes);
  const isBios = kind === "bios" || (switched === null ? legacyMode === "on" : switched === "bios");
  if (!isBios && arch === null) return [...loads];
  const by: StartKind = isBios ? "bios" : (arch as StartKind);
  // What Secure Boot refused is passed over: it is not the first loader that came up then.
  const isPassedOver = !isBios && starts.passedOver === true;
  return loads.filter(({ startedBy }) => startedBy == null || startedBy.includes(by) !== isPassedOver);
}
