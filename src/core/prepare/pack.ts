import { sha256 } from "@noble/hashes/sha2.js";
import { hex } from "../bytes/fields";
import { MemorySource } from "../bytes/source";
import type { LinkName, Verdict } from "../chain/schema";
import type { ReleaseFacts } from "../releases/facts";
import { escaped, plainPage, runSheetPage } from "../run-sheet/html";
import type { RunSheetInput } from "../run-sheet/steps";
import { verdictText } from "../words/reasons";
import type { FileToWrite } from "../write/tree";

export const PACK_SCHEMA = "creel.pack/1";

/** What a medium carries beside its release, so that it explains itself and rebuilds what is known of it. */
export interface PackInput {
  medium: { tag: string; kind: string; bytes: number };
  release: { kit: string; family: string | null; name: string; madeOn: string | null; facts: ReleaseFacts };
  /** The computers that it serves, the surest first. */
  served: { sheet: RunSheetInput; links: Record<LinkName, Verdict>; weakest: Verdict; givesBack: string }[];
  /** `creel.computer/1`, a line each. */
  records: string;
  /** Of the release's files, where they lie on the medium as files: paths from its root. */
  sums: { path: string; sha256: string }[];
  /** ISO 8601. */
  madeAt: string;
}

/** A file of a pack, small enough to be kept as text. */
export interface PackFile {
  path: string;
  text: string;
}

const FOLDER = "/CREEL";

/** The files of a pack; the last one is `SHA256SUMS`, for `sha256sum -c CREEL/SHA256SUMS` at the medium's root. */
export function packFiles({ medium, release, served, records, sums, madeAt }: PackInput): PackFile[] {
  const sheets = served.map(
    (each): PackFile => ({
      path: `${FOLDER}/sheets/${fileName(each.sheet.computer.tag)}.html`,
      text: runSheetPage(each.sheet, { links: each.links, givesBack: each.givesBack, madeAt }),
    }),
  );
  const rows = served.map(({ sheet, weakest, givesBack }) => {
    const { tag, name } = sheet.computer;
    const cells = [
      `<a href="sheets/${encodeURIComponent(fileName(tag))}.html">${escaped(tag)}</a>`,
      escaped(name ?? ""),
      escaped(givesBack),
      escaped(verdictText(weakest)),
    ];
    return `<tr>${cells.map((cell) => `<td>${cell}</td>`).join("")}</tr>`;
  });
  const about = plainPage(
    `Medium ${medium.tag}`,
    [
      `<h1>Medium <span class="tag">${escaped(medium.tag)}</span></h1>`,
      `<p>${escaped(release.kit)} ${escaped(release.name)}, prepared ${escaped(madeAt.slice(0, 10))} with Creel.</p>`,
      rows.length > 0
        ? `<p>What it is a route for, with a run sheet each:</p>\n<table>\n${rows.join("\n")}\n</table>`
        : "<p>No computer was known that it is a route for.</p>",
      "<p><small>To see whether its files are as they were: <code>sha256sum -c CREEL/SHA256SUMS</code> in its first folder.</small></p>",
    ].join("\n"),
  );
  const pack = { schema: PACK_SCHEMA, madeAt, medium, release, computers: "records.jsonl" };
  const files: PackFile[] = [
    { path: `${FOLDER}/about.html`, text: about },
    { path: `${FOLDER}/pack.json`, text: `${JSON.stringify(pack, null, 1)}\n` },
    { path: `${FOLDER}/records.jsonl`, text: records },
    ...sheets,
  ];
  const own = files.map(({ path, text }) => ({ path, sha256: hex(sha256(new TextEncoder().encode(text))) }));
  const lines = [...sums, ...own].map(({ path, sha256: digest }) => `${digest}  ${path.replace(/^\//, "")}\n`);
  return [...files, { path: `${FOLDER}/SHA256SUMS`, text: lines.join("") }];
}

/** A tag as the name of a file that every file system takes. */
function fileName(tag: string): string {
  return tag.replace(/[^A-Za-z0-9._-]/g, "_").replace(/\.+$/, "_");
}

/** Pack files as files to be written. */
export function packToWrite(files: readonly PackFile[], madeAt: string): FileToWrite[] {
  return files.map(({ path, text }) => ({
    path,
    content: new MemorySource(new TextEncoder().encode(text)),
    modified: madeAt,
  }));
}
