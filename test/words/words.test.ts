import { readFileSync } from "node:fs";
import { textsOf } from "../support/texts";
import { wordsPage } from "../support/words-page";
import { NOT } from "./not-used";

test("docs/words.md holds every sentence as the code has it (npm run words)", () => {
  expect(readFileSync("docs/words.md", "utf8")).toBe(wordsPage());
});

/** What is right all the same: a term of the trade, or the word in another sense. */
const ALLOWED: readonly RegExp[] = [
  // Digests are mail.
  /^Digests$|\bdigests by mail\b|\bthe digest stays in the outbox\b|^Send digests now$|^New since the last digest:$|Once a day each site/,
  // The ordinary verb.
  /later imports keep it unless|and keep it until the work is done|another way/i,
  /cannot be told apart/,
  /^a digest could not be sent$/,
  // The database's own words, and actions as the log of changes keeps them; what people read of them is in words/events.ts.
  /^(SUM|COALESCE|JSON_UNQUOTE)\(/,
  /^(brought back|took in facts of|put off|took up)$/,
];
/** Options of the command line have names that others call them by. */
const OPTION = /--[a-z][a-z-]*( <[a-z]+>)?/g;

test("no text uses a term that Creel has another one for", () => {
  const texts = textsOf("src/core/words", "src/core/problems", "src/app", "src/ui", "src/server", "src/cli");
  expect(texts.length).toBeGreaterThan(2500);
  const wrong = texts.flatMap(({ file, line, text }) => {
    const read = text.replace(/\{[^{}]*\}/g, "…").replace(OPTION, "…");
    if (ALLOWED.some((each) => each.test(read))) return [];
    return NOT.filter(({ term }) => term.test(read)).map(({ use }) => `${file}:${line} “${text}”: ${use}`);
  });
  expect(wrong).toEqual([]);
});

test("a term that is not used is found where somebody writes it", () => {
  for (const text of ["Take in facts", "Surest route", "Open set-up", "the start menu", "written anew", "2 ways"])
    expect(NOT.some(({ term }) => term.test(text))).toBe(true);
});
