import type { RunSheetInput } from "../callout/run-sheet";
import type { LinkName, Verdict } from "../judging/model/schema";
import type { Outcome } from "../judging/routes/outcome";
import { type PackInput, sheetPath } from "../making/pack/pack";
import { verdictText } from "./reasons";
import { outcomeText } from "./routes";
import { escaped, plainPage, runSheetPage } from "./run-sheet-page";

/** What the pages of a medium are made from. */
export interface PagesInput extends Pick<PackInput, "medium" | "release" | "beside" | "madeAt"> {
  /** The computers that it serves, the surest first. */
  served: { sheet: RunSheetInput; links: Record<LinkName, Verdict>; weakest: Verdict; outcome: Outcome | null }[];
}

/** The pages that a medium carries for people. They name no file but each other, and open on any computer. */
export function packPages({ medium, release, beside = [], served, madeAt }: PagesInput): PackInput["pages"] {
  const rows = served.map(({ sheet, weakest, outcome }) => {
    const { tag, name } = sheet.computer;
    const file = sheetPath(tag).split("/").at(-1) ?? "";
    const cells = [
      `<a href="sheets/${encodeURIComponent(file)}">${escaped(tag)}</a>`,
      escaped(name ?? ""),
      escaped(outcomeText(outcome)),
      escaped(verdictText(weakest)),
    ];
    return `<tr>${cells.map((cell) => `<td>${cell}</td>`).join("")}</tr>`;
  });
  const about = plainPage(
    `Medium ${medium.tag}`,
    [
      `<h1>Medium <span class="tag">${escaped(medium.tag)}</span></h1>`,
      `<p>${[release, ...beside].map(({ kit, name }) => escaped(`${kit} ${name}`)).join(" and ")}, prepared ${escaped(madeAt.slice(0, 10))} with Creel.</p>`,
      rows.length > 0
        ? `<p>Computers it is a route for, with run sheets:</p>\n<table>\n${rows.join("\n")}\n</table>`
        : "<p>No computer recorded that it is a route for.</p>",
      "<p><small>To check its files: <code>sha256sum -c CREEL/SHA256SUMS</code> in its first folder.</small></p>",
    ].join("\n"),
  );
  const sheets = served.map(({ sheet, links, outcome }) => ({
    computer: sheet.computer.tag,
    html: runSheetPage(sheet, { links, givesBack: outcomeText(outcome), madeAt }),
  }));
  return { about, sheets };
}
