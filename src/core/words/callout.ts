import type { Advantage } from "../callout/advantages";
import type { Happening } from "../callout/happenings";
import type { CalloutOutcome, Lost } from "../callout/record";
import type { ImageFit, Shrinking } from "../callout/replacement";
import type { OpenFact } from "../callout/times";
import type { OutcomeKind } from "../judging/routes/outcome";
import { dayText } from "./dates";
import { bytesText } from "./sizes";

/** What happened to a computer, as the second part of "HO-1 Reception: its disk is gone". */
export function happeningText(happening: Happening): string {
  return {
    "does-not-start": "it does not start",
    "disk-gone": "its disk is gone",
    malware: "malware got in",
    "bad-update": "an update broke it",
    "files-lost": "files are lost",
    "new-disk": "it moves to a new disk",
    "new-computer": "it moves to a new computer",
  }[happening];
}

/** What comes back, in a few words without a capital. */
export function calloutOutcomeText(kind: OutcomeKind): string {
  return {
    copy: "disk copied",
    image: "image restored",
    system: "system partition restored",
    reinstall: "reinstalled",
    factory: "factory state",
    "start-up": "start-up repaired",
    partitions: "partitions repaired",
    files: "files rescued",
    "image-files": "files from an image",
  }[kind];
}

const daysText = (days: number) =>
  days === 0 ? "since today's image" : `of the last ${days === 1 ? "day" : `${days} days`}`;

/** What is lost by a way, in a sentence. */
export function lostText(lost: Lost): string {
  switch (lost.code) {
    case "nothing":
      return "Nothing lost.";
    case "since-image":
      return lost.days === 0
        ? "Lost: changes since today's image."
        : `Lost: changes of the last ${lost.days === 1 ? "day" : `${lost.days} days`}.`;
    case "system-since-image":
      return `Lost on the system partition: changes ${daysText(lost.days)}. Data partitions are kept.`;
    case "files-since-image":
      return `Files as of ${dayText(lost.on)} are saved. The computer is not recovered.`;
    case "all-but-files":
      return "Readable files are saved. The computer is not recovered.";
    case "overwritten":
      return "Lost: files that were overwritten since.";
    case "everything":
      return "Lost: everything on its disk.";
  }
}

/** What would narrow an estimate, in a sentence; empty where nothing is open. */
export function openFactsText(openFacts: readonly OpenFact[]): string {
  const names: Record<OpenFact, string> = {
    "image-size": "the image's size",
    "store-link": "how the store is connected",
    "disk-use": "the space in use on the old disk",
    travel: "the travel time between the sites",
  };
  const list = new Intl.ListFormat("en-GB").format(openFacts.map((fact) => names[fact]));
  return openFacts.length === 0 ? "" : `A rough estimate. Record ${list} to narrow it.`;
}

/** What speaks for a way over the best one, in a word or two. */
export function advantageText(advantage: Advantage): string {
  return {
    "loses-less": "Loses less",
    "saves-files": "Saves files that would be lost",
    sooner: "Quicker",
    nearer: "Nearer",
    surer: "More certain",
  }[advantage];
}

/** How a call-out ended, in a few words. */
export function cameBackText(cameBack: CalloutOutcome["cameBack"]): string {
  return cameBack === "not-back" ? "not recovered" : `recovered: ${calloutOutcomeText(cameBack)}`;
}

/** Whether an image goes onto a disk, as a part of a sentence. */
export function fitText(fit: ImageFit): string {
  switch (fit.state) {
    case "fits":
      return fit.spareBytes === 0 ? "fits exactly" : `fits, with ${bytesText(fit.spareBytes)} to spare`;
    case "too-small":
      return `does not fit: the disk is ${bytesText(fit.lackingBytes)} too small`;
    case "other-sectors":
      return `has sectors of ${fit.image} bytes, and the disk has ${fit.disk}: only a kit that converts sector sizes restores it`;
    case "unknown":
      return "unknown: size of its source disk not recorded";
  }
}

/** What to make smaller before a smaller disk will do, in a sentence or two. */
export function shrinkText({ lackingBytes, steps, stillLackingBytes, unknown }: Shrinking): string {
  const parts = steps.map(({ partition, giveBytes }) => `${partition} by ${bytesText(giveBytes)}`);
  const what = parts.length > 0 ? `Make ${parts.join(", then ")} smaller` : "Nothing can be made smaller";
  const open = unknown.length > 0 ? ` Used space not recorded: ${unknown.join(", ")}.` : "";
  if (stillLackingBytes === 0 && parts.length === 0)
    return `The new disk is ${bytesText(lackingBytes)} smaller; the old one has that much unused.${open}`;
  if (stillLackingBytes === 0)
    return `The new disk is ${bytesText(lackingBytes)} smaller. ${what} before an image is taken.${open}`;
  return `The new disk is ${bytesText(lackingBytes)} smaller. ${what}: ${bytesText(stillLackingBytes)} still missing. Use a larger disk.${open}`;
}
