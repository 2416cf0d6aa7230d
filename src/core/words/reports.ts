import type { Identity, IdentityKind, Likeness } from "../computer/facts/identity";
import type { ReportedChange } from "../computer/facts/reported";
import { factTitle } from "./facts";

/** What became of a report, for whoever sent it. */
export function reportAnswerText({ state, tag }: { state: string; tag: string | null }): string {
  switch (state) {
    case "taken":
      return `Facts of ${tag} imported.`;
    case "same":
      return `Facts of ${tag} confirmed, no changes.`;
    case "dismissed":
      return "Received. This computer was marked as not ours.";
    default:
      return "Received. Not recorded yet: accept it under Computers, Arrivals.";
  }
}

/** "Secure Boot was switched on at NP-003: RM-02 no longer starts it." */
export function reportedText(computer: string, { changes, shifts }: ReportedChange): string {
  const media = shifts.map(shiftText);
  const more = media.length > SHIFTS_TOLD ? `; ${media.length - SHIFTS_TOLD} more media are affected` : "";
  return `${changesText(computer, changes)}: ${media.slice(0, SHIFTS_TOLD).join("; ")}${more}.`;
}

const SHIFTS_TOLD = 3;

function shiftText({ tag, before, after }: ReportedChange["shifts"][number]): string {
  switch (after) {
    case "holds":
      return `${tag} starts it now`;
    case "holds-after-change":
      return before === "holds"
        ? `${tag} no longer starts it until a setting is changed`
        : `${tag} starts it after a change of settings`;
    case "broken":
      return `${tag} no longer starts it`;
    default:
      return `unknown whether ${tag} starts it`;
  }
}

const SWITCHED: Record<string, string> = { on: "switched on", off: "switched off", setup: "put into setup mode" };

/** What was changed, the weightiest alone: people want to know what to look at. */
function changesText(computer: string, changes: ReportedChange["changes"]): string {
  const of = (path: string) => changes.find((change) => change.path === path);
  const state = SWITCHED[String(of("firmware/secureBoot/state")?.after ?? "")];
  if (state) return `Secure Boot was ${state} at ${computer}`;
  const legacy = SWITCHED[String(of("firmware/legacyMode")?.after ?? "")];
  if (legacy) return `Legacy mode was ${legacy} at ${computer}`;
  if (of("firmware/secureBoot/dbx")) return `The list of revoked signers changed at ${computer}`;
  if (of("firmware/secureBoot/db")) return `The list of allowed signers changed at ${computer}`;
  const [first] = changes;
  return first ? `${factTitle(first.path)} changed at ${computer}` : `Facts of ${computer} changed`;
}

const SAME: Record<IdentityKind | "tag", string> = {
  tag: "tag",
  uuid: "board",
  serial: "serial",
  address: "network address",
  disk: "disk",
};
const OTHER: Record<IdentityKind | "make", string> = { ...SAME, make: "maker" };

/** "Same serial and disk, different board": why a computer that reported may be one that is recorded. */
export function likenessText({ same, other }: Likeness): string {
  const told = `Same ${listed(same.map((kind) => SAME[kind]))}`;
  return other.length === 0 ? told : `${told}, different ${listed(other.map((kind) => OTHER[kind]))}`;
}

/**
 * What two computers are known by, side by side: what neither tells is left out. `written`: texts as either of them has
 * them, which are compared in small letters.
 */
export function sideBySide(
  told: Identity,
  recorded: Identity,
  written: readonly string[] = [],
): { title: string; told: string; recorded: string; isOther: boolean }[] {
  const rows = [
    ["Maker", [told.make], [recorded.make]],
    ["Serial", [told.serial], [recorded.serial]],
    ["Board", [told.uuid], [recorded.uuid]],
    ["Network", told.addresses, recorded.addresses],
    ["Disks", told.disks, recorded.disks],
  ] as const;
  const asWritten = new Map(written.map((text) => [text.trim().toLowerCase(), text.trim()]));
  const shown = (values: string[]) => values.map((value) => asWritten.get(value) ?? value).join(", ") || "–";
  return rows.flatMap(([title, one, other]) => {
    const [own, theirs] = [one, other].map((values) => values.flatMap((value) => value ?? [])) as [string[], string[]];
    if (own.length + theirs.length === 0) return [];
    const isOther = own.length > 0 && theirs.length > 0 && !own.some((value) => theirs.includes(value));
    return [{ title, told: shown(own), recorded: shown(theirs), isOther }];
  });
}

function listed(words: readonly string[]): string {
  return words.length < 2 ? (words[0] ?? "") : `${words.slice(0, -1).join(", ")} and ${words.at(-1)}`;
}
