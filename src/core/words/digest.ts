import type { DigestChange } from "../upkeep/digest";
import { consequenceText, dueReasonText, dueTitle } from "./upkeep";

/** So many are told one by one. */
const FRESH_MOST = 100;

const things = (count: number) => (count === 1 ? "one thing" : `${count.toLocaleString("en-GB")} things`);

/** A digest as plain text; null where nothing changed. */
export function digestText(
  audience: string,
  change: DigestChange,
  today: string,
): { subject: string; text: string } | null {
  const { fresh, gone, still } = change;
  if (fresh.length === 0 && gone === 0) return null;
  const lines = fresh
    .slice(0, FRESH_MOST)
    .flatMap((item) => [
      `- ${dueTitle(item)}${item.site ? ` at ${item.site}` : ""}. ${dueReasonText(item.reason)}`,
      ...[consequenceText(item, today)].filter(Boolean).map((text) => `  ${text}`),
    ]);
  const parts = [
    ...(fresh.length > 0 ? ["New since the last digest:", "", ...lines, ""] : []),
    ...(fresh.length > FRESH_MOST ? [`And ${things(fresh.length - FRESH_MOST)} more.`, ""] : []),
    ...(gone > 0 ? [`Done or obsolete since then: ${things(gone)}.`] : []),
    ...(still > 0 ? [`Still open: ${things(still)}.`] : []),
  ];
  const subject = fresh.length > 0 ? `${audience}: ${things(fresh.length)} new` : `${audience}: ${things(gone)} done`;
  return { subject, text: `${parts.join("\n")}\n` };
}
