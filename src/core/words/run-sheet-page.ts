import { type RunSheetInput, sheetSteps } from "../callout/run-sheet";
import { isDangerous } from "../callout/step";
import { LINK_NAMES, type LinkName, type Verdict } from "../judging/model/schema";
import { linkTitle, verdictText } from "./reasons";
import { stepText } from "./steps";

const ENTITIES: Record<string, string> = { "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;", "'": "&#39;" };

/** Text for HTML: what would be markup is shown as it is. */
export function escaped(text: string): string {
  return text.replace(/[&<>"']/g, (character) => ENTITIES[character] ?? character);
}

const STYLE =
  "body{font:16px/1.4 sans-serif;max-width:46em;margin:1.5em auto;padding:0 1em;color:#111;background:#fff}" +
  "h1{font-size:1.4em;border-bottom:2px solid}code,.tag{font-family:monospace}" +
  "li{margin:.5em 0;page-break-inside:avoid}.warn{border-left:4px solid;padding-left:.5em;font-weight:bold}" +
  "small{color:#444}table{border-collapse:collapse}td,th{text-align:left;padding:.2em .8em .2em 0;border-bottom:1px solid #999}";

/** A page that opens anywhere: no script, no picture, nothing that is fetched. */
export function plainPage(title: string, body: string): string {
  return `<!doctype html>\n<html lang="en"><head><meta charset="utf-8"><title>${escaped(title)}</title><style>${STYLE}</style></head>\n<body>\n${body}\n</body></html>\n`;
}

/** The run sheet of one computer with one medium, to be read on any other computer. `givesBack`: in words. */
export function runSheetPage(
  input: RunSheetInput,
  chain: { links: Record<LinkName, Verdict>; givesBack: string; madeAt: string },
): string {
  const { computer, medium } = input;
  const { make, model } = computer.facts.computer;
  const about = [computer.name, computer.siteName, [make, model].filter(Boolean).join(" ")].filter(Boolean).join(" · ");
  const links = LINK_NAMES.map((name) => `${linkTitle(name)}: ${verdictText(chain.links[name])}`).join("; ");
  const steps = sheetSteps(input).map((step) => {
    const { act, details } = stepText(step);
    const told = details.map((detail) => `<br><small>${escaped(detail)}</small>`).join("");
    return `<li><label${isDangerous(step) ? ' class="warn"' : ""}><input type="checkbox"> ${escaped(act)}</label>${told}</li>`;
  });
  return plainPage(
    `Recover ${computer.tag} with ${medium.tag}`,
    [
      `<h1>Recover <span class="tag">${escaped(computer.tag)}</span> with <span class="tag">${escaped(medium.tag)}</span></h1>`,
      `<p>${escaped(about)}</p>`,
      `<p>Outcome: <strong>${escaped(chain.givesBack)}</strong>.<br><small>${escaped(links)}. As recorded on ${escaped(chain.madeAt.slice(0, 10))}.</small></p>`,
      `<ol>\n${steps.join("\n")}\n</ol>`,
    ].join("\n"),
  );
}
