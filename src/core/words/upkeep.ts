import type { DueItem, DueKind, DueReason } from "../upkeep/due";
import { imageDueText } from "./images";
import { reasonText } from "./reasons";
import { visible } from "./visible";

const KIND_TITLES: Record<DueKind, string> = {
  drill: "Drills",
  verification: "Verifications",
  "planned-drill": "Planned drills",
  wear: "Worn or distrusted media",
  image: "Images",
  superseded: "Releases with a successor",
  ended: "Past their end",
  "system-files": "Included system files",
  environment: "Environments older than systems",
  loan: "Loans",
  spares: "Blank spares",
  facts: "Facts",
  stocktake: "Stock-taking",
};

/** A kind of thing that falls due, as a heading. */
export function dueKindTitle(kind: DueKind): string {
  return KIND_TITLES[kind];
}

const days = (count: number) => (count === 1 ? "one day" : `${count.toLocaleString("en-GB")} days`);

/** What there is to do, in a few words: "Try RM-01 on HO-003". */
export function dueTitle({ kind, medium, computer, site, reason }: DueItem): string {
  switch (kind) {
    case "drill":
    case "planned-drill":
      return `Try ${medium} on ${computer}`;
    case "verification":
      return `Verify ${medium}`;
    case "wear":
      return `Replace ${medium}`;
    case "image":
      return `Take an image of ${computer}`;
    case "superseded":
    case "system-files":
    case "environment":
      return `Write ${medium} anew`;
    case "ended":
      return medium !== null
        ? `Write ${medium} anew`
        : `Replace ${reason.code === "system-ended" ? reason.system : "what ended"}`;
    case "loan":
      return `Ask for ${medium} back`;
    case "spares":
      return `Bring blank spares to ${site}`;
    case "facts":
      return `Collect the facts of ${computer}`;
    case "stocktake":
      return `Take stock at ${site}`;
  }
}

/** Why something is due, in a sentence. */
export function dueReasonText(reason: DueReason): string {
  switch (reason.code) {
    case "drill-lapses":
      return `Its last drill${reason.model ? ` on a computer of the model ${visible(reason.model, 80)}` : ""} is too old from ${reason.on} on.`;
    case "verification-lapses":
      return `Its last verification is too old from ${reason.on} on.`;
    case "image-lapses":
      return `Its newest image is too old from ${reason.on} on.`;
    case "not-proven":
      return reason.reason ? reasonText(reason.reason) : "";
    case "secure-boot-changed":
      return `Its Secure Boot was recorded otherwise on ${reason.on}, after the drill of ${reason.drilledOn}.`;
    case "drill-planned":
      return reason.days > 0
        ? `It was planned by ${reason.on}, ${days(reason.days)} ago.`
        : `It is planned by ${reason.on}.`;
    case "worn":
      return "It is worn.";
    case "distrusted":
      return "It is distrusted: nothing counts upon it.";
    case "image":
      return reason.reasons.map(imageDueText).join(" ");
    case "release-superseded":
      return `${reason.release} has a successor, ${reason.by}.`;
    case "release-ended":
      return `${reason.release} is past its end since ${reason.on}.`;
    case "system-ended":
      return `${reason.system} is past its end since ${reason.on}; ${reason.computers === 1 ? "one computer runs" : `${reason.computers.toLocaleString("en-GB")} computers run`} it.`;
    case "system-files-old":
      return `The system files of ${reason.release} are ${days(reason.days)} old; ${days(reason.most)} are asked for.`;
    case "system-files-older":
      return `${reason.release} includes ${reason.has}; computers there run ${reason.runs}.`;
    case "environment-older":
      return `${reason.release} was made on ${reason.madeOn}, before ${reason.system} came out on ${reason.releasedOn}: it may not know what it repairs.`;
    case "loan-overdue":
      return `${visible(reason.to, 80)} was to bring it back by ${reason.on}.`;
    case "spares-lacking":
      return `${reason.has} of ${reason.wanted} are there.`;
    case "facts-old":
      return `They are ${days(reason.days)} old; ${days(reason.most)} are asked for.`;
    case "facts-never":
      return "They were never collected.";
    case "stock-never":
      return "Stock was never taken there.";
    case "stock-old":
      return `It was taken ${days(reason.days)} ago; ${days(reason.most)} are asked for.`;
  }
}

/** What breaks if nothing is done, and when; empty where nothing does. */
export function consequenceText({ loses, breaksOn }: Pick<DueItem, "loses" | "breaksOn">, today: string): string {
  const { count, tags } = loses;
  const shown = tags.slice(0, 4).join(", ");
  const who =
    count === 1
      ? (tags[0] ?? "one computer")
      : `${count.toLocaleString("en-GB")} computers (${shown}${count > 4 ? " …" : ""})`;
  if (count === 0) return breaksOn === null || breaksOn <= today ? "" : "Nobody loses the last way by it.";
  if (breaksOn !== null && breaksOn > today)
    return `From ${breaksOn} on ${who} ${count === 1 ? "lacks" : "lack"} what is asked.`;
  return `${who} ${count === 1 ? "lacks" : "lack"} what is asked until it is done.`;
}
