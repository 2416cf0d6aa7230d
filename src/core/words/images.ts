import type { ImageCheck } from "../images/checks";
import type { ImageDueReason } from "../images/due";
import type { Growth, LinkKind, RatioSource, StoreFit } from "../images/forecast";
import type { LineageProblem } from "../images/lineage";
import type { PatternProblem } from "../images/names";
import type { KeepReason } from "../images/retention";
import type { ScanState } from "../images/scan";
import type { StoredFinding, StoredReading } from "../images/stored";
import type { Range } from "../kernel/range";
import { dayText } from "./dates";
import { bytesText } from "./sizes";
import { visible } from "./visible";

/** What is wrong with a pattern of names, in a sentence. */
export function patternProblemText(problem: PatternProblem): string {
  switch (problem.code) {
    case "unknown-part":
      return `{${visible(problem.part)}} is not a name part; use {computer}, {site}, {system}, {version}, {date}, {kind} and {state}.`;
    case "part-twice":
      return `{${problem.part}} is used twice.`;
    case "part-missing":
      return `Without {${problem.part}} images cannot be told apart later.`;
    case "parts-touch":
      return `Between {${problem.parts[0]}} and {${problem.parts[1]}} a separator is needed.`;
    case "not-in-a-file-name":
      return `A file's name cannot have ${problem.characters}.`;
    case "unclosed":
      return "Unmatched { or }.";
  }
}

/** Why an image cannot be gone back to, in a sentence. */
export function lineageProblemText(problem: LineageProblem): string {
  switch (problem.code) {
    case "parent-unknown":
      return `${problem.part} builds on an image that is not recorded.`;
    case "part-missing":
      return `No copy of ${problem.part} recorded.`;
    case "part-damaged":
      return `${problem.part} was found damaged on ${dayText(problem.on)}.`;
    case "part-unverified":
      return `${problem.part} was never verified.`;
    case "circle":
      return `${problem.part} builds on itself.`;
    case "parent-younger":
      return `${problem.part} is older than ${problem.parent}, its parent.`;
    case "other-computer":
      return `${problem.part} is of another computer, ${problem.computer}.`;
  }
}

/** Why an image stays, in a few words. */
export function keepText(reason: KeepReason): string {
  switch (reason.code) {
    case "daily":
      return `the last of the day ${reason.period}`;
    case "weekly":
      return `the last of the week ${reason.period}`;
    case "monthly":
      return `the last of the month ${reason.period}`;
    case "yearly":
      return `the last of the year ${reason.period}`;
    case "locked":
      return "protected";
    case "last-verified":
      return "last verified image of its computer";
    case "only-one":
      return "last image of its computer, none verified";
    case "needed-by":
      return `${reason.point} builds on it`;
  }
}

/** What a scan of a store found an image to be. */
export function scanStateText(state: ScanState): string {
  switch (state.state) {
    case "new":
      return "new";
    case "same":
      return `${state.image}, unchanged`;
    case "recognised":
      return `${state.image}, recognised by its name`;
    case "moved":
      return `${state.image}, moved from ${visible(state.from)}`;
    case "changed":
      return {
        size: `${state.image}, size changed`,
        files: `${state.image}, files changed`,
        time: `${state.image}, changed since`,
      }[state.why];
  }
}

/** What was found in the files of an image, in a sentence. */
export function storedFindingText(finding: StoredFinding): string {
  switch (finding.code) {
    case "part-missing":
      return `${finding.parts.length === 1 ? `Part ${finding.parts[0]} is` : `Parts ${finding.parts.slice(0, 8).join(", ")} are`} missing: it cannot be restored.`;
    case "not-readable":
      return `${visible(finding.path)} cannot be read.`;
    case "no-decoder":
      return `Compressed with ${finding.compression}, which Creel cannot unpack.`;
    case "damaged":
      return `${visible(finding.path)} is damaged or truncated.`;
    case "not-what-it-is-called":
      return `${visible(finding.path)} does not match its name: ${finding.found}.`;
    case "parts-of-another":
      return `${visible(finding.path)} is a part of another archive.`;
    case "unknown-content":
      return `What ${visible(finding.path)} holds is not recognised.`;
  }
}

