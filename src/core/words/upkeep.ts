import type { DueItem, DueKind, DueReason } from "../upkeep/due";
import { dayText } from "./dates";
import { imageDueText } from "./images";
import { reasonText } from "./reasons";
import { bytesText } from "./sizes";
import { visible } from "./visible";

const KIND_TITLES: Record<DueKind, string> = {
  drill: "Drills",
  verification: "Verifications",
  "planned-drill": "Planned drills",
  wear: "Worn or “do not use” media",
  image: "Images",
  store: "Room in stores",
  superseded: "Releases with a successor",
  ended: "End of support",
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

/** What there is to do, in a few words: "Run a drill of RM-01 on HO-003". */
export function dueTitle({ kind, medium, computer, site, reason }: DueItem): string {
  switch (kind) {
    case "drill":
    case "planned-drill":
      return `Run a drill of ${medium} on ${computer}`;
    case "verification":
      return `Verify ${medium}`;
    case "wear":
      return `Replace ${medium}`;
    case "image":
      return `Take an image of ${computer}`;
    case "store":
      return `Make room in ${reason.code === "store-full" ? visible(reason.store, 60) : "a store"}`;
    case "superseded":
    case "system-files":
    case "environment":
      return `Rewrite ${medium}`;
    case "ended":
      return medium !== null
        ? `Rewrite ${medium}`
        : `Replace ${reason.code === "system-ended" ? reason.system : "what ended"}`;
    case "loan":
      return `Ask for the return of ${medium}`;
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
      return `Its last drill${reason.model ? ` on a computer of the model ${visible(reason.model, 80)}` : ""} expires on ${dayText(reason.on)}.`;
    case "verification-lapses":
      return `Its last verification expires on ${dayText(reason.on)}.`;
    case "image-lapses":
      return `Its newest image expires on ${dayText(reason.on)}.`;
    case "store-full":
      return reason.on === null
        ? "Full: no further image fits."
        : `${bytesText(reason.freeBytes)} free. At the current rate it is full about ${dayText(reason.on)}.`;
    case "not-proven":
      return reason.reason ? reasonText(reason.reason) : "";
    case "secure-boot-changed":
      return `Secure Boot changed on ${dayText(reason.on)}, after the drill of ${dayText(reason.drilledOn)}.`;
    case "drill-planned":
      return reason.days > 0
        ? `Planned for ${dayText(reason.on)}, ${days(reason.days)} ago.`
        : `Planned for ${dayText(reason.on)}.`;
    case "worn":
      return "Worn.";
    case "distrusted":
      return "Marked “do not use”: it counts for nothing.";
    case "image":
      return reason.reasons.map(imageDueText).join(" ");
    case "release-superseded":
      return `${reason.release} has a successor, ${reason.by}.`;
    case "release-ended":
      return `${reason.release} ended on ${dayText(reason.on)}.`;
    case "system-ended":
      return `${reason.system} ended on ${dayText(reason.on)}; ${reason.computers === 1 ? "one computer runs" : `${reason.computers.toLocaleString("en-GB")} computers run`} it.`;
    case "system-files-old":
      return `The system files of ${reason.release} are ${days(reason.days)} old; the limit is ${days(reason.most)}.`;
    case "system-files-older":
      return `${reason.release} includes ${reason.has}; computers there run ${reason.runs}.`;
    case "environment-older":
      return `${reason.release} was made on ${dayText(reason.madeOn)}, before ${reason.system} came out on ${dayText(reason.releasedOn)}: it may be unable to repair it.`;
    case "loan-overdue":
      return `${visible(reason.to, 80)} was to return it by ${dayText(reason.on)}.`;
    case "spares-lacking":
      return `${reason.has} of ${reason.wanted} available.`;
    case "facts-old":
      return `They are ${days(reason.days)} old; the limit is ${days(reason.most)}.`;
    case "facts-never":
      return "Never collected.";
    case "stock-never":
      return "No stock-taking recorded.";
    case "stock-old":
      return `Last taken ${days(reason.days)} ago; the limit is ${days(reason.most)}.`;
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
  if (count === 0) return breaksOn === null || breaksOn <= today ? "" : "Nobody loses a route.";
  if (breaksOn !== null && breaksOn > today)
    return `${who} ${count === 1 ? "stops meeting its" : "stop meeting their"} policy on ${dayText(breaksOn)}.`;
  return `${who} ${count === 1 ? "misses its" : "miss their"} policy until this is done.`;
}
