import type { ComputerEffect, Rehearsal, WorldChange } from "../fleet/rehearsal";
import { linkTitle, verdictText } from "./reasons";
import { bytesText } from "./sizes";

/** "Secure Boot is switched on at Workshop": a change as it would be told once it happened. */
export function changedText(change: WorldChange): string {
  switch (change.kind) {
    case "revoke":
      return `${change.file} on every computer: its entries are revoked`;
    case "allow":
      return `${change.file} on every computer: its entries are allowed`;
    case "secure-boot":
      return `Secure Boot is switched ${change.to} ${change.site === null ? "everywhere" : `at ${change.site}`}`;
    case "retire-release":
      return `${change.release} is withdrawn`;
    case "update-system":
      return `${[change.system, change.from].filter(Boolean).join(" ")} is updated to ${change.to}`;
    case "lose-site":
      return `The media kept at ${change.site} are lost`;
    case "lose-medium":
      return `${change.medium} is lost`;
    case "replace-disks":
      return `Every ${change.model} gets a system disk of ${bytesText(change.bytes)} with sectors of ${change.sectorBytes.toLocaleString("en-GB")} bytes`;
  }
}

/** What comes of it, in a sentence or two. */
export function rehearsalText({ computers, effects, worse, broken, better }: Rehearsal): string {
  if (effects.length === 0) return `Nothing changes for any of ${computers.toLocaleString("en-GB")} computers.`;
  const lost = effects.filter((effect) => effect.lost).length;
  const worst =
    lost === 0
      ? "No computer loses its last route."
      : lost === 1
        ? "One computer loses its last route."
        : `${lost.toLocaleString("en-GB")} computers lose their last route.`;
  const ofThem =
    broken === 0 ? "" : ` (${broken.toLocaleString("en-GB")} of them ${broken === 1 ? "breaks" : "break"})`;
  return `${worst} ${chains(worse)} worse${ofThem} and ${chains(better).toLowerCase()} better, on ${effects.length.toLocaleString("en-GB")} of ${computers.toLocaleString("en-GB")} computers.`;
}

function chains(count: number): string {
  if (count === 0) return "No chain gets";
  return count === 1 ? "One chain gets" : `${count.toLocaleString("en-GB")} chains get`;
}

/** "holds" or "Starts broken": the best chain of a computer. */
export function bestText({ verdict, at }: ComputerEffect["before"]): string {
  return at === null ? verdictText(verdict) : `${linkTitle(at)} ${verdictText(verdict)}`;
}
