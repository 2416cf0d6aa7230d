import type { ImageCheck } from "../images/checks";
import type { ImageDueReason } from "../images/due";
import type { Growth, LinkKind, Range, RatioSource, StoreFit } from "../images/forecast";
import type { LineageProblem } from "../images/lineage";
import type { PatternProblem } from "../images/names";
import type { KeepReason } from "../images/retention";
import type { ScanState } from "../images/scan";
import type { StoredFinding, StoredReading } from "../images/stored";
import { bytesText } from "./sizes";
import { visible } from "./visible";

/** What is wrong with a pattern of names, in a sentence. */
export function patternProblemText(problem: PatternProblem): string {
  switch (problem.code) {
    case "unknown-part":
      return `{${visible(problem.part)}} is no part of a name; there are {computer}, {site}, {system}, {version}, {date}, {kind} and {state}.`;
    case "part-twice":
      return `{${problem.part}} is there twice.`;
    case "part-missing":
      return `Without {${problem.part}} images cannot be told apart later.`;
    case "parts-touch":
      return `Between {${problem.parts[0]}} and {${problem.parts[1]}} something has to stand, so that they can be told apart.`;
    case "not-in-a-file-name":
      return `A file's name cannot have ${problem.characters}.`;
    case "unclosed":
      return "A { without its }, or the other way round.";
  }
}

/** Why an image cannot be gone back to, in a sentence. */
export function lineageProblemText(problem: LineageProblem): string {
  switch (problem.code) {
    case "parent-unknown":
      return `${problem.part} builds on an image that is not recorded.`;
    case "part-missing":
      return `No copy of ${problem.part} is known to be anywhere.`;
    case "part-damaged":
      return `${problem.part} was found damaged on ${problem.on}.`;
    case "part-unverified":
      return `${problem.part} was never verified.`;
    case "circle":
      return `${problem.part} builds on itself, by way of others.`;
    case "parent-younger":
      return `${problem.part} is older than ${problem.parent}, on which it builds.`;
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
      return "somebody said that it stays";
    case "last-verified":
      return "the last verified one of its computer";
    case "only-one":
      return "the last one of its computer, which has no verified one";
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
      return `${state.image}, as it was`;
    case "recognised":
      return `${state.image}, recognised by its name`;
    case "moved":
      return `${state.image}, which was ${visible(state.from)}`;
    case "changed":
      return {
        size: `${state.image}, with another size`,
        files: `${state.image}, with other files`,
        time: `${state.image}, written to since`,
      }[state.why];
  }
}

/** What was found in the files of an image, in a sentence. */
export function storedFindingText(finding: StoredFinding): string {
  switch (finding.code) {
    case "part-missing":
      return `${finding.parts.length === 1 ? `Part ${finding.parts[0]} is` : `Parts ${finding.parts.slice(0, 8).join(", ")} are`} missing: it cannot be put back.`;
    case "not-readable":
      return `${visible(finding.path)} cannot be read.`;
    case "no-decoder":
      return `It is compressed with ${finding.compression}, which is not unpacked here.`;
    case "damaged":
      return `${visible(finding.path)} is damaged or cut short.`;
    case "not-what-it-is-called":
      return `${visible(finding.path)} is not what its name says: ${finding.found}.`;
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
      return "What it holds is not recognised.";
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
      return `after ${source.images === 1 ? "its last image" : `its last ${source.images} images`}`;
    case "kit":
      return `after ${source.images} images of others made with the same kit`;
    case "usual":
      return "as is usual in the trade";
  }
}

/** Whether the next image fits in a store, in a sentence. */
export function storeFitText({ verdict, marginBytes: { least, most } }: StoreFit): string {
  switch (verdict) {
    case "fits":
      return `It fits, with at least ${bytesText(least)} to spare.`;
    case "may-not-fit":
      return `It may not fit: up to ${bytesText(-least)} are lacking, if it comes out as large as it may.`;
    case "does-not-fit":
      return `It does not fit: at least ${bytesText(-most)} are lacking.`;
  }
}

/** How fast a store fills, and when it will be full. */
export function growthText({ bytesPerDay, full }: Growth): string {
  const week = bytesPerDay.likely * 7;
  if (full === null) return "It does not grow as far as that was seen.";
  const grows = `It grows by some ${bytesText(Math.max(0, week))} a week`;
  if (full.likely === null) return `${grows}; full no earlier than ${full.early}.`;
  const range = full.late === null ? `not before ${full.early}` : `between ${full.early} and ${full.late}`;
  return `${grows}, and is full about ${full.likely} (${range}).`;
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
  if (count === 0) return "Today";
  return count === 1 ? "Tomorrow" : `In ${count} days`;
}

/** Why an image is due, in a sentence. */
export function imageDueText(reason: ImageDueReason): string {
  switch (reason.code) {
    case "no-image":
      return "No image of it is recorded.";
    case "none-usable":
      return `None of its images can be gone back to; the last is of ${reason.last}.`;
    case "only-unverified":
      return "Its last image was never verified.";
    case "old":
      return `Its last image is ${reason.days} days old.`;
    case "system-changed":
      return `Its system was changed on ${reason.on}, since the last image.`;
    case "disk-replaced":
      return `Its disk was replaced on ${reason.on}, since the last image.`;
    case "restored":
      return `It was brought back on ${reason.on}: once its updates are done, take one.`;
    case "change-ahead":
      return `${days(reason.days)} it is to change (${visible(reason.what, 120)}): take one before that.`;
    case "changed":
      return `It was changed on ${reason.on} (${visible(reason.what, 120)}), since the last image.`;
  }
}

const LACKING = { esp: "the EFI system partition", active: "the active partition", system: "the system partition" };

/** What was seen to, in a few words. */
export function checkedText(code: string): string {
  const texts: Record<string, string> = {
    "start-up-included": "what it needs to start is in it",
    "data-left-out": "data left out on purpose",
    "store-left-out": "the store left out",
    "key-known": "the key's place known",
    fits: "room for it",
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
      if (check.state === "see")
        return "What its disk is parted into is not recorded: take all that it needs to start.";
      return check.lacks.length === 0
        ? `What it needs to start is in it: ${check.partitions.join(", ")}.`
        : `It would lack ${check.lacks.map((each) => LACKING[each]).join(" and ")}: files would come back, not a computer.`;
    case "data-left-out":
      return check.partitions.length === 0
        ? "There are no partitions with data alone."
        : `Data is left out on purpose: ${check.partitions.join(", ")}. Is it saved elsewhere?`;
    case "store-left-out":
      return check.sameDisk
        ? `${check.store} is on the disk that is saved: it would be lost with it. Choose another store.`
        : check.state === "do"
          ? `${check.store} is left out of what is saved.`
          : `${check.store} is no disk of this computer.`;
    case "key-known":
      if (check.encrypted.length === 0) return "Nothing of it is encrypted.";
      return check.missing.length === 0
        ? `It is encrypted (${check.encrypted.join(", ")}), and where the key is kept is recorded.`
        : `Nobody recorded where the key of ${check.missing.join(", ")} is kept: without it the image is of no use.`;
    case "fits":
      return check.fit ? storeFitText(check.fit) : "Whether it fits cannot be told: look how much is free.";
    case "file-system-clean":
      return "Its file systems were checked, and it was shut down fully, not put to sleep.";
    case "mains-power":
      return "It is on mains power, and nothing will interrupt it.";
    case "verified":
      return "The image was verified after it was taken.";
    case "second-copy":
      return "A second copy is elsewhere: not in the same room, not on the same disk.";
    case "recorded":
      return "It is recorded here, with its name, its size and how long it took.";
  }
}
