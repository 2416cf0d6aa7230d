import { daysBetween } from "../links/proven";
import { lineagesOf, type StoredPoint } from "./lineage";

/** What happened to a computer that its last image does not know of. */
export interface ComputerEvent {
  /** ISO 8601. */
  at: string;
  code: "system-changed" | "disk-replaced" | "restored";
}

export type DueReason =
  | { code: "no-image" }
  | { code: "none-usable"; last: string }
  | { code: "only-unverified"; last: string }
  | { code: "old"; on: string; days: number; most: number }
  | { code: "system-changed"; on: string }
  | { code: "disk-replaced"; on: string }
  | { code: "restored"; on: string };

export interface ImageDue {
  computer: string;
  /** ISO day of the last image that can be gone back to; null: there is none. */
  last: string | null;
  /** Why a new one is due, the gravest first; empty: none is. */
  reasons: DueReason[];
}

/** Images are taken again after so many days. Common practice for office computers; a policy may say otherwise. */
export const USUAL_IMAGE_DAYS = 180;
/** Several changes within so many days are one: a new image is worth taking once they are over. */
const ORDER: DueReason["code"][] = [
  "no-image",
  "none-usable",
  "disk-replaced",
  "restored",
  "only-unverified",
  "system-changed",
  "old",
];

/** Whether a computer's image is due: by its age, or by what happened since. Common practice. */
export function imageDue(
  computer: string,
  points: readonly StoredPoint[],
  events: readonly ComputerEvent[],
  { today, mostDays = USUAL_IMAGE_DAYS }: { today: string; mostDays?: number },
): ImageDue {
  const own = points.filter((point) => point.computer === computer);
  const lineages = lineagesOf(own);
  const latest = (state: "usable" | "unsure") =>
    own
      .filter(({ id }) => lineages.get(id)?.state === state)
      .map(({ takenAt }) => takenAt)
      .sort()
      .at(-1) ?? null;
  const [usable, unsure] = [latest("usable"), latest("unsure")];
  const last = usable ?? unsure;
  if (last === null) {
    const any = own
      .map(({ takenAt }) => takenAt)
      .sort()
      .at(-1);
    return {
      computer,
      last: null,
      reasons: [any ? { code: "none-usable", last: any.slice(0, 10) } : { code: "no-image" }],
    };
  }
  const reasons: DueReason[] = [];
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
  const days = daysBetween(on, today);
  if (days > mostDays) reasons.push({ code: "old", on, days, most: mostDays });
  reasons.sort((a, b) => ORDER.indexOf(a.code) - ORDER.indexOf(b.code));
  return { computer, last: on, reasons };
}

/** Those that are due, whoever has least to fall back on first. */
export function rankDue(all: readonly ImageDue[]): ImageDue[] {
  const gravest = ({ reasons }: ImageDue) => ORDER.indexOf(reasons[0]?.code ?? "old");
  return all
    .filter(({ reasons }) => reasons.length > 0)
    .sort(
      (a, b) =>
        gravest(a) - gravest(b) || (a.last ?? "").localeCompare(b.last ?? "") || a.computer.localeCompare(b.computer),
    );
}
