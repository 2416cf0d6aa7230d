import type { DigestChange } from "../upkeep/digest";
import { consequenceText, dueReasonText, dueTitle } from "./upkeep";

/** So many are told one by one. */
const FRESH_MOST = 100;

const things = (count: number) => (count === 1 ? "one thing" : `${count.toLocaleString("en-GB")} things`);

/** A digest as plain text; null where nothing changed. `reported`: what computers told of themselves since the last one. */
export function digestText(
  audience: string,
  change: DigestChange,
  today: string,
  reported: readonly string[] = [],
): { subject: string; text: string } | null {
  const { fresh, gone, still } = change;
  if (fresh.length === 0 && gone === 0 && reported.length === 0) return null;
  const lines = fresh
    .slice(0, FRESH_MOST)
    .flatMap((item) => [
      `- ${dueTitle(item)}${item.site ? ` at ${item.site}` : ""}. ${dueReasonText(item.reason)}`,
      ...[consequenceText(item, today)].filter(Boolean).map((text) => `  ${text}`),
    ]);
  const parts = [
    ...(reported.length > 0
      ? ["Reported by computers:", "", ...reported.slice(0, FRESH_MOST).map((text) => `- ${text}`), ""]
      : []),
    ...(fresh.length > 0 ? ["New since the last digest:", "", ...lines, ""] : []),
    ...(fresh.length > FRESH_MOST ? [`And ${things(fresh.length - FRESH_MOST)} more.`, ""] : []),
    ...(gone > 0 ? [`Done or obsolete since then: ${things(gone)}.`] : []),
    ...(still > 0 ? [`Still open: ${things(still)}.`] : []),
  ];
  const news = fresh.length + reported.length;
  const subject = news > 0 ? `${audience}: ${things(news)} new` : `${audience}: ${things(gone)} done`;
  return { subject, text: `${parts.join("\n")}\n` };
}
