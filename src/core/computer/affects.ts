import type { Facts } from "./facts/schema";
import type { SecureBootSummary } from "./secure-boot/lists";

/** What a change of facts touches beyond itself: each a thing to look at again. */
export type Affected =
  | { code: "firmware-updated"; from: string; to: string }
  | { code: "start-mode-changed"; from: string; to: string }
  | { code: "secure-boot-changed"; from: string; to: string }
  | { code: "signers-gained"; names: string[] }
  | { code: "signers-lost"; names: string[] }
  | { code: "revoked-more"; count: number }
  | { code: "sbat-raised"; component: string; from: number; to: number }
  | { code: "setting-changed"; setting: "fastBoot" | "usbStart"; from: string; to: string }
  | { code: "disk-gone"; name: string }
  | { code: "disk-smaller"; name: string; from: number; to: number }
  | { code: "disk-new"; name: string; bytes: number }
  | { code: "sector-size-changed"; name: string; from: number; to: number }
  | { code: "system-changed"; from: string; to: string }
  | { code: "devices-changed"; gained: number; lost: number };

export interface FactsWithLists {
  facts: Facts;
  lists: SecureBootSummary;
}

/** Compares facts as they were with facts as they are. Unknown before: nothing that anybody relied on. */
export function affectedBy(before: FactsWithLists, after: FactsWithLists): Affected[] {
  const [was, is] = [before.facts.firmware, after.facts.firmware];
  const affected: Affected[] = [];
  if (was.version && is.version && was.version !== is.version)
    affected.push({ code: "firmware-updated", from: was.version, to: is.version });
  // Another start mode is another set of loaders on every medium: it is asked of facts on both sides only,
  // since a computer whose mode was never recorded had no route judged by it.
  const modes = [modeOf(before.facts), modeOf(after.facts)] as const;
  if (modes[0] && modes[1] && modes[0] !== modes[1])
    affected.push({ code: "start-mode-changed", from: modes[0], to: modes[1] });
  const states = [was.secureBoot?.state, is.secureBoot?.state] as const;
  if (states[0] && states[1] && states[0] !== states[1])
    affected.push({ code: "secure-boot-changed", from: states[0], to: states[1] });
  // The lists matter more than the switch: a medium's loader is allowed or refused by them.
  affected.push(...ofLists(before.lists, after.lists));
  for (const setting of ["fastBoot", "usbStart"] as const) {
    const [from, to] = [was[setting], is[setting]];
    if (from && to && from !== to) affected.push({ code: "setting-changed", setting, from, to });
  }
  affected.push(...ofDisks(before.facts, after.facts), ...ofSystems(before.facts, after.facts));
  // Counted, not named: a docked notebook changes twenty devices at once, and which of them is driven is judged anew
  // with the chain.
  const [own, other] = [before.facts.devices, after.facts.devices].map(
    (devices) => devices && new Set(devices.map((each) => each.modalias)),
  );
  if (own && other) {
    const gained = [...other].filter((each) => !own.has(each)).length;
    const lost = [...own].filter((each) => !other.has(each)).length;
    if (gained + lost > 0) affected.push({ code: "devices-changed", gained, lost });
  }
  return affected;
}

function modeOf({ firmware }: Facts): string | null {
  if (firmware.kind === null) return null;
  // UEFI firmware in legacy mode starts as a BIOS does, from the same sectors.
  if (firmware.kind === "bios" || firmware.legacyMode === "on") return "BIOS";
  return "UEFI";
}

function ofLists(before: SecureBootSummary, after: SecureBootSummary): Affected[] {
  const affected: Affected[] = [];
  if (before.signers && after.signers) {
    // By digest of the certificate: two signers may bear one name, and one of them be renewed.
    const had = new Set(before.signers.map((each) => each.sha256));
    const has = new Set(after.signers.map((each) => each.sha256));
    const gained = after.signers.filter((each) => !had.has(each.sha256)).map((each) => each.name);
    const lost = before.signers.filter((each) => !has.has(each.sha256)).map((each) => each.name);
    if (gained.length > 0) affected.push({ code: "signers-gained", names: gained });
    if (lost.length > 0) affected.push({ code: "signers-lost", names: lost });
  }
  if (before.dbx && after.dbx) {
    // A shorter list is another maker's dialect of the same update, or a reset; neither refuses more than before.
    const count = after.dbx.digests - before.dbx.digests;
    if (count > 0) affected.push({ code: "revoked-more", count });
  }
  // Only what was told before can rise: a level that is seen for the first time says nothing of what it was.
  for (const { component, generation } of after.sbatLevel ?? []) {
    const earlier = before.sbatLevel?.find((each) => each.component === component)?.generation;
    if (earlier !== undefined && generation > earlier)
      affected.push({ code: "sbat-raised", component, from: earlier, to: generation });
  }
  return affected;
}

function ofDisks(before: Facts, after: Facts): Affected[] {
  if (!before.disks || !after.disks) return [];
  const affected: Affected[] = [];
  const found = new Set<number>();
  for (const disk of before.disks) {
    // By serial first, since names follow the order in which a start finds disks; by name only where one side knows no
    // serial. Two serials that differ are two disks, whatever they are called.
    const index = after.disks.findIndex(
      (each) =>
        (disk.serial !== null && each.serial === disk.serial) ||
        (each.name === disk.name && (disk.serial === null || each.serial === null)),
    );
    const now = after.disks[index];
    if (!now) {
      affected.push({ code: "disk-gone", name: disk.name });
      continue;
    }
    found.add(index);
    // Smaller only: an image of the old size fits on a larger disk, and not the other way round.
    if (now.bytes < disk.bytes)
      affected.push({ code: "disk-smaller", name: disk.name, from: disk.bytes, to: now.bytes });
    if (disk.sectorBytes && now.sectorBytes && disk.sectorBytes !== now.sectorBytes)
      affected.push({ code: "sector-size-changed", name: disk.name, from: disk.sectorBytes, to: now.sectorBytes });
  }
  // A stick that was in while facts were collected is no disk of the computer.
  for (const [index, disk] of after.disks.entries())
    if (!found.has(index) && disk.removable !== true)
      affected.push({ code: "disk-new", name: disk.name, bytes: disk.bytes });
  return affected;
}

function ofSystems(before: Facts, after: Facts): Affected[] {
  const text = (system: NonNullable<Facts["systems"]>[number]) =>
    [system.name, system.version].filter(Boolean).join(" ");
  const [was, is] = [before.systems ?? [], after.systems ?? []];
  return was.flatMap((system): Affected[] => {
    // By name without its case: tools spell one product in several ways. A system that is gone is told by its disk.
    const now = is.find((each) => each.name.toLowerCase() === system.name.toLowerCase());
    return now && text(now) !== text(system) ? [{ code: "system-changed", from: text(system), to: text(now) }] : [];
  });
}
