// Writes every sentence of Creel into docs/words.md, so that they can be read as a text. Usage: npm run words
import { writeFileSync } from "node:fs";
import { wordsPage } from "../test/support/words-page";

writeFileSync("docs/words.md", wordsPage());