/** What an image's own content tells, in a line. */
export function storedText({
  container,
  compression,
  diskBytes,
  table,
  mode,
  partitions,
  usedBytes,
  systems,
}: StoredReading): string {
  const packed = compression ? `, ${compression}` : "";
  const parts = partitions.length === 1 ? "one partition" : `${partitions.length} partitions`;
  switch (container) {
    case "disk":
      return `A whole disk${diskBytes === null ? "" : ` of ${bytesText(diskBytes)}`}${packed}: ${table === "gpt" ? "GPT" : "MBR"}, ${parts}${mode ? `, starts by ${mode === "uefi" ? "UEFI" : "BIOS"}` : ""}.`;
    case "partitions":
      return `${parts === "one partition" ? "One partition" : parts}${packed}: ${partitions.map(({ name, filesystem }) => [name, filesystem].filter(Boolean).join(" ")).join(", ")}.`;
    case "wim":
      return `An archive${packed}${systems.length > 0 ? ` with ${systems.slice(0, 3).join(", ")}` : ""}${usedBytes ? `, ${bytesText(usedBytes)} unpacked` : ""}.`;
    case "unknown":
      return "Content not recognised.";
  }
}

/** "2.5 to 3.5 GB, likely 3 GB". */
export function imageRangeText({ low, likely, high }: Range): string {
  return low === high ? bytesText(low) : `${bytesText(low)} to ${bytesText(high)}, likely ${bytesText(likely)}`;
}

/** "4 to 8 minutes"; seconds. */
export function durationText({ low, high }: Range): string {
  const unit = high >= 2 * 3600 ? 3600 : high >= 90 ? 60 : 1;
  const name = { 3600: "hours", 60: "minutes", 1: "seconds" }[unit as 1 | 60 | 3600];
  const shown = (value: number) =>
    unit === 3600 ? (value / unit).toFixed(1).replace(/\.0$/, "") : String(Math.max(1, Math.round(value / unit)));
  const [from, to] = [shown(low), shown(high)];
  if (from !== to) return `${from} to ${to} ${name}`;
  return `about ${to} ${to === "1" ? name?.slice(0, -1) : name}`;
}

/** From where the ratio of stored to used bytes is. */
export function ratioText(source: RatioSource): string {
  switch (source.from) {
    case "own":
      return `based on ${source.images === 1 ? "its last image" : `its last ${source.images} images`}`;
    case "kit":
      return `based on ${source.images} images made with the same kit`;
    case "usual":
      return "the usual ratio";
  }
}

/** Whether the next image fits in a store, in a sentence. */
export function storeFitText({ verdict, marginBytes: { least, most } }: StoreFit): string {
  switch (verdict) {
    case "fits":
      return `Fits, with at least ${bytesText(least)} to spare.`;
    case "may-not-fit":
      return `May not fit: up to ${bytesText(-least)} short in the worst case.`;
    case "does-not-fit":
      return `Does not fit: at least ${bytesText(-most)} short.`;
  }
}

/** How fast a store fills, and when it will be full. */
export function growthText({ bytesPerDay, full }: Growth): string {
  const week = bytesPerDay.likely * 7;
  if (full === null) return "No growth measured.";
  const grows = `Grows about ${bytesText(Math.max(0, week))} a week`;
  if (full.likely === null) return `${grows}; full not before ${dayText(full.early)}.`;
  const range =
    full.late === null
      ? `not before ${dayText(full.early)}`
      : `between ${dayText(full.early)} and ${dayText(full.late)}`;
  return `${grows}, full about ${dayText(full.likely)} (${range}).`;
}

