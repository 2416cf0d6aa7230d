import { daysBetween } from "../kernel/days";
import { lineagesOf, type StoredPoint } from "./lineage";

/** What happened to a computer that its last image does not know of. */
export interface ComputerEvent {
  /** ISO 8601. */
  at: string;
  code: "system-changed" | "disk-replaced" | "restored";
}

/** A change that somebody is about to make or made, and said so: a program to install, a firmware update. */
export interface NotedChange {
  /** ISO day. */
  on: string;
  what: string;
}

export type ImageDueReason =
  | { code: "no-image" }
  | { code: "none-usable"; last: string }
  | { code: "only-unverified"; last: string }
  | { code: "old"; on: string; days: number; most: number }
  | { code: "system-changed"; on: string }
  | { code: "disk-replaced"; on: string }
  | { code: "restored"; on: string }
  /** Not made yet, soon, and the last image is too old to go back to if it goes wrong. */
  | { code: "change-ahead"; on: string; what: string; days: number }
  | { code: "changed"; on: string; what: string };

export interface ImageDue {
  computer: string;
  /** ISO day of the last image that can be gone back to; null: there is none. */
  last: string | null;
  /** Why a new one is due, the gravest first; empty: none is. */
  reasons: ImageDueReason[];
}

/** Images are taken again after so many days. Common practice for office computers; a policy may say otherwise. */
export const USUAL_IMAGE_DAYS = 180;
/** An image is asked for so many days before a change that was noted: time enough to take and verify it. */
const DAYS_AHEAD = 7;
const ORDER: ImageDueReason["code"][] = [
  // There is a day by which it must be done.
  "change-ahead",
  "no-image",
  "none-usable",
  "disk-replaced",
  "restored",
  "only-unverified",
  "system-changed",
  "changed",
  "old",
];

/**
 * Whether a computer's image is due: by its age, or by what happened since, or by what is about to happen: a change that was
 * noted wants an image of the week before it, and another once it was made. An image of the very day counts as of before
 * the change. Common practice.
 */
export function imageDue(
  computer: string,
  points: readonly StoredPoint[],
  events: readonly ComputerEvent[],
  {
    today,
    mostDays = USUAL_IMAGE_DAYS,
    noted = [],
  }: { today: string; mostDays?: number; noted?: readonly NotedChange[] },
): ImageDue {
  const ownPoints = points.filter((point) => point.computer === computer);
  const lineages = lineagesOf(ownPoints);
  const latest = (state: "usable" | "unsure") =>
    ownPoints
      .filter(({ id }) => lineages.get(id)?.state === state)
      .map(({ takenAt }) => takenAt)
      .sort()
      .at(-1) ?? null;
  const [usable, unsure] = [latest("usable"), latest("unsure")];
  const last = usable ?? unsure;
  const ahead = soonest(noted.filter((each) => each.on >= today && daysBetween(today, each.on) <= DAYS_AHEAD));
  const reasons: ImageDueReason[] = [];
  if (ahead && (last === null || daysBetween(last.slice(0, 10), ahead.on) > DAYS_AHEAD))
    reasons.push({ code: "change-ahead", ...ahead, days: daysBetween(today, ahead.on) });
  if (last === null) {
    const any = ownPoints
      .map(({ takenAt }) => takenAt)
      .sort()
      .at(-1);
    reasons.push(any ? { code: "none-usable", last: any.slice(0, 10) } : { code: "no-image" });
    return { computer, last: null, reasons };
  }
  const on = last.slice(0, 10);
  if (usable === null) reasons.push({ code: "only-unverified", last: on });
  for (const code of ["system-changed", "disk-replaced", "restored"] as const) {
    const since = events
      .filter((event) => event.code === code && event.at > last)
      .map(({ at }) => at)
      .sort()
      .at(-1);
    if (since) reasons.push({ code, on: since.slice(0, 10) });
  }
  const made = soonest(noted.filter((each) => each.on < today && each.on >= on));
  if (made) reasons.push({ code: "changed", ...made });
  const days = daysBetween(on, today);
  if (days > mostDays) reasons.push({ code: "old", on, days, most: mostDays });
  reasons.sort((a, b) => ORDER.indexOf(a.code) - ORDER.indexOf(b.code));
  return { computer, last: on, reasons };
}

function soonest(changes: readonly NotedChange[]): NotedChange | null {
  const [first] = [...changes].sort((a, b) => a.on.localeCompare(b.on));
  return first ? { on: first.on, what: first.what } : null;
}

/** Those that are due, whoever has least to fall back on first. */
export function rankImagesDue(all: readonly ImageDue[]): ImageDue[] {
  const gravest = ({ reasons }: ImageDue) => ORDER.indexOf(reasons[0]?.code ?? "old");
  return all
    .filter(({ reasons }) => reasons.length > 0)
    .sort(
      (a, b) =>
        gravest(a) - gravest(b) || (a.last ?? "").localeCompare(b.last ?? "") || a.computer.localeCompare(b.computer),
    );
}