/** By what a store is attached, in a few words. */
export function linkText(link: LinkKind): string {
  return {
    usb2: "USB 2",
    usb3: "USB 3",
    "lan-100": "network, 100 Mbit/s",
    "lan-1000": "network, 1 Gbit/s",
    wifi: "wireless network",
    internal: "built in, solid state",
    "hard-disk": "built in, hard disk",
  }[link];
}

function days(count: number): string {
  if (count === 0) return "today";
  return count === 1 ? "tomorrow" : `in ${count} days`;
}

/** Why an image is due, in a sentence. */
export function imageDueText(reason: ImageDueReason): string {
  switch (reason.code) {
    case "no-image":
      return "No image recorded.";
    case "none-usable":
      return `No usable image; the newest is from ${dayText(reason.last)}.`;
    case "only-unverified":
      return "Newest image not verified.";
    case "old":
      return `Newest image: ${reason.days} days old.`;
    case "system-changed":
      return `System changed on ${dayText(reason.on)}, after the newest image.`;
    case "disk-replaced":
      return `Disk replaced on ${dayText(reason.on)}, after the newest image.`;
    case "restored":
      return `Recovered on ${dayText(reason.on)}. Take an image once it is updated.`;
    case "change-ahead":
      return `Planned change ${days(reason.days)} (${visible(reason.what, 120)}). Take an image before it.`;
    case "changed":
      return `Changed on ${dayText(reason.on)} (${visible(reason.what, 120)}), after the newest image.`;
  }
}

const LACKING = { esp: "the EFI system partition", active: "the active partition", system: "the system partition" };

/** What was seen to, in a few words. */
export function checkedText(code: string): string {
  const texts: Record<string, string> = {
    "start-up-included": "start-up partitions included",
    "data-left-out": "data left out on purpose",
    "store-left-out": "store left out",
    "key-known": "key location recorded",
    fits: "free space",
    "file-system-clean": "file systems checked, shut down fully",
    "mains-power": "mains power",
    verified: "verified",
    "second-copy": "a second copy elsewhere",
    recorded: "recorded",
  };
  return texts[code] ?? code;
}

/** One thing to see to before or after an image is taken. */
export function checkText(check: ImageCheck): string {
  switch (check.code) {
    case "start-up-included":
      if (check.state === "see") return "Partitions not recorded. Include everything it needs to start.";
      if (check.startsFrom)
        return `It starts from ${check.startsFrom}: take an image of that disk too, and restore both together.`;
      return check.lacks.length === 0
        ? `Included for start-up: ${check.partitions.join(", ")}.`
        : `Without ${check.lacks.map((each) => LACKING[each]).join(" and ")} it restores files, not a bootable computer.`;
    case "data-left-out":
      return check.partitions.length === 0
        ? "No data partitions."
        : `Data left out on purpose: ${check.partitions.join(", ")}. Is it saved elsewhere?`;
    case "store-left-out":
      return check.sameDisk
        ? `${check.store} is on the saved disk and would be lost with it. Choose another store.`
        : check.state === "do"
          ? `${check.store} is left out of the image.`
          : `${check.store} is no disk of this computer.`;
    case "key-known":
      if (check.encrypted.length === 0) return "Not encrypted.";
      return check.missing.length === 0
        ? `Encrypted (${check.encrypted.join(", ")}). Key location recorded.`
        : `Key location of ${check.missing.join(", ")} not recorded. Without the key the image is useless.`;
    case "fits":
      return check.fit ? storeFitText(check.fit) : "Fit unknown. Check free space.";
    case "file-system-clean":
      return "File systems checked; fully shut down, not asleep.";
    case "mains-power":
      return "On mains power; nothing will interrupt it.";
    case "verified":
      return "Image verified after it was taken.";
    case "second-copy":
      return "Second copy elsewhere: another room, another disk.";
    case "recorded":
      return "Registered here with name, size and duration.";
  }
}
